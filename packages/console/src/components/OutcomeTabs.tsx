import type { Outcome, Verdict } from '@tantamos/core';
import { Tabs } from 'radix-ui';
import type { ReactNode } from 'react';
import { number } from './format';

export interface OutcomeTab<O extends Outcome | Verdict> {
  readonly outcome: O;
  readonly label: string;
  readonly count: number;
}

/** Tabs over outcomes, each with its count. */
export function OutcomeTabs<O extends Outcome | Verdict>({
  tabs,
  value,
  onChange,
  children,
}: {
  tabs: readonly OutcomeTab<O>[];
  value: O;
  onChange: (o: O) => void;
  children: ReactNode;
}) {
  return (
    <Tabs.Root value={value} onValueChange={(v) => onChange(v as O)} className="flex min-h-0 flex-1 flex-col">
      <Tabs.List aria-label="Records by outcome" className="flex shrink-0 gap-1 border-b border-line px-3">
        {tabs.map((t) => (
          <Tabs.Trigger
            key={t.outcome}
            value={t.outcome}
            className="-mb-px h-9 border-b-2 border-transparent px-2 text-quiet hover:text-ink data-[state=active]:border-accent data-[state=active]:font-medium data-[state=active]:text-ink"
          >
            {t.label} <span className="ml-1">{number(t.count)}</span>
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      <Tabs.Content value={value} className="min-h-0 flex-1 overflow-auto">
        {children}
      </Tabs.Content>
    </Tabs.Root>
  );
}
