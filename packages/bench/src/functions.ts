import Table from 'cli-table3';
import type { Client } from 'pg';
import type { Service } from './service';
import { inTurn } from './turns';

/** The same in the language and in SQL as somebody would write it by hand. */
interface Both {
  readonly ours: string;
  readonly hand: string;
}

/** A function on a column, and what makes of its result something that it can be used on again. */
interface Measured {
  readonly name: string;
  readonly on: string;
  readonly ours: (x: string) => string;
  readonly hand: (x: string) => string;
  readonly again?: { readonly ours: (x: string) => string; readonly hand: (x: string) => string };
  /** What is asked of the result. */
  readonly is: string | Both;
}

export interface Taken {
  readonly name: string;
  /** Medians in ms, and how many times the second. */
  readonly one: Compared;
  readonly three: Compared;
}

interface Compared extends Both {
  readonly found: number;
  readonly ms: number;
  readonly handMs: number;
  readonly ratio: number;
}

const columns = `
  id integer primary key, hives integer, total numeric(12,2), code text, name text, note text, said text, day_said text,
  region text, start_on date, end_on date, seen_at timestamptz, tags text[]`;

async function makeSamples(db: Client, rows: number): Promise<void> {
  await db.query('drop table if exists samples cascade');
  await db.query(`create table samples (${columns}) with (autovacuum_enabled = off)`);
  await db.query(
    `insert into samples select n, n * 7 % 500, (n::bigint * 7727 % 900000) / 100.0 - 1000, 'B-' || lpad(n::text, 6, '0'),
       'Rolling meadow ' || n % 97 || ' orchards', case when n % 10 > 0 then 'frost  in row ' || n % 300 end,
       case when n % 10 > 0 then (n % 900 / 4.0)::numeric(8,2)::text else 'none' end,
       (date '2024-01-01' + n % 900)::text, case when n % 9 > 0 then (array['North', 'South', 'Valley'])[1 + n % 3] end,
       date '2024-01-01' + n % 900, date '2024-01-01' + n % 900 + n % 60, timestamptz '2024-01-01Z' + n % 900000 * interval '1 minute',
       (array['{steep}', '{steep,early bloom}', '{}'])[1 + n % 3]::text[]
     from generate_series(1, $1::int) n`,
    [rows],
  );
  await db.query('vacuum analyze samples');
}

const icu = 'collate "und-x-icu"';
const day = (text: string): Both => ({ ours: `= DATE('${text}')`, hand: `= date '${text}'` });
const sameText = (name: string, call: (x: string) => string, hand = call): Measured => ({
  name,
  on: 'name',
  ours: call,
  hand,
  is: `= 'x'`,
});
/** A question of a text, asked again of one text or another as it was answered. */
const ofText = (name: string, on: string, ours: (x: string) => string, hand: (x: string) => string): Measured => ({
  name,
  on,
  ours,
  hand,
  again: { ours: (x) => `IF(${x}, code, ${on})`, hand: (x) => `case when ${x} then code else ${on} end` },
  is: '',
});
/** A number of a date, and so many days after another. */
const ofDate = (name: string, ours: (x: string) => string, hand: (x: string) => string): Measured => ({
  name,
  on: 'start_on',
  ours,
  hand,
  again: { ours: (x) => `(start_on + ${x})`, hand: (x) => `(start_on + (${x})::int)` },
  is: '= 3',
});
const dateToDate = (name: string, ours: (x: string) => string, hand: (x: string) => string): Measured => ({
  name,
  on: 'start_on',
  ours,
  hand,
  is: day('2025-06-30'),
});
const may = { ours: "INTERVAL('2025-05-01', '2025-05-31')", from: "date '2025-05-01'", to: "date '2025-05-31'" };
/** A stretch from a day to `end_on` beside May. */
const ofTime = (name: string, hand: (a1: string, a2: string, b1: string, b2: string) => string): Measured => ({
  name,
  on: 'start_on',
  ours: (x) => `${name}(INTERVAL(${x}, end_on), ${may.ours})`,
  hand: (x) => `(${hand(x, 'end_on', may.from, may.to)})`,
  again: { ours: (x) => `IF(${x}, end_on, start_on)`, hand: (x) => `case when ${x} then end_on else start_on end` },
  is: '',
});
const ofList = (name: string, hand: (x: string) => string): Measured => ({
  name,
  on: 'tags',
  ours: (x) => `${name}(${x}, ('steep', 'early bloom'))`,
  hand,
  again: undefined,
  is: '',
});

