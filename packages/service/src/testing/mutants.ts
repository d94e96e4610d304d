const odd: readonly unknown[] = [
  null,
  true,
  0,
  -1,
  1.5,
  2 ** 31,
  2 ** 60,
  '',
  ' ',
  'x',
  'x'.repeat(300),
  '\ud800',
  [],
  [null],
  [[]],
  ['x'],
  {},
  { x: 1 },
  { __proto__: null, kind: 'set' },
];

/** The body with each of its members, however deep, put to each odd value, left out, or joined by one that is unknown. */
export function* mutants(
  of: unknown,
  put: (changed: unknown) => unknown = (x) => x,
): Generator<{ body: unknown; at: string }> {
  if (typeof of !== 'object' || of === null) return;
  const members = Object.entries(of);
  const copy = (key: string, value: unknown): unknown =>
    Array.isArray(of) ? of.map((v: unknown, i) => (String(i) === key ? value : v)) : { ...of, [key]: value };
  for (const [key, value] of members) {
    for (const other of odd)
      yield { body: put(copy(key, other)), at: `${key} = ${JSON.stringify(other)?.slice(0, 30)}` };
    if (!Array.isArray(of))
      yield { body: put(Object.fromEntries(members.filter(([k]) => k !== key))), at: `without ${key}` };
    for (const { body, at } of mutants(value, (changed) => put(copy(key, changed)))) yield { body, at: `${key}.${at}` };
  }
  if (!Array.isArray(of)) yield { body: put({ ...of, unheard: 1 }), at: 'unheard of' };
}
