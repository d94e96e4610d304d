import type { Value } from '@tantamos/contract';
import { valueText } from './format';

/** A value by its label, or as its kind is read; blanks are said, not shown as nothing. The exact value on hover and in copies. */
export function Shown({ value, kind }: { value: Value; kind?: string }) {
  if (value.value === null) return <em>blank</em>;
  if (value.value === '') return <em>empty text</em>;
  if (value.label !== undefined) return <>{value.label}</>;
  const text = kind === undefined ? value.value : valueText(value.value, kind);
  if (text === value.value) return <>{text}</>;
  return (
    <span title={value.value} data-exact={value.value}>
      {text}
    </span>
  );
}

/** Old value struck and quiet, arrow, new value in accent: the same mark in every place. */
export function Change({ old, now, kind }: { old: Value; now: Value; kind?: string }) {
  if (old.value === now.value)
    return (
      <span className="text-quiet">
        <Shown value={now} kind={kind} />
      </span>
    );
  return (
    <span>
      <del className="text-quiet">
        <Shown value={old} kind={kind} />
      </del>
      <span aria-label=" becomes " className="px-1 text-quiet">
        →
      </span>
      <ins className="font-medium text-accent no-underline">
        <Shown value={now} kind={kind} />
      </ins>
    </span>
  );
}
