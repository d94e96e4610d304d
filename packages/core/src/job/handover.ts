import { clip, fieldOf, type Catalog, type RecordType } from '../catalog/catalog';
import type { Edit } from '../edits/edit';
import { quote } from '../language/print';
import { typeWords } from '../language/words';
import { fail, within } from '../problem';
import type { Job, JobPart } from './job';

/** Records of a type that point at a person by a field, which are to be handed over. */
export interface HandoverLine {
  readonly type: string;
  readonly field: string;
  /** Only those that count as open, or all (see `openWhen` of a type). */
  readonly which: 'open' | 'all';
  /** A reference field of the type: each record gets whom the one it points at will have, which is handed over, too. */
  readonly follow?: string;
  /** Where the one it points at will have none of those who receive: whom that has (left out), one of them, or nobody new. */
  readonly rest?: HandoverRest;
}

export const handoverRests = ['theirs', 'split', 'leave'] as const;
export type HandoverRest = (typeof handoverRests)[number];

export interface HandoverShare {
  /** Name or key. */
  readonly to: string;
  readonly weight?: number;
}

export interface HandoverSaid {
  readonly lines: readonly HandoverLine[];
  readonly among: readonly HandoverShare[];
  /** Whoever has fewest gets the next; else evenly, or by weights. */
  readonly level?: boolean;
}

/** Is it handed over where nobody says otherwise: what a person answers for, if it can be changed and there is some? */
export function isTicked(
  line: { readonly isOwner: boolean; readonly not: string | null; readonly open: number; readonly total: number },
  which: HandoverLine['which'],
): boolean {
  return line.isOwner && line.not === null && (which === 'all' ? line.total : line.open) > 0;
}

/** Who hands over: a record of a type, by name or by key. */
export interface Giving {
  readonly type: string;
  readonly person: string;
}

/** A hand over as a job: a part for each line, those that follow others after all others. */
export function handoverJob(
  { type: personType, person }: Giving,
  { lines, among, level = false }: HandoverSaid,
  catalog: Catalog,
): Job {
  if (lines.length === 0) fail('no_edits', 'Nothing is to be handed over: say which fields.', { where: 'lines' });
  lines.forEach((line, i) => {
    if (lines.findIndex((l) => l.type === line.type && l.field === line.field) < i)
      fail('same_field_twice', `${line.field} of ${line.type} is handed over twice.`, { where: `lines[${i}]` });
  });
  const own = lines.filter((l) => l.follow === undefined);
  const needsPeople = own.length > 0 || lines.some((l) => l.rest === 'split' || l.rest === 'leave');
  if (needsPeople && among.length === 0) fail('bad_value', 'Say to whom: one person, or several.', { where: 'among' });
  const parts = [...own, ...lines.filter((l) => l.follow !== undefined)].map((line): JobPart =>
    within(`lines[${lines.indexOf(line)}]`, () => {
      const type = catalog.type(line.type);
      const field = within('field', () => fieldOf(type, line.field));
      if (field.refersTo !== personType)
        fail('type_mismatch', `${field.label} of ${typeWords(type)} does not say whose they are.`, { where: 'field' });
      const selection = { type: type.id, filter: whichOf(person, line, type) };
      const edit =
        line.follow === undefined ? givenTo(line, type, among, level) : following(line, type, own, among, catalog);
      return { selection, edits: [edit] };
    }),
  );
  const [first, ...then] = parts;
  return { ...first!, ...(then.length > 0 ? { then } : {}) };
}

function whichOf(person: string, { field, which }: HandoverLine, type: RecordType): string {
  const theirs = `${field} = ${quote(person)}`;
  return which === 'open' && type.openWhen !== null ? `${theirs} AND (${type.openWhen})` : theirs;
}

function givenTo(
  { field, which }: HandoverLine,
  type: RecordType,
  among: readonly HandoverShare[],
  level: boolean,
): Edit {
  if (among.length === 1) return { kind: 'set', field, value: among[0]!.to };
  const counted = which === 'open' && type.openWhen !== null ? { filter: type.openWhen } : {};
  return {
    kind: 'split',
    field,
    among: among.map(({ to, weight }) => (weight === undefined ? { to } : { to, weight })),
    ...(level ? { level: [counted] } : {}),
  };
}

function following(
  { field, follow, rest = 'theirs' }: HandoverLine,
  type: RecordType,
  own: readonly HandoverLine[],
  among: readonly HandoverShare[],
  catalog: Catalog,
): Edit {
  const by = type.fields.find((f) => f.name === follow && !f.hidden);
  const parent = by?.refersTo ? catalog.find(by.refersTo) : undefined;
  const theirs = parent && own.find((l) => l.type === parent.id);
  if (!by || !parent || !theirs)
    fail(
      'bad_value',
      `${type.label} can follow only a field that points at records which are handed over themselves, not “${clip(follow ?? '')}”${parent ? `: ${typeWords(parent)} are not` : ''}.`,
      { where: 'follow' },
    );
  const path = `${by.name}.${theirs.field}`;
  if (rest === 'split')
    return {
      kind: 'split',
      field,
      among: among.map(({ to, weight }) => (weight === undefined ? { to } : { to, weight })),
      follow: path,
    };
  const only = `planned(${path}) IN (${among.map((a) => quote(a.to)).join(', ')})`;
  return {
    kind: 'compute',
    field,
    formula: `planned(${path})`,
    ...(rest === 'leave' ? { where: only } : {}),
  };
}
