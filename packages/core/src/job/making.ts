import type { Catalog, RecordType } from '../catalog/catalog';
import { canonicalKey } from '../catalog/key';
import type { Change } from '../edits/change';
import type { FiledRows } from '../file/filed';
import type { Selection } from '../selection/shape';
import { editSentence, lowerEdit, type Edit } from '../edits/edit';
import type { Told } from '../edits/kind';
import { rowsType } from '../file/file-type';
import type { CheckedSelection } from '../language/checked';
import type { Context } from '../language/context';
import { countedWords, list, typeWords } from '../language/words';
import { clip, fail, Gathered, inside, within } from '../problem';
import { everyRecord } from '../selection/selection';
import { neededOf } from './also';

/** What new records are made of: the rows of a kept file that fit no record, or nothing but what the edits say, so many times. */
export type MadeFrom = { readonly file: string } | { readonly rows: number };

/** As much of a part of a job as making takes. */
export interface Making {
  readonly selection: Selection;
  readonly edits: readonly Edit[];
  readonly from?: MadeFrom;
  readonly also?: readonly unknown[];
}

/** So many records at most are made out of nothing at once. */
export const mostMade = 1000;

/** A part that makes records: which rows they are made of, and what they get. Throws problems whose place is within the part. */
export function checkMaking(
  part: Making,
  type: RecordType,
  catalog: Catalog,
  context: Context,
): { readonly selection: CheckedSelection; readonly changes: readonly Change[] } {
  const { from = { rows: 1 }, edits, selection } = part;
  const { type: _, keys, drop, ...asked } = selection;
  if (Object.values(asked).some((v) => v !== undefined))
    fail('bad_value', `New ${typeWords(type)} are made, not selected: leave out which.`, { where: 'selection' });
  if (part.also?.length)
    fail('bad_value', 'Nothing is made along with new records yet; do it in a part after this one.', { where: 'also' });
  const { rows, changes: filed } = within('from', () => sourceOf(from, type, context));
  const problems = new Gathered();
  const about = { type: rows, catalog, context: { ...context, ofEdit: true }, into: type };
  const written = new Set<string>();
  const said = edits.flatMap(
    (edit, i) =>
      problems.gather(() =>
        inside(`edits[${i}]`, () => {
          const lowered = lowerEdit(edit, about);
          for (const { field } of lowered) {
            if (written.has(field.name)) fail('same_field_twice', `${field.name} is given twice.`, { where: 'field' });
            written.add(field.name);
          }
          return lowered;
        }),
      ) ?? [],
  );
  problems.raise();
  // What is said for all of them stands before what the file says.
  const changes = [...filed.filter((c) => !written.has(c.field.name)), ...said];
  const missing = neededOf(type).filter((f) => !changes.some((c) => c.field.name === f.name));
  if (missing.length > 0)
    fail(
      'bad_value',
      `${list(
        missing.map((f) => (f.hidden ? 'a field that you may not see' : f.label)),
        'and',
      )} of new ${typeWords(type)} ${missing.length === 1 ? 'is' : 'are'} required, and the database puts nothing there: give ${missing.length === 1 ? 'it' : 'each'} a value.`,
      { where: 'edits', suggestions: missing.filter((f) => !f.hidden).map((f) => f.name) },
    );
  const chosen = (all: readonly string[] | undefined): readonly string[] | null =>
    all?.map((k) => canonicalKey(rows, k)) ?? null;
  return {
    selection: { ...everyRecord(rows), env: context.env, keys: chosen(keys), drop: drop?.length ? chosen(drop) : null },
    changes,
  };
}

function sourceOf(from: MadeFrom, type: RecordType, context: Context): Pick<FiledRows, 'rows' | 'changes'> {
  if ('file' in from) {
    const filed = context.filed?.get(from.file);
    if (!filed) return fail('not_found', 'There is no such file of yours; send it again.', { where: 'file' });
    if (filed.changes[0] && !type.fields.includes(filed.changes[0].field))
      fail('bad_value', `The rows of “${clip(filed.name)}” are no ${typeWords(type)}.`, { where: 'file' });
    return filed;
  }
  const { rows } = from;
  if (!Number.isSafeInteger(rows) || rows < 1 || rows > mostMade)
    fail('over_limit', `From 1 to ${mostMade.toLocaleString('en-US')} records are made at once.`, { where: 'rows' });
  return { rows: rowsType(rows), changes: [] };
}

/** “make 12 contacts of new.csv: set owner to Ines Calloway” */
export function makingWords({ from = { rows: 1 }, edits }: Making, told: Told & { readonly context: Context }): string {
  const { type, context } = told;
  const filed = 'file' in from ? context.filed?.get(from.file) : undefined;
  const n = 'rows' in from ? from.rows : filed?.count;
  const which = n === undefined ? `new ${typeWords(type)}` : countedWords(n, type);
  const file = filed ? `“${clip(filed.name)}”` : 'the file';
  const of = 'file' in from ? ` of the rows of ${file} that fit none` : '';
  const what = list(
    edits.map((e) => editSentence(e, { ...told, into: type })),
    'and',
  );
  return `make ${which}${of}${what ? `: ${what}` : ''}`;
}
