import { raw, sql, value, type Sql } from '../../sql/sql';
import { boundedText, charactersOf, type Value } from '../evaluate/value';
import { mostCharacters } from '../limits';
import { short, text as textTerm, type Ground, type Term } from '../term';
import type { FunctionEntry, Parameter } from './entry';
import { patternOf } from './replaced';

// Texts that hold several entries with a separator between them, such as `frost; spring; late`.

const text = (v: Value): string => v as string;
const parameters: readonly Parameter[] = [
  { name: 'text', type: 'text' },
  { name: 'entry', type: 'text' },
  { name: 'separator', type: 'text' },
];

const bare = (t: string): string => t.replace(/^ +| +$/g, '');
/** Spaces around a separator are not part of an entry, unless it is made of nothing else. */
const splitter = (separator: string): string => bare(separator) || separator;

function entriesOf(t: string, separator: string): string[] {
  if (bare(t) === '') return [];
  return separator === '' ? [bare(t)] : bare(t).split(splitter(separator)).map(bare);
}

function withEntry(t: string, entry: string, separator: string): Value {
  if (bare(entry) === '' || entriesOf(t, separator).includes(entry)) return t;
  return boundedText(t === '' ? entry : t + separator + entry);
}

function withoutEntry(t: string, entry: string, separator: string): Value {
  const all = entriesOf(t, separator);
  return bare(entry) !== '' && all.includes(entry) ? boundedText(all.filter((e) => e !== entry).join(separator)) : t;
}

const spaceless = (t: Sql): Sql => sql`btrim(${t}, ' ')`;

/** The entries of a text, as an array. */
function entries(t: Sql, separator: Term): Sql {
  const sign = separator.constant === null ? null : splitter(separator.constant);
  // No entry has the sign in it, so that none has a space around it where that is a space.
  if (sign === ' ') return sql`string_to_array(${spaceless(t)}, ' ')`;
  if (sign !== null && charactersOf(sign).length === 1) {
    const [pattern, by] = [` *${patternOf(sign, 'part', 'same case').database} *`, sign.replace('\\', '\\\\')];
    const close = sql`regexp_replace(${spaceless(t)}, ${value(pattern)}::text, ${value(by)}::text, 'g')`;
    // Only where there is a space to take out.
    return sql`string_to_array(case when strpos(${t}, ' ') = 0 then ${t} else ${close} end, ${value(sign)}::text)`;
  }
  const at =
    sign === null
      ? sql`coalesce(nullif(${spaceless(separator.sql)}, ''), ${separator.sql})`
      : sql`${value(sign)}::text`;
  return sql`array(select ${spaceless(raw('u.e'))} from unnest(string_to_array(nullif(${spaceless(t)}, ''), ${at})) with ordinality u(e, n) order by u.n)`;
}

function made(
  [t, entry, separator]: readonly Term[],
  ground: Ground,
  piece: (t: Sql, entry: Sql, all: Sql) => Sql,
  otherwise: (t: Sql, entry: Sql) => Sql,
): Term {
  const octets = t!.high + entry!.high + separator!.high;
  const native = ground.once(
    [t!.sql, entry!.sql],
    (said, one) => {
      const parted = entries(said, separator!);
      const of = (isAmong: Sql, all: Sql): Sql =>
        sql`case when ${isAmong} then ${piece(said, one, all)} else ${otherwise(said, one)} end`;
      const isOneOf = (all: Sql): Sql => of(sql`${one} = any(${all})`, all);
      const word = separator!.constant === ' ' ? entry!.constant : null;
      // A word between spaces is found without parting; and parting at spaces is quicker done twice than a query of its own
      // is begun.
      const held =
        word !== null && /^[^ ]+$/.test(word)
          ? of(sql`strpos(' ' || ${said} || ' ', ${value(` ${word} `)}::text) > 0`, parted)
          : separator!.constant === ' '
            ? isOneOf(parted)
            : ground.once([parted], (all) => isOneOf(all), 1);
      // What does not stand in it at all is not among its entries: that is soon seen.
      // Nothing is no entry.
      const isNone = bare(entry!.constant ?? '') === '' ? sql`when ${spaceless(one)} = '' then ${said} ` : raw('');
      return sql`(case when ${one} is null or ${separator!.sql} is null then null
      ${isNone}when strpos(${said}, ${one}) > 0 then ${held} else ${otherwise(said, one)} end)`;
    },
    short,
  );
  if (ground.allows(octets <= mostCharacters)) return textTerm(native, octets);
  return textTerm(ground.call('bounded', native), 4 * mostCharacters);
}

export const entryFunctions: readonly FunctionEntry[] = [
  {
    name: 'with_entry',
    group: 'Text',
    source: 'Tantamos',
    doc: 'A text of entries with one more at its end, unless it is among them; the separator stands between.',
    example: "with_entry(note, 'frost', '; ')",
    parameters,
    result: 'text',
    evaluate: ([t, entry, separator]) => withEntry(text(t!), text(entry!), text(separator!)),
    sql: (args, _, ground) =>
      made(
        args,
        ground,
        (t) => t,
        (t, entry) => sql`case when ${t} = '' then ${entry} else ${t} || ${args[2]!.sql} || ${entry} end`,
      ),
  },
  {
    name: 'without_entry',
    group: 'Text',
    source: 'Tantamos',
    doc: 'A text of entries without this one, wherever it stands; the others keep their order.',
    example: "without_entry(note, 'frost', '; ')",
    parameters,
    result: 'text',
    evaluate: ([t, entry, separator]) => withoutEntry(text(t!), text(entry!), text(separator!)),
    sql: (args, _, ground) =>
      made(
        args,
        ground,
        (_t, entry, all) => sql`array_to_string(array_remove(${all}, ${entry}), ${args[2]!.sql})`,
        (t) => t,
      ),
  },
];
