/** One request that tries to take more than its share. */
export interface Hostile {
  readonly name: string;
  readonly path: string;
  /** JSON as it is sent. */
  readonly body: () => Buffer<ArrayBuffer>;
  /** Sent by somebody who is not signed in. */
  readonly stranger?: true;
}

const search = (type: string) => `/api/types/${type}/search`;
const list = (text: string, type: string, field: string): string =>
  JSON.stringify({ text, targets: [{ type, fields: [field] }] });
const filter = (text: string): string => JSON.stringify({ filter: text, count: 'exact' });
const many = (n: number, one: (i: number) => string, between: string): string =>
  Array.from({ length: n }, (_, i) => one(i)).join(between);

/** The same body again, made once. */
const once = (make: () => string): (() => Buffer<ArrayBuffer>) => {
  let made: Buffer<ArrayBuffer> | undefined;
  return () => (made ??= Buffer.from(make()));
};

/** The worst that is known of each kind: what froze an earlier version, and what stands nearest to a limit. */
const said: readonly (Omit<Hostile, 'body'> & { readonly body: () => string })[] = [
  { name: 'a list of 7.9 million letters', path: '/api/lists', body: () => list('a'.repeat(7.9e6), 'growers', 'name') },
  {
    name: 'a list of 50,000 codes',
    path: '/api/lists',
    body: () =>
      list(
        many(50_000, (i) => `B-${String(i).padStart(7, '0')}`, '\n'),
        'bookings',
        'reference',
      ),
  },
  {
    name: 'a list of 99,000 names',
    path: '/api/lists',
    body: () =>
      list(
        many(99_000, (i) => `some name of a grower ${i}`, '\n'),
        'growers',
        'name',
      ),
  },
  { name: 'a filter of 900,000 brackets', path: search('bookings'), body: () => filter('('.repeat(900_000)) },
  {
    name: 'a filter of 500 misspelt names',
    path: search('bookings'),
    body: () => filter(many(500, (i) => `owner = '${`Ines Callowai${i}`.padEnd(95, 'x')}'`, ' OR ')),
  },
  {
    name: 'a filter of 2,900 conditions',
    path: search('bookings'),
    body: () => filter(many(2900, (i) => `hives = ${i}`, ' OR ')),
  },
  {
    name: 'the same, explained',
    path: '/api/types/bookings/explain',
    body: () => filter(many(1400, () => 'hives = 3', ' AND ')),
  },
  {
    name: 'the same, in JSON',
    path: search('bookings'),
    body: () =>
      `{"filter":{"op":"and","args":[${many(2900, () => '{"op":"=","args":[{"property":"hives"},1]}', ',')}]}}`,
  },
  {
    name: 'a list of 9,900 values in a filter',
    path: search('bookings'),
    body: () => filter(`hives IN (${many(9900, String, ',')})`),
  },
  {
    name: '50,000 picked keys',
    path: search('bookings'),
    body: () => JSON.stringify({ keys: Array.from({ length: 50_000 }, (_, i) => String(i)), count: 'exact' }),
  },
  {
    name: '29,000 values, one a record',
    path: '/api/previews',
    body: () =>
      JSON.stringify({
        selection: { type: 'bookings' },
        edits: [
          {
            kind: 'put',
            field: 'hives',
            values: Object.fromEntries(Array.from({ length: 29_000 }, (_, i) => [String(i), '3'])),
          },
        ],
      }),
  },
  {
    name: 'JSON of 100,000 levels',
    path: search('bookings'),
    body: () => `{"filter":${'{"a":'.repeat(100_000)}1${'}'.repeat(100_000)}}`,
  },
  {
    name: 'JSON of 400,000 members',
    path: search('bookings'),
    body: () => `{${many(400_000, (i) => `"m${i}":1`, ',')}}`,
  },
  {
    name: 'JSON of 1,500,000 texts',
    path: search('bookings'),
    body: () => `{"columns":[${'"aa",'.repeat(1_500_000)}"a"]}`,
  },
  {
    name: 'a workbook of 22,000 records',
    path: '/api/types/inspections/export',
    body: () => JSON.stringify({ format: 'xlsx' }),
  },
  {
    name: 'a pattern of 5,000 wildcards',
    path: search('remarks'),
    body: () => filter(`body LIKE '${'%a'.repeat(5000)}'`),
  },
  {
    name: '190 functions, one in another',
    path: search('bookings'),
    body: () => filter(`${'ABS('.repeat(190)}hives${')'.repeat(190)} = 1`),
  },
  {
    name: '7 MB of a stranger',
    path: '/api/sessions',
    body: () => `{"login":"${'x'.repeat(7e6)}"}`,
    stranger: true,
  },
];

export const hostile: readonly Hostile[] = said.map((h) => ({ ...h, body: once(h.body) }));
