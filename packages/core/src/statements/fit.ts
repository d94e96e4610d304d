import type { Field, RecordType } from '../catalog/catalog';
import { isClock } from '../catalog/kinds/clock';
import { keyColumns, keyText } from '../catalog/key';
import type { Target } from '../edits/change';
import { numberLimits } from '../language/value';
import type { Scope } from '../language/scope';
import { tableOf } from '../language/scope';
import type { Known, Term } from '../language/term';
import type { ValueType } from '../language/types';
import { identifier, join, raw, sql, value, type Sql } from '../sql/sql';

/** What was worked out, as what a field takes. */
export interface Fit {
  /** A value that can be cast to the field's type, wherever none of the causes holds. */
  readonly value: Sql;
  /** `when … then …` each: why the record may not have it. */
  readonly causes: readonly Sql[];
}

/**
 * How a value of the language that was worked out for each record (`made`, a column of what `term` gives) becomes one of
 * the field: rounded to its decimals, a label turned into its choice, a name into the key of its record; and what does not
 * fit, unless it is known that all do.
 */
export function fit(
  made: Sql,
  term: Pick<Term, 'type' | 'known'>,
  field: Field,
  target: Target | null,
  scope: Scope,
): Fit {
  const what = field.label;
  const { type, known } = term;
  if (type === 'blank') return { value: made, causes: [] };
  if (target) return fitRecord(made, type, target.type, scope);
  if (field.refersTo === null && field.choices !== null) return fitChoice(made, type, field);
  if (type === 'number' && field.base === 'number') return fitNumber(made, known, field);
  if (field.base === 'uuid') {
    const isUuid = sql`(${made})::text ~* '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$'`;
    return {
      value: made,
      causes: [sql`when not (${isUuid}) then ${said([`${what} is a UUID; “`, sql`left(${made}, 60)`, '” is none.'])}`],
    };
  }
  if (field.base === 'json' && type === 'text') {
    const words = said([`${what} is JSON; “`, sql`left(${made}, 60)`, '” is not.']);
    return { value: made, causes: [sql`when not tantamos.is_json(${made}) then ${words}`] };
  }
  if (type === 'moment' && isClock(field.dbType))
    return { value: sql`(${made} at time zone ${value(scope.env.timeZone)})`, causes: [] };
  if (type === 'text' && field.maxLength !== null && !(known.high <= field.maxLength)) {
    const characters = sql`char_length(${made})`;
    const most = raw(String(field.maxLength));
    const words = said([`${what} takes ${field.maxLength} characters; this has `, characters, '.']);
    return { value: made, causes: [sql`when ${characters} > ${most} then ${words}`] };
  }
  return { value: made, causes: [] };
}

function fitNumber(made: Sql, known: Known, field: Field): Fit {
  const { scale, precision, label } = field;
  const causes: Sql[] = [];
  let fitted = made;
  if (scale !== null && known.digits <= scale) fitted = made;
  else if (scale === 0) {
    const words = said([`${label} is a whole number; `, made, ' is not. ROUND makes it one.']);
    causes.push(sql`when trunc(${made}) <> ${made} then ${words}`);
  } else if (scale !== null) fitted = sql`round(${made}, ${raw(String(scale))})`;
  const limits = numberLimits(field.dbType, precision, scale);
  if (limits && !(known.low > Number(limits.low) && known.high < Number(limits.high))) {
    const beyond = sql`${fitted} not between ${raw(limits.low)} and ${raw(limits.high)}`;
    const words = said([`${label} takes numbers from ${limits.low} to ${limits.high}; `, fitted, ' is beyond.']);
    causes.push(sql`when ${beyond} then ${words}`);
  }
  return { value: fitted, causes };
}

/** By its stored value or, where none is called so, by its label. */
function fitChoice(made: Sql, type: ValueType, field: Field): Fit {
  const choices = field.choices!;
  const stored = new Set(choices.map((c) => c.value));
  const labels = choices.filter((c) => !stored.has(c.label));
  const one = new Map(labels.map((c) => [c.label, c.value]));
  const several = new Set(labels.filter((c) => one.get(c.label) !== c.value).map((c) => c.label));
  const pairs = [...choices.map((c) => [c.value, c.value] as const), ...[...one].filter(([l]) => !several.has(l))];
  const text = type === 'number' ? sql`trim_scale(${made})::text` : sql`${made}::text`;
  const found = sql`(${value(pairs.map(([, v]) => v))}::text[])[array_position(${value(pairs.map(([k]) => k))}::text[], ${text})]`;
  const list = choices.map((c) => c.label).join(', ');
  const words = said([`${field.label} has no choice “`, sql`left(${text}, 60)`, `”; the choices are ${list}.`]);
  return { value: found, causes: [sql`when ${found} is null then ${words}`] };
}

/** By the name of the one record that has it or, where none has, by its key. */
function fitRecord(made: Sql, type: ValueType, target: RecordType, scope: Scope): Fit {
  const text = type === 'number' ? sql`trim_scale(${made})::text` : sql`${made}::text`;
  const r = raw('t');
  const key = keyText(keyColumns(target, r));
  const keyed = scope.joined(
    sql`(select ${key} as said from ${tableOf(target)} t)`,
    (alias) => sql`${alias}.said = ${text}`,
  );
  const label = target.label.toLowerCase();
  const none = said([`${target.label}: none is called “`, sql`left(${text}, 60)`, '”.']);
  if (type === 'number' || target.nameField === null)
    return { value: sql`${keyed}.said`, causes: [sql`when ${keyed}.said is null then ${none}`] };
  const name = sql`t.${identifier(target.nameField)}::text`;
  const named = scope.joined(
    sql`(select ${name} as said, min(${key}) as key, count(*) as n from ${tableOf(target)} t where ${name} is not null group by 1)`,
    (alias) => sql`${alias}.said = ${text}`,
  );
  return {
    value: sql`coalesce(${named}.key, ${keyed}.said)`,
    causes: [
      sql`when ${named}.n > 1 then ${said([sql`${named}.n`, ` ${label} are called “`, sql`left(${text}, 60)`, '”.'])}`,
      sql`when ${named}.key is null and ${keyed}.said is null then ${none}`,
    ],
  };
}

/** A sentence of words and what the database puts between them. */
export function said(parts: readonly (string | Sql)[]): Sql {
  return sql`concat(${join(
    parts.map((p) => (typeof p === 'string' ? sql`${value(p)}::text` : p)),
    ', ',
  )})`;
}
