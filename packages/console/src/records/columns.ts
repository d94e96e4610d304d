import type { TypeView } from '@tantamos/contract';

/** Name, owner, choices and dates first: about what fits on a screen. */
export function usualColumns(type: TypeView): string[] {
  const seen = type.fields.filter((f) => !f.hidden && f.kind !== 'other');
  const key = seen.filter((f) => f.kind === 'key').map((f) => f.name);
  const name = type.nameField ? [type.nameField] : [];
  const rest = seen.map((f) => f.name).filter((n) => !key.includes(n) && !name.includes(n));
  return [...key, ...name, ...rest].slice(0, 14);
}
