import type { ChangeView, FieldView, SelectionParts, TypeView } from '@tantamos/contract';
import type { Edit, Problem } from '@tantamos/core';
import type { ReactNode } from 'react';
import type { FieldChoice } from '../../records/fields';

type Of<K extends Edit['kind']> = Extract<Edit, { kind: K }>;

/** An edit as far as it has been said: a real one, whose members may be missing yet. */
export type DraftEdit<K extends Edit['kind'] = Edit['kind']> = {
  [Kind in K]: { readonly kind: Kind } & Partial<Omit<Of<Kind>, 'kind'>>;
}[K];

/** What an edit would make of a record in sight, or why it would make nothing. */
export interface Result {
  readonly record: string;
  readonly key: string;
  readonly change: ChangeView | undefined;
  readonly cause: string | null;
}

export interface FormProps<K extends Edit['kind']> {
  readonly type: TypeView;
  readonly field: FieldView;
  /** Fields that expressions and paths may name. */
  readonly fields: readonly FieldChoice[];
  /** Which records the job is about. */
  readonly selection: SelectionParts;
  readonly edit: DraftEdit<K>;
  readonly problems: readonly Problem[];
  /** Of a few records, where the service has said. */
  readonly results: readonly Result[];
  /** The same as the service last said of the job as it was before, while it has not said anything of it as it is. */
  readonly before: readonly Result[];
  readonly onChange: (members: Partial<Omit<Of<K>, 'kind'>>) => void;
}

/** What an edit kind is in the console: how it is offered, when it is complete, and how it is filled in. */
export interface EditForm<K extends Edit['kind']> {
  /** The action between field and value: “Set to”. Null: it is not chosen from the list of actions. */
  readonly action: string | null;
  /** Does it stand beneath the action, too wide to stand beside it? */
  isWide?(field: FieldView): boolean;
  /** May it be chosen for this field? */
  fits(field: FieldView): boolean;
  /** May it be chosen for a list that stands in a table of links? */
  readonly takesLinks?: true;
  /** As the service takes it; null while something is missing. What another action left in the draft is not taken. */
  complete(edit: DraftEdit<K>): Of<K> | null;
  Form(props: FormProps<K>): ReactNode;
}

/** A list that stands in a table of links: its entries are records. */
export const isLink = (f: FieldView): boolean => f.base === 'list' && f.refersTo !== null;
export const isFreeText = (f: FieldView): boolean => f.base === 'text' && f.choices === null && f.refersTo === null;
export const isNumber = (f: FieldView): boolean => f.base === 'number' && f.choices === null && f.refersTo === null;
export const isTime = (f: FieldView): boolean => f.base === 'date' || f.base === 'moment';
