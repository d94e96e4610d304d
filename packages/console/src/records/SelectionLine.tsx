import type { Explained, RelatedBody, TakeBody, TypeSummary } from '@tantamos/contract';
import { ChevronRight, CircleDashed, X } from 'lucide-react';
import { LinkButton } from '../components/Button';
import { counted, number } from '../components/format';
import type { Draft } from '../job/draft';
import { noWork } from '../job/draft';
import { conditionsOf, joinConditions } from './conditions';

interface Props {
  type: TypeSummary;
  draft: Draft;
  /** Undefined while it is worked out. */
  explained: Explained | undefined;
  failed: boolean;
  onChange: (next: Partial<Draft>) => void;
  onOpenFilter: () => void;
  onOpenList: () => void;
}

interface Stage {
  readonly id: string;
  readonly label: string;
  readonly mono?: boolean;
  readonly count: number | null | undefined;
  readonly picked?: boolean;
  readonly title?: string;
  onOpen?: () => void;
  onRemove?: () => void;
}

/** One chip a stage, left to right, each with the count that is left after it. */
export function SelectionLine({ type, draft, explained: e, failed, onChange, onOpenFilter, onOpenList }: Props) {
  const stages = stagesOf({ type, draft, e, onChange, onOpenFilter, onOpenList });
  const empties = stages.findIndex((s) => s.count === 0);
  return (
    <div className="flex min-h-8 flex-wrap items-center gap-x-3 gap-y-1">
      <ol aria-label="Selection" className="flex flex-wrap items-center gap-1">
        {stages.map((s, i) => (
          <li key={s.id} className="flex items-center gap-1">
            {i > 0 && <ChevronRight className="size-3.5 text-quiet" aria-hidden="true" />}
            <Chip
              stage={s}
              failed={failed}
              empties={i === empties && i > 0}
              idle={i > 0 && s.count != null && s.count > 0 && s.count === stages[i - 1]!.count && Boolean(s.mono)}
            />
          </li>
        ))}
      </ol>
      <p className="text-xs text-quiet">{howWords(draft)}</p>
      {e?.blanks && (
        <p className="flex items-center gap-1.5 text-xs text-pending">
          <CircleDashed className="size-3.5 shrink-0" aria-hidden="true" />
          {e.blanks.sentence}.
          <LinkButton onClick={() => onChange({ filter: e.blanks!.filter })}>Take them in</LinkButton>
        </p>
      )}
      {stages.length > 1 && (
        <LinkButton
          className="text-xs"
          onClick={() => onChange({ ...noWorkOnly, filter: '', related: null, list: null, take: null })}
        >
          Clear all
        </LinkButton>
      )}
    </div>
  );
}

const noWorkOnly = { picked: noWork.picked, allPicked: noWork.allPicked, dropped: noWork.dropped };

/** Which kind of selection this is, in words. */
function howWords({ picked, allPicked, dropped }: Draft): string {
  if (picked.length > 0) return `Only what is picked: ${counted(picked.length, 'record')}.`;
  if (dropped.length > 0) return `All that match, without ${counted(dropped.length, 'record')} dropped by hand.`;
  return allPicked ? 'All that match are picked.' : 'All that match.';
}

