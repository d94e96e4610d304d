import {
  identifier,
  keyColumns,
  keyText,
  keyWords,
  letterOf,
  list,
  parse,
  conditionOf,
  ProblemError,
  raw,
  Scope,
  typeWords,
  sql,
  tableOf,
  value,
  walkSyntax,
  type Catalog,
  type CheckedJob,
  type CheckedJobPart,
  type Context,
  type Selection,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { letter, valueJoins } from '../engine/statements/rows';
import type { Seen } from '../rights/seen';
import type { Note } from './preview-row';

// Who and what else is concerned by a preview: people who are not active any more, saved selections, the person's own record.

const mostTold = 20;
/** Filters that are read to see whether they ask for a field: so many, of so many characters at most. */
const mostRead = 50;
const longestRead = 10_000;

/** References that would come to point at records that their type says are not active. */
export async function inactiveNotes(
  database: Database,
  previewId: string,
  { changes }: CheckedJobPart,
  /** Of which part of the order. */
  at: number,
  catalog: Catalog,
): Promise<Note[]> {
  const notes: Note[] = [];
  for (const { field } of changes) {
    const target = field.refersTo === null ? undefined : catalog.find(field.refersTo);
    if (!target || target.activeField === null) continue;
    const t = raw('t');
    const name = target.nameField === null ? keyText(keyColumns(target, t)) : sql`t.${identifier(target.nameField)}`;
    const found = await database.ask<{ name: string; n: number; total: number }>(sql`
      select ${name}::text as name, m.n, count(*) over ()::int as total from (
        select i.new as key, count(*)::int as n from tantamos.batch b ${valueJoins([field.name], 'b.preview', 'b.position')}
        cross join lateral rows from (unnest(v1.old), unnest(v1.new), string_to_table(b.verdicts, null)) i(old, new, verdict)
        where b.preview = ${value(previewId)}::uuid and b.part = ${value(at)}::int and i.verdict = ${letter('will_change')}
          and i.old is distinct from i.new and i.new is not null group by 1) m
      join ${tableOf(target)} t on ${keyText(keyColumns(target, t))} = m.key
      where t.${identifier(target.activeField)} is false order by m.n desc, 1 limit ${value(mostTold)}`);
    if (found.length === 0) continue;
    const count = found[0]!.total;
    const label = field.label.toLowerCase();
    const message =
      count === 1
        ? `${found[0]!.name} is not active any more, and would come to stand as ${label} of ${found[0]!.n.toLocaleString('en-US')} records.`
        : `${count} who are not active any more would come to stand as ${label}.`;
    notes.push({
      code: 'inactive',
      message,
      count,
      examples: count === 1 ? [] : found.map((f) => `${f.name}: ${f.n.toLocaleString('en-US')}`),
    });
  }
  return notes;
}

/** Records that point at nobody for whom one could be made each, and people not active any more who would get one. */
export async function perNotes(database: Database, job: CheckedJob, catalog: Catalog): Promise<Note[]> {
  const notes: Note[] = [];
  for (const { selection, also } of [job, ...job.then])
    for (const { per, type, of } of also) {
      if (!per) continue;
      const label = per.label.toLowerCase();
      const scope = new Scope(selection.type, selection.env);
      const points = scope.own(per.name);
      const where = conditionOf(selection, scope);
      const from = scope.from();
      const [blank] = await database.ask<{ n: number }>(
        sql`select count(*)::int as n from ${from} where (${where}) and ${points} is null`,
      );
      const { n } = blank!;
      if (n > 0)
        notes.push({
          code: 'per_blank',
          message: `${n.toLocaleString('en-US')} ${n === 1 ? 'record has' : 'records have'} no ${label}: for ${n === 1 ? 'it' : 'them'} nothing is made in ${typeWords(type)}.`,
          count: n,
          examples: [],
          look: { words: 'Look at the filter', at: 'selection' },
        });
      const target = catalog.find(of.id);
      if (!target || target.activeField === null) continue;
      const t = raw('t');
      const name = target.nameField === null ? keyText(keyColumns(target, t)) : sql`t.${identifier(target.nameField)}`;
      const left = await database.ask<{ name: string; total: number }>(
        sql`select ${name}::text as name, count(*) over ()::int as total from ${tableOf(target)} t
          where t.${identifier(target.activeField)} is false and ${keyColumns(target, t)[0]!} in (select ${points} from ${from} where ${where})
          order by 1 limit ${value(mostTold)}`,
      );
      if (left.length > 0)
        notes.push({
          code: 'inactive',
          message: `${left[0]!.total === 1 ? `${left[0]!.name} is` : `${left[0]!.total} are`} not active any more, and would get one of the ${typeWords(type)} as ${label}.`,
          count: left[0]!.total,
          examples: left.map((l) => l.name),
          look: { words: 'Look at the filter', at: 'selection' },
        });
    }
  return notes;
}

/** Saved selections that ask for a field that is changed: they may find other records afterwards. */
export async function usesNotes(
  database: Database,
  seen: Seen,
  { selection, changes }: CheckedJobPart,
): Promise<Note[]> {
  const { id } = selection.type;
  const written = new Map(changes.map((c) => [c.field.name.toLowerCase(), c.field.label.toLowerCase()]));
  const saved = await database.rows<{ name: string; selection: Selection }>(
    `select name, selection from tantamos.saved_selection
     where type = $1 and (open or owner = $2) and length(selection ->> 'filter') <= $4
       and exists (select from unnest($3::text[]) f(name) where strpos(lower(selection ->> 'filter'), f.name) > 0)
     order by lower(name) limit $5`,
    [id, seen.person.id, [...written.keys()], longestRead, mostRead],
  );
  const labels = new Set<string>();
  const using = saved.filter(({ selection: { filter } }) => {
    const asked = fieldsIn(filter ?? '').filter((name) => written.has(name));
    for (const name of asked) labels.add(written.get(name)!);
    return asked.length > 0;
  });
  if (using.length === 0) return [];
  const names = using.map((s) => s.name);
  const message = `${using.length === 1 ? 'A saved selection asks' : `${using.length} saved selections ask`} for ${list([...labels], 'and')}, and may find other records afterwards.`;
  return [{ code: 'field_used', message, count: using.length, examples: names.slice(0, mostTold) }];
}

/** The fields of the record itself that a filter names, in small letters. */
function fieldsIn(filter: string): string[] {
  const names: string[] = [];
  try {
    walkSyntax(parse(filter), (e) => {
      if (e.kind === 'name') names.push(e.path[0]!.name.toLowerCase());
    });
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
  }
  return names;
}

/** The record that stands for the person is among those that would change. */
export async function ownNotes(
  database: Database,
  previewId: string,
  { selection: { type } }: CheckedJobPart,
  at: number,
  { me }: Context,
  seen: Seen,
): Promise<Note[]> {
  if (me?.type !== type.id) return [];
  const found = await database.one(
    `select from tantamos.batch b cross join lateral rows from (unnest(b.keys), string_to_table(b.verdicts, null)) i(key, verdict)
     where b.preview = $1 and b.part = $4 and i.key = $2 and i.verdict = $3 limit 1`,
    [previewId, me.key, letterOf('will_change'), at],
  );
  if (!found) return [];
  return [
    {
      code: 'own_record',
      message: `The own record of ${seen.person.name}, ${keyWords(type, me.key)}, is among those that would change.`,
      count: 1,
      examples: [],
      mend: { words: 'Leave it out', drop: [me.key] },
    },
  ];
}