const measured: readonly Measured[] = [
  sameText(
    'UPPER',
    (x) => `UPPER(${x})`,
    (x) => `upper(${x} ${icu})`,
  ),
  sameText(
    'LOWER',
    (x) => `LOWER(${x})`,
    (x) => `lower(${x} ${icu})`,
  ),
  sameText(
    'PROPER',
    (x) => `PROPER(${x})`,
    (x) => `initcap(${x} ${icu})`,
  ),
  sameText(
    'TRIM',
    (x) => `TRIM(${x})`,
    (x) => `btrim(regexp_replace(${x}, ' +', ' ', 'g'), ' ')`,
  ),
  sameText(
    'CASEI',
    (x) => `CASEI(${x})`,
    (x) => `lower(upper(lower(${x} ${icu}) ${icu}) ${icu})`,
  ),
  sameText(
    'ACCENTI',
    (x) => `ACCENTI(${x})`,
    (x) => `normalize(regexp_replace(normalize(${x}, nfd), '[\\u0300-\\u036f]', '', 'g'), nfc)`,
  ),
  sameText(
    'LEFT',
    (x) => `LEFT(${x}, 12)`,
    (x) => `left(${x}, 12)`,
  ),
  sameText(
    'RIGHT',
    (x) => `RIGHT(${x}, 12)`,
    (x) => `right(${x}, 12)`,
  ),
  sameText(
    'MID',
    (x) => `MID(${x}, 2, 20)`,
    (x) => `substr(${x}, 2, 20)`,
  ),
  sameText(
    'SUBSTITUTE',
    (x) => `SUBSTITUTE(${x}, 'o', 'oo')`,
    (x) => `replace(${x}, 'o', 'oo')`,
  ),
  sameText(
    'replaced',
    (x) => `replaced(${x}, 'MEADOW', 'field', 'word', 'any case')`,
    (x) => `regexp_replace(${x}, '\\mmeadow\\M', 'field', 'gi')`,
  ),
  sameText(
    'digits',
    (x) => `digits(${x})`,
    (x) => `regexp_replace(${x}, '[^0-9]', '', 'g')`,
  ),
  sameText(
    'with_entry',
    (x) => `with_entry(${x}, 'spring', ' ')`,
    (x) => `case when 'spring' = any(string_to_array(${x}, ' ')) then ${x} else ${x} || ' spring' end`,
  ),
  sameText(
    'without_entry',
    (x) => `without_entry(${x}, 'meadow', ' ')`,
    (x) =>
      `case when 'meadow' = any(string_to_array(${x}, ' '))
        then array_to_string(array_remove(string_to_array(${x}, ' '), 'meadow'), ' ') else ${x} end`,
  ),
  sameText(
    'CONCATENATE',
    (x) => `CONCATENATE(${x}, ' ', code)`,
    (x) => `concat(${x}, ' ', code)`,
  ),
  sameText(
    'pad',
    (x) => `pad(${x}, 30, '.')`,
    (x) => `lpad(${x}, greatest(30, char_length(${x})), '.')`,
  ),
  {
    name: 'LEN',
    on: 'name',
    ours: (x) => `LEN(${x})`,
    hand: (x) => `char_length(${x})`,
    again: { ours: (x) => `LEFT(name, ${x})`, hand: (x) => `left(name, ${x})` },
    is: '= 23',
  },
  {
    name: 'TEXT',
    on: 'total',
    ours: (x) => `TEXT(${x})`,
    hand: (x) => `trim_scale(${x}::numeric)::text`,
    again: { ours: (x) => `LEN(${x})`, hand: (x) => `char_length(${x})` },
    is: `= '12.5'`,
  },
  {
    name: 'VALUE',
    on: 'said',
    ours: (x) => `VALUE(${x})`,
    hand: (x) => `case when ${x} ~ '^ *[+-]?[0-9]+(\\.[0-9]*)? *$' then (${x})::numeric end`,
    again: { ours: (x) => `TEXT(${x})`, hand: (x) => `trim_scale(${x})::text` },
    is: '= 12.5',
  },
  ofText(
    'starts_with',
    'name',
    (x) => `starts_with(${x}, 'Rolling')`,
    (x) => `starts_with(${x}, 'Rolling')`,
  ),
  ofText(
    'ends_with',
    'name',
    (x) => `ends_with(${x}, 'ards')`,
    (x) => `(right(${x}, 4) = 'ards')`,
  ),
  ofText(
    'contains',
    'name',
    (x) => `contains(${x}, '7 o')`,
    (x) => `(strpos(${x}, '7 o') > 0)`,
  ),
  ofText(
    'ISBLANK',
    'region',
    (x) => `ISBLANK(${x})`,
    (x) => `(${x} is null or ${x} = '')`,
  ),
  {
    name: 'IF',
    on: 'hives',
    ours: (x) => `IF(${x} > 100, ${x} - 50, hives)`,
    hand: (x) => `case when ${x} > 100 then ${x} - 50 else hives end`,
    is: '= 30',
  },
  {
    name: 'IFS',
    on: 'hives',
    ours: (x) => `IFS(${x} > 400, 1, ${x} > 100, 300, TRUE, hives)`,
    hand: (x) => `case when ${x} > 400 then 1 when ${x} > 100 then 300 else hives end`,
    is: '= 1',
  },
  {
    name: 'SWITCH',
    on: 'region',
    ours: (x) => `SWITCH(${x}, 'North', 'South', 'South', 'North', region)`,
    hand: (x) => `case ${x} when 'North' then 'South' when 'South' then 'North' else region end`,
    is: `= 'South'`,
  },
  sameText(
    'COALESCE',
    (x) => `COALESCE(region, ${x})`,
    (x) => `coalesce(region, ${x})`,
  ),
  {
    name: 'ROUND',
    on: 'total',
    ours: (x) => `ROUND(${x}, 1)`,
    hand: (x) => `round(${x}, 1)`,
    again: { ours: (x) => `(${x} / 2)`, hand: (x) => `(${x} / 2)` },
    is: '= 12.5',
  },
  {
    name: 'ROUNDUP',
    on: 'total',
    ours: (x) => `ROUNDUP(${x}, 1)`,
    hand: (x) => `(sign(${x}) * ceil(abs(${x}) * 10) / 10)`,
    again: { ours: (x) => `(${x} / 2)`, hand: (x) => `(${x} / 2)` },
    is: '= 12.5',
  },
  {
    name: 'ROUNDDOWN',
    on: 'total',
    ours: (x) => `ROUNDDOWN(${x}, 1)`,
    hand: (x) => `trunc(${x}, 1)`,
    again: { ours: (x) => `(${x} / 2)`, hand: (x) => `(${x} / 2)` },
    is: '= 12.5',
  },
  {
    name: 'ABS',
    on: 'total',
    ours: (x) => `ABS(${x})`,
    hand: (x) => `abs(${x})`,
    again: { ours: (x) => `(${x} - 100)`, hand: (x) => `(${x} - 100)` },
    is: '= 12.5',
  },
  {
    name: 'INT',
    on: 'total',
    ours: (x) => `INT(${x})`,
    hand: (x) => `floor(${x})`,
    again: { ours: (x) => `(${x} * 1.5)`, hand: (x) => `(${x} * 1.5)` },
    is: '= 12',
  },
  {
    name: 'MOD',
    on: 'hives',
    ours: (x) => `MOD(${x}, 60)`,
    hand: (x) => `mod(${x}, 60)`,
    again: { ours: (x) => `(${x} * 7)`, hand: (x) => `(${x} * 7)` },
    is: '= 3',
  },
  { name: 'MIN', on: 'hives', ours: (x) => `MIN(${x}, id)`, hand: (x) => `least(${x}, id)`, is: '= 3' },
  {
    name: 'MAX',
    on: 'start_on',
    ours: (x) => `MAX(${x}, end_on)`,
    hand: (x) => `greatest(${x}, end_on)`,
    is: day('2025-06-30'),
  },
  {
    name: 'TODAY',
    on: 'start_on',
    ours: (x) => `MAX(${x}, TODAY() - 300)`,
    hand: (x) => `greatest(${x}, current_date - 300)`,
    is: day('2025-06-30'),
  },
  {
    name: 'NOW',
    on: 'seen_at',
    ours: (x) => `MIN(${x}, NOW())`,
    hand: (x) => `least(${x}, now())`,
    is: { ours: `= TIMESTAMP('2025-01-01T00:00:00Z')`, hand: `= timestamptz '2025-01-01Z'` },
  },
  ofDate(
    'YEAR',
    (x) => `YEAR(${x})`,
    (x) => `extract(year from ${x})`,
  ),
  ofDate(
    'MONTH',
    (x) => `MONTH(${x})`,
    (x) => `extract(month from ${x})`,
  ),
  ofDate(
    'DAY',
    (x) => `DAY(${x})`,
    (x) => `extract(day from ${x})`,
  ),
  ofDate(
    'WEEKDAY',
    (x) => `WEEKDAY(${x}, 2)`,
    (x) => `extract(isodow from ${x})`,
  ),
  ofDate(
    'DATEDIF',
    (x) => `DATEDIF(${x}, end_on, 'm')`,
    (x) => `(extract(year from age(end_on, ${x})) * 12 + extract(month from age(end_on, ${x})))`,
  ),
  {
    name: 'NETWORKDAYS',
    on: 'start_on',
    ours: (x) => `NETWORKDAYS(${x}, end_on)`,
    hand: (x) =>
      `(5 * ((date_trunc('week', end_on)::date - date_trunc('week', ${x})::date) / 7)
        + least(extract(isodow from end_on), 5) - least(extract(isodow from ${x}), 6) + 1)`,
    again: { ours: (x) => `(start_on - ${x})`, hand: (x) => `(start_on - (${x})::int)` },
    is: '= 30',
  },
  {
    name: 'with_clock',
    on: 'seen_at',
    ours: (x) => `with_clock(start_on, ${x})`,
    hand: (x) => `((start_on + (${x} at time zone 'UTC')::time) at time zone 'UTC')`,
    is: { ours: "> TIMESTAMP('2026-05-01T08:00:00Z')", hand: "> timestamptz '2026-05-01 08:00Z'" },
  },
  dateToDate(
    'EDATE',
    (x) => `EDATE(${x}, 1)`,
    (x) => `(${x} + interval '1 month')::date`,
  ),
  dateToDate(
    'EOMONTH',
    (x) => `EOMONTH(${x}, 1)`,
    (x) => `(date_trunc('month', ${x}) + interval '2 months - 1 day')::date`,
  ),
  dateToDate(
    'WORKDAY',
    (x) => `WORKDAY(${x}, 3)`,
    (x) => `(${x} + (array[3, 3, 5, 5, 5, 4, 3])[extract(isodow from ${x})::int])`,
  ),
  dateToDate(
    'start_of',
    (x) => `start_of(${x}, 'month')`,
    (x) => `date_trunc('month', ${x})::date`,
  ),
  dateToDate(
    'next_weekday',
    (x) => `next_weekday(${x}, 'monday')`,
    (x) => `(date_trunc('week', ${x})::date + 7)`,
  ),
  {
    name: 'DATEVALUE',
    on: 'day_said',
    ours: (x) => `DATEVALUE(${x})`,
    hand: (x) => `case when ${x} ~ '^[0-9]{4}-[0-9]{2}-[0-9]{2}$' then (${x})::date end`,
    again: { ours: (x) => `TEXT(${x})`, hand: (x) => `(${x})::text` },
    is: day('2025-06-30'),
  },
  ofList('A_CONTAINS', (x) => `(${x} @> array['steep', 'early bloom'])`),
  ofList('A_CONTAINEDBY', (x) => `(${x} <@ array['steep', 'early bloom'])`),
  ofList('A_EQUALS', (x) => `(${x} @> array['steep', 'early bloom'] and ${x} <@ array['steep', 'early bloom'])`),
  ofList('A_OVERLAPS', (x) => `(${x} && array['steep', 'early bloom'])`),
  ofTime('T_AFTER', (a1, _a2, _b1, b2) => `${a1} > ${b2}`),
  ofTime('T_BEFORE', (_a1, a2, b1) => `${a2} < ${b1}`),
  ofTime('T_CONTAINS', (a1, a2, b1, b2) => `${a1} < ${b1} and ${a2} > ${b2}`),
  ofTime('T_DISJOINT', (a1, a2, b1, b2) => `${a1} > ${b2} or ${a2} < ${b1}`),
  ofTime('T_DURING', (a1, a2, b1, b2) => `${a1} > ${b1} and ${a2} < ${b2}`),
  ofTime('T_EQUALS', (a1, a2, b1, b2) => `${a1} = ${b1} and ${a2} = ${b2}`),
  ofTime('T_FINISHEDBY', (a1, a2, b1, b2) => `${a1} < ${b1} and ${a2} = ${b2}`),
  ofTime('T_FINISHES', (a1, a2, b1, b2) => `${a1} > ${b1} and ${a2} = ${b2}`),
  ofTime('T_INTERSECTS', (a1, a2, b1, b2) => `${a1} <= ${b2} and ${a2} >= ${b1}`),
  ofTime('T_MEETS', (_a1, a2, b1) => `${a2} = ${b1}`),
  ofTime('T_METBY', (a1, _a2, _b1, b2) => `${a1} = ${b2}`),
  ofTime('T_OVERLAPPEDBY', (a1, a2, b1, b2) => `${a1} > ${b1} and ${a1} < ${b2} and ${a2} > ${b2}`),
  ofTime('T_OVERLAPS', (a1, a2, b1, b2) => `${a1} < ${b1} and ${a2} > ${b1} and ${a2} < ${b2}`),
  ofTime('T_STARTEDBY', (a1, a2, b1, b2) => `${a1} = ${b1} and ${a2} > ${b2}`),
  ofTime('T_STARTS', (a1, a2, b1, b2) => `${a1} = ${b1} and ${a2} < ${b2}`),
];

