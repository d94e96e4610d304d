import type { Value } from '@tantamos/contract';

/** A value by its label; blanks are said, not shown as nothing. */
export function Shown({ value }: { value: Value }) {
  if (value.value === null) return <em>blank</em>;
  if (value.value === '') return <em>empty text</em>;
  return <>{value.label ?? value.value}</>;
}

/** Old value struck and quiet, arrow, new value in accent: the same mark in every place. */
export function Change({ old, now }: { old: Value; now: Value }) {
  if (old.value === now.value)
    return (
      <span className="text-quiet">
        <Shown value={now} />
      </span>
    );
  return (
    <span>
      <del className="text-quiet">
        <Shown value={old} />
      </del>
      <span aria-label=" becomes " className="px-1 text-quiet">
        →
      </span>
      <ins className="font-medium text-accent no-underline">
        <Shown value={now} />
      </ins>
    </span>
  );
}
