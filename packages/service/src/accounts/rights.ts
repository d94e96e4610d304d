import { clip, fail, type RecordType } from '@tantamos/core';

export const roles = ['administrator', 'editor'] as const;
export type Role = (typeof roles)[number];

export interface Person {
  readonly id: string;
  readonly login: string;
  readonly name: string;
  readonly role: Role;
}

/** What a person may be asked about; `owner` is the account that made the thing. */
export type Act =
  | { readonly act: 'read' | 'preview' | 'undo' }
  | { readonly act: 'start preview' | 'withdraw preview' | 'steer run'; readonly owner: string }
  | { readonly act: 'see type'; readonly type: RecordType }
  | { readonly act: 'settings' | 'accounts' };

/** The one place that decides what a person may do. Throws `not_permitted` with the reason. */
export function mustBeAllowed(person: Person, wanted: Act): void {
  if (person.role === 'administrator') return;
  switch (wanted.act) {
    case 'read':
    case 'preview':
    case 'undo':
      return;
    case 'start preview':
    case 'withdraw preview':
      if (wanted.owner !== person.id)
        fail('not_permitted', 'Only the person who made a preview, or an administrator, may do this with it.');
      return;
    case 'steer run':
      if (wanted.owner !== person.id)
        fail('not_permitted', 'Only the person who started a run, or an administrator, may do this with it.');
      return;
    case 'see type':
      // As if it were not there: that it exists is not told either.
      if (wanted.type.hidden) fail('unknown_type', `There is no type “${clip(wanted.type.id)}”.`);
      return;
    case 'settings':
      fail('not_permitted', 'Settings are for administrators.');
      return;
    case 'accounts':
      fail('not_permitted', 'Accounts are for administrators.');
  }
}