/** The names that are measured. */
export const measuredFunctions: readonly string[] = measured.map((m) => m.name);

/** A function once, and in itself three times, in both languages. */
function asked(m: Measured, times: number): Both {
  const is = typeof m.is === 'string' ? { ours: m.is, hand: m.is } : m.is;
  let [ours, hand] = [m.on, m.on];
  for (let i = 0; i < times; i++) {
    if (i > 0) [ours, hand] = [m.again?.ours(ours) ?? ours, m.again?.hand(hand) ?? hand];
    [ours, hand] = [m.ours(ours), m.hand(hand)];
  }
  return { ours: `${ours} ${is.ours}`, hand: `${hand} ${is.hand}` };
}

/** A list is no result: three of its questions stand one in the other by what they choose. */
function askedOfLists(m: Measured, times: number): Both {
  let [ours, hand] = [m.ours(m.on), m.hand(m.on)];
  for (let i = 1; i < times; i++) {
    ours = `IF(${ours}, ${m.ours(m.on)}, region = 'North')`;
    hand = `case when ${hand} then ${m.hand(m.on)} else region = 'North' end`;
  }
  return { ours, hand };
}

/** Every function, once and three times in itself, counted over all rows beside the same by hand, in turn. */
export async function functionFigures(
  db: Client,
  { client }: Service,
  rows: number,
  say: (what: string) => void,
  only?: string,
) {
  await makeSamples(db, rows);
  const compare = async (both: Both): Promise<Compared> => {
    const counts: [number, number] = [0, 0];
    const [ms, handMs] = await inTurn(
      async () =>
        (counts[0] = (await client.search('samples', { filter: both.ours, limit: 0, count: 'exact' })).numberMatched!),
      async () => {
        const { rows: found } = await db.query<{ n: string }>(`select count(*) as n from samples where ${both.hand}`);
        counts[1] = Number(found[0]!.n);
      },
      5,
    );
    if (counts[0] !== counts[1]) throw new Error(`${both.ours} finds ${counts[0]}, ${both.hand} ${counts[1]}.`);
    return { ...both, found: counts[0], ms, handMs, ratio: ms / handMs };
  };
  const taken: Taken[] = [];
  for (const m of measured.filter(({ name }) => only === undefined || only.split(',').includes(name))) {
    const ask = m.on === 'tags' ? askedOfLists : asked;
    const [one, three] = [await compare(ask(m, 1)), await compare(ask(m, 3))];
    say(`${m.name}: ${one.ratio.toFixed(2)}, three nested ${three.ratio.toFixed(2)}`);
    taken.push({ name: m.name, one, three });
  }
  return taken;
}

export function functionTable(taken: readonly Taken[], rows: number): string {
  const table = new Table({
    head: [`${rows.toLocaleString('en-US')} rows, ms`, 'once', 'by hand', 'ratio', 'three nested', 'by hand', 'ratio'],
    style: { head: [], border: [] },
    colAligns: ['left', 'right', 'right', 'right', 'right', 'right', 'right'],
  });
  const cells = (c: Compared): string[] => [c.ms.toFixed(0), c.handMs.toFixed(0), c.ratio.toFixed(2)];
  for (const { name, one, three } of taken) table.push([name, ...cells(one), ...cells(three)]);
  return table.toString();
}
