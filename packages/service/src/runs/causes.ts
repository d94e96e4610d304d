import type { CauseView } from '@tantamos/contract';
import {
  fieldNamed,
  nextAfter,
  nextOfOutcome,
  letterOf,
  outcomeOf,
  quote,
  type Outcome,
  type RecordType,
  type RefusalKind,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { wordsAsSeen } from '../journal/gate';
import type { Seen } from '../rights/seen';
import type { RunRow } from './runs';

/** So many reasons are told; the rest are too different from each other to be any help. */
const mostCauses = 100;

interface Row {
  readonly letter: string;
  readonly cause: string;
  readonly count: number;
  readonly kind: RefusalKind | null;
  readonly code: string | null;
  readonly said: string | null;
  readonly taken: { readonly fields: readonly string[]; readonly value: string } | null;
}

const worthTelling: readonly Outcome[] = ['refused', 'in_use', 'edited_since', 'gone', 'not_allowed'];

/** Why records were not changed, by reasons that read alike, the most frequent first, each with what can be done. */
export async function runCauses(database: Database, r: RunRow, seen: Seen): Promise<CauseView[]> {
  const type = seen.catalog.find(r.type);
  const rows = await database.rows<Row & Record<string, unknown>>(causes, [r.id, mostCauses]);
  const told = rows.flatMap((row): CauseView[] => {
    const cause = wordsAsSeen(row.cause, type);
    const outcome = outcomeOf(row.letter);
    const { words, steps } = row.kind ? nextAfter(row.kind) : nextOfOutcome(outcome);
    const said = wordsAsSeen(row.said, type);
    const other = row.taken && type ? otherOf(row.taken, type) : null;
    return [
      { outcome, cause, count: row.count, kind: row.kind, code: row.code, said, next: words, steps: [...steps], other },
    ];
  });
  // What was said of none of them in particular.
  const rest = worthTelling.flatMap((outcome): CauseView[] => {
    const count = r[outcome] - told.reduce((n, c) => n + (c.outcome === outcome ? c.count : 0), 0);
    const { words, steps } = nextOfOutcome(outcome);
    if (count <= 0) return [];
    return [
      { outcome, cause: null, count, kind: null, code: null, said: null, next: words, steps: [...steps], other: null },
    ];
  });
  const place = (c: CauseView): number => worthTelling.indexOf(c.outcome);
  return [...told, ...rest].sort((a, b) => place(a) - place(b) || b.count - a.count);
}

/** Where the record is found that has the value already. */
function otherOf({ fields, value }: NonNullable<Row['taken']>, type: RecordType): CauseView['other'] {
  const [name = ''] = fields;
  const field = fieldNamed(type, name);
  if (fields.length !== 1 || field?.hidden !== false) return null;
  const isPlain = field.base === 'number' && /^-?\d+(\.\d+)?$/.test(value);
  return { type: type.id, filter: `${name} = ${isPlain ? value : quote(value)}` };
}

/** $1 run, $2 how many reasons. */
const causes = `
  select c.letter, case when c.count = 1 then c.example else c.reason end as cause, c.count, f.kind, f.code, f.said, f.taken
  from (
    select substr(r.outcomes, p.n, 1) as letter, tantamos.reason_of(p.cause) as reason, count(*)::int as count, min(p.cause) as example
    from tantamos.run_batch r
    join tantamos.run on run.id = r.run
    join tantamos.batch b on b.preview = run.preview and b.position = r.batch
    cross join lateral (
      select key::int as n, value as cause from jsonb_each_text(r.causes)
      union all
      select o - r.low, b.causes[o] from generate_series(r.low + 1, r.high) o
      where b.causes is not null and b.causes[o] is not null and not coalesce(r.causes ? (o - r.low)::text, false)
    ) p
    where r.run = $1 and (r.causes is not null or b.causes is not null)
    group by 1, 2 order by 3 desc limit $2
  ) c
  left join tantamos.run_refusal f on f.run = $1 and f.reason = c.reason and c.letter = '${letterOf('refused')}'`;