function stagesOf({
  type,
  draft,
  e,
  onChange,
  onOpenFilter,
  onOpenList,
}: Omit<Props, 'explained' | 'failed'> & { e: Explained | undefined }): Stage[] {
  const { related, filter, list, take, picked, dropped } = draft;
  const conditions = conditionsOf(filter);
  const stages: Stage[] = [{ id: 'type', label: type.label, count: e?.all }];
  if (related)
    stages.push({
      id: 'related',
      label: relatedLabel(related),
      count: e?.base,
      onRemove: () => onChange({ related: null }),
      title: e && e.circles > 0 ? `${counted(e.circles, 'record')} in a circle; each is taken once` : undefined,
    });
  conditions.forEach((condition, i) =>
    stages.push({
      id: `condition ${i}`,
      label: condition,
      mono: true,
      count: e?.conditions[i]?.after,
      title: e?.conditions[i]?.words ?? 'Open in the filter',
      onOpen: onOpenFilter,
      onRemove: () => onChange({ filter: joinConditions(conditions.filter((_, j) => j !== i)) }),
    }),
  );
  if (list)
    stages.push({
      id: 'list',
      label: list.file === undefined ? 'on the pasted list' : `in ${list.file}`,
      count: e?.afterList,
      title: e?.list?.sentence,
      // A file is chosen anew, not looked into.
      ...(list.file === undefined ? { onOpen: onOpenList } : {}),
      onRemove: () => onChange({ list: null }),
    });
  if (take)
    stages.push({ id: 'take', label: takeLabel(take), count: e?.afterTake, onRemove: () => onChange({ take: null }) });
  if (picked.length > 0)
    stages.push({
      id: 'picked',
      label: 'picked',
      count: picked.length,
      picked: true,
      onRemove: () => onChange({ picked: [] }),
    });
  else if (dropped.length > 0)
    stages.push({
      id: 'dropped',
      label: `${number(dropped.length)} dropped`,
      count: e?.afterPicks,
      picked: true,
      onRemove: () => onChange({ dropped: [] }),
    });
  return stages;
}

function Chip({ stage, failed, empties, idle }: { stage: Stage; failed: boolean; empties: boolean; idle: boolean }) {
  const { label, mono, count, picked, title, onOpen, onRemove } = stage;
  const look = empties
    ? 'border-trouble bg-trouble-soft'
    : picked
      ? 'border-accent bg-accent-soft'
      : 'border-line bg-sheet';
  return (
    <span className={`flex h-7 items-center rounded border ${look}`}>
      {onOpen ? (
        <button
          type="button"
          onClick={onOpen}
          title={title}
          className={`max-w-80 truncate px-2 hover:text-accent ${mono ? 'font-mono text-xs' : ''}`}
        >
          {label}
        </button>
      ) : (
        <span className="max-w-80 truncate px-2" title={title}>
          {label}
        </span>
      )}
      <span
        className={`pr-2 font-medium ${count == null ? 'text-quiet' : ''}`}
        title={idle ? 'This leaves nothing out' : undefined}
      >
        {failed ? '?' : count == null ? '…' : number(count)}
        {idle && <span className="font-normal text-quiet"> (all)</span>}
      </span>
      {onRemove && (
        <button
          type="button"
          aria-label={
            mono
              ? `Remove the condition ${label}`
              : picked && label === 'picked'
                ? 'Clear the picked records'
                : `Remove: ${label}`
          }
          onClick={onRemove}
          className="grid h-full w-6 place-items-center rounded-r border-l border-line text-quiet hover:text-trouble"
        >
          <X className="size-3.5" aria-hidden="true" />
        </button>
      )}
    </span>
  );
}

export function relatedLabel({ how, field, of, self }: RelatedBody): string {
  const filter = typeof of.filter === 'string' && of.filter.trim() !== '' ? ` where ${of.filter}` : '';
  const these =
    of.keys?.length === 1
      ? `${of.type} ${of.keys[0]}`
      : of.keys?.length
        ? `${number(of.keys.length)} picked ${of.type}`
        : `${of.type}${filter}`;
  const words = {
    pointing_at: `whose ${field} is one of ${these}`,
    pointed_at: `${field} of ${these}`,
    siblings: `same ${field} as ${these}`,
    descendants: `under ${these}`,
    ancestors: `above ${these}`,
  };
  return `${words[how]}${self ? ', these too' : ''}`;
}

export function takeLabel({ count, order, seed, per }: TakeBody): string {
  const each = per ? ` per ${per}` : '';
  if (seed !== undefined) return `${number(count)} at random${each}`;
  return `first ${number(count)}${each}${order?.length ? ` by ${order.map((o) => (o.startsWith('-') ? `${o.slice(1)} ↓` : o)).join(', ')}` : ''}`;
}
