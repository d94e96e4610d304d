import {
  asText,
  join,
  keyIs,
  raw,
  Scope,
  sql,
  value,
  wholeSignature,
  type Env,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import type { Slice } from './items';
import { valueJoins } from './rows';

/** A record that does not hold, in this transaction, what was written. */
export interface Stored {
  readonly n: number;
  /** There is a record with its key. */
  readonly present: boolean;
  /** Field → what is stored, of those that hold something else. */
  readonly altered: Readonly<Record<string, string | null>>;
  /** Everything that was written is as it was before. */
  readonly put_back: boolean;
}

/** Which of these records hold something else than was written, by what triggers did before and after; or are not there. */
export function storedOtherwise(
  { type, writes, env }: { readonly type: RecordType; readonly writes: readonly string[]; readonly env: Env },
  slice: Slice,
): Sql {
  const scope = new Scope(type, env);
  const stored = writes.map((f) => asText(scope.own(f)));
  const names = writes.map((_, i) => raw(`new_${i + 1}, old_${i + 1}`));
  const arrays = writes.map((_, i) => raw(`unnest(v${i + 1}.new), unnest(v${i + 1}.old)`));
  const differs = stored.map((s, i) => sql`${s} is distinct from ${raw(`i.new_${i + 1}`)}`);
  const back = stored.map((s, i) => sql`${s} is not distinct from ${raw(`i.old_${i + 1}`)}`);
  const present = sql`${scope.keys()[0]!} is not null`;
  return sql`
    select i.n::int as n, ${present} as present, ${alteredOf(writes, stored, 'i')} as altered, ${join(back, ' and ')} as put_back
    from tantamos.batch b ${valueJoins(writes, 'b.preview', 'b.position')}
    cross join lateral rows from (unnest(b.keys), ${join(arrays, ', ')}) with ordinality i(key, ${join(names, ', ')}, n)
    left join ${scope.from()} on ${keyIs(type, scope.root, raw('i.key'))}
    where b.preview = ${value(slice.previewId)}::uuid and b.position = ${value(slice.batch)}::int
      and i.n = any(${value(slice.only)}::int[]) and (not (${present}) or ${join(differs, ' or ')})`;
}

/** A record that was created: what it is now, and what of it is other than was written. */
export interface StoredNew {
  readonly n: number;
  readonly key: string;
  /** See `wholeSignature`; null: there is no such record. */
  readonly made_as: string | null;
  readonly altered: Readonly<Record<string, string | null>>;
}

/** What records with these keys are as they were created; `expected`: rows of their place `n` and `new_1`… of `writes`. */
export function storedNew(
  { type, writes, env }: { readonly type: RecordType; readonly writes: readonly string[]; readonly env?: Env },
  created: readonly { readonly n: number; readonly key: string }[],
  expected: Sql,
): Sql {
  const scope = new Scope(type, env);
  const stored = writes.map((f) => asText(scope.own(f)));
  const present = sql`${scope.keys()[0]!} is not null`;
  const altered = writes.length > 0 ? alteredOf(writes, stored, 'e') : raw(`'{}'::jsonb`);
  return sql`
    select c.n, c.key, case when ${present} then ${wholeSignature(scope)}::text end as made_as, ${altered} as altered
    from unnest(${value(created.map((c) => c.n))}::int[], ${value(created.map((c) => c.key))}::text[]) c(n, key)
    join (${expected}) e on e.n = c.n
    left join ${scope.from()} on ${keyIs(type, scope.root, raw('c.key'))}`;
}

/** Field → what is stored, as jsonb, of fields that hold something else than `new_1`… of a row. */
function alteredOf(writes: readonly string[], stored: readonly Sql[], row: string): Sql {
  return join(
    writes.map(
      (f, i) =>
        sql`case when ${stored[i]!} is distinct from ${raw(`${row}.new_${i + 1}`)} then jsonb_build_object(${value(f)}::text, ${stored[i]!}) else '{}' end`,
    ),
    ' || ',
  );
}
