import {
  join,
  keyIs,
  raw,
  Scope,
  sql,
  value,
  type Env,
  type Field,
  type OwnRule,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { letter, ownRuleBroken, valueJoins } from './rows';

/** A part of a frozen undo. */
export interface Returned {
  readonly preview: string;
  readonly part: number;
  /** Values are restored, or whole records are. */
  readonly act: 'update' | 'create';
  readonly type: RecordType;
  readonly writes: readonly string[];
  readonly env: Env;
}

/** How many records an undo returns to a state that a rule forbids, or by a change that it forbids: one row of `count`. */
export function returnedToViolation({ preview, part, act, type, writes, env }: Returned, rule: OwnRule): Sql {
  const scope = new Scope(type, env);
  const arrays = writes.map((_, i) => raw(`, unnest(v${i + 1}.new)`));
  const names = writes.map((_, i) => raw(`, new_${i + 1}`));
  const blank = (f: Field): Sql => sql`null::${raw(f.dbType)}`;
  const old = (f: Field): Sql => (act === 'update' ? scope.own(f.name) : blank(f));
  const now = (f: Field): Sql => {
    const at = writes.indexOf(f.name);
    return at < 0 ? old(f) : sql`${raw(`i.new_${at + 1}`)}::${raw(f.dbType)}`;
  };
  // A record that is restored was not there before: all of it is new.
  const changed = act === 'update' ? writes : type.fields.map((f) => f.name);
  const broken = ownRuleBroken(rule, type, changed, scope, old, now);
  const record = act === 'update' ? sql` join ${scope.from()} on ${keyIs(type, scope.root, raw('i.key'))}` : raw('');
  return sql`
    select count(*)::int as count from tantamos.batch b ${valueJoins(writes, 'b.preview', 'b.position')}
    cross join lateral rows from (unnest(b.keys), string_to_table(b.verdicts, null)${join(arrays, '')})
      i(key, verdict${join(names, '')})${record}
    where b.preview = ${value(preview)}::uuid and b.part = ${value(part)} and i.verdict = ${letter('will_change')}
      and ${broken} is not null`;
}
