import type { FieldView } from '@tantamos/contract';
import type { Edit } from '@tantamos/core';
import type { ReactNode } from 'react';

type Of<K extends Edit['kind']> = Extract<Edit, { kind: K }>;

/** An edit as far as it has been said: a real one, whose members may be missing yet. */
export type DraftEdit<K extends Edit['kind'] = Edit['kind']> = {
  [Kind in K]: { readonly kind: Kind } & Partial<Omit<Of<Kind>, 'kind'>>;
}[K];

/** What an edit kind is in the console: how it is offered, when it is complete, and how it is filled in. */
export interface EditForm<K extends Edit['kind']> {
  /** The action between field and value: “Set to”. Null: it is not chosen from the list of actions. */
  readonly action: string | null;
  /** May it be chosen for this field? */
  fits(field: FieldView): boolean;
  /** As the service takes it; null while something is missing. What another action left in the draft is not taken. */
  complete(edit: DraftEdit<K>): Of<K> | null;
  Form(props: {
    field: FieldView;
    edit: DraftEdit<K>;
    onChange: (members: Partial<Omit<Of<K>, 'kind'>>) => void;
  }): ReactNode;
}
