import type { HandoverBody } from '@tantamos/contract';
import { ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('a hand over', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const types = ['hives', 'contacts', 'bookings', 'tasks', 'invoices', 'growers', 'inspections', 'remarks'];
  const image = async (): Promise<unknown> =>
    Promise.all(
      types.map(async (t) => {
        const { rows } = await w.sql.query(
          `select md5(string_agg((to_jsonb(t) - 'updated_at')::text, ',' order by (to_jsonb(t) - 'updated_at')::text)) as it from ${t} t`,
        );
        return rows as unknown;
      }),
    );
  const made = async (body: HandoverBody, person = 'Tobias Fenwick') => {
    let p = await w.admin.makeHandover('staff', person, { safety: { pace: 100 }, ...body });
    for await (const next of w.admin.previewEvents(p.id)) p = next;
    if (p.state !== 'ready') throw new Error(p.trouble ?? p.state);
    return p;
  };

  /** How many growers and bookings each has. */
  const owned = async (): Promise<Map<string, number>> => {
    const { rows } = await w.sql.query<{ owner: string; n: number }>(
      `select owner::text, count(*)::int as n from (select owner from growers union all select owner from bookings) o group by 1`,
    );
    return new Map(rows.map((r) => [r.owner, r.n]));
  };

  it('counts everything that points at a person, what is open apart, who answers for it first', async () => {
    const view = await w.admin.handover('staff', 'Tobias Fenwick');
    expect(view).toMatchObject({ key: '2', name: 'Tobias Fenwick', last: null });
    for (const line of view.lines) {
      const open = line.openWhen === null ? 'true' : line.openWhen;
      const { rows } = await w.sql.query(
        `select count(*)::int as total, count(*) filter (where ${open})::int as open from ${line.type} where ${line.field} = 2`,
      );
      expect({ what: line.type, total: line.total, open: line.open }).toEqual({ what: line.type, ...rows[0] });
    }
    const owners = view.lines.map((l) => l.isOwner);
    expect(owners).toEqual([...owners].sort((a, b) => Number(b) - Number(a)));
    expect(view.lines.filter((l) => !l.isOwner).map((l) => `${l.type}.${l.field}`)).toEqual(
      expect.arrayContaining(['remarks.author', 'inspections.inspector']),
    );
    expect((await refusedWith(w.admin.handover('staff', 'Marta Quill'))).code).toBe('ambiguous_name');
    expect((await refusedWith(w.admin.handover('staff', 'Nobody Atall'))).code).toBe('unknown_name');
  });

  it('is one preview over all types, one run, and counts anew what is left and why; an undo takes all of it back', async () => {
    const before = await image();
    const open = (type: string, field = 'owner') => ({ type, field, which: 'open' }) as const;
    const p = await made({
      lines: [
        { ...open('bookings'), follow: 'grower' },
        open('growers'),
        open('tasks'),
        { ...open('contacts'), which: 'all' },
      ],
      among: [{ to: 'Ines Calloway', weight: 2 }, { to: 'Verity Rushwater' }],
      why: 'Leaves on Friday',
    });
    // What follows others comes after all others.
    expect(p.parts.map((part) => part.type)).toEqual(['growers', 'tasks', 'contacts', 'bookings']);
    expect(p.why).toBe('Leaves on Friday');
    expect(p.sentence).toContain('growers where owner is Tobias Fenwick');
    const growers = p.loads.find((l) => l.part === 0)!;
    expect(growers.people.map(({ person, before: b, after }) => [person.label, after - b])).toEqual([
      ['Tobias Fenwick', -157],
      ['Ines Calloway', 105],
      ['Verity Rushwater', 52],
    ]);
    // Somebody else is quicker with one of them: it is left alone.
    const { rows } = await w.sql.query(
      `update tasks set owner = 9 where id = (select min(id) from tasks where owner = 2 and state = 'open') returning id`,
    );
    const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    expect(run.totals).toMatchObject({ changed: p.totals.will_change - 1, edited_since: 1 });
    const view = await w.admin.handover('staff', '2');
    expect(view.last).toMatchObject({ run: run.id, state: 'finished' });
    const line = (type: string) => view.lines.find((l) => l.type === type)!;
    expect(line('growers')).toMatchObject({ before: { open: 157, total: 184 }, open: 0, total: 27 });
    expect(line('growers').why).toEqual(['27 closed, not asked for']);
    expect(line('contacts')).toMatchObject({ before: { total: 309 }, total: 0, why: [] });
    expect(line('tasks').why[0]).toBe('1 edited since');
    expect(line('hives').why).toEqual(['it was not ticked']);
    expect(line('remarks').why).toEqual(['it says who did something, and was not ticked']);
    const left = line('bookings');
    expect(left.open).toBeGreaterThan(0);
    expect(left.why.at(-1)).toBe(`${left.open} follow a grower still theirs`);
    const back = await w.admin.undoRun(run.id, {});
    await ran(w.admin, back.id, { askAfter: null, expect: back.totals.will_change });
    await w.sql.query('update tasks set owner = 2 where id = $1', [(rows[0] as { id: number }).id]);
    expect(await image()).toEqual(before);
  });

  it.each([
    ['split', 0],
    ['leave', null],
  ] as const)('where the grower goes to none of the receivers: %s', async (rest, left) => {
    const before = await owned();
    const p = await made({
      lines: [
        { type: 'growers', field: 'owner', which: 'all' },
        { type: 'bookings', field: 'owner', which: 'all', follow: 'grower', rest },
      ],
      among: [{ to: 'Ines Calloway' }, { to: 'Verity Rushwater' }],
    });
    const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    expect(run.totals).toMatchObject({ changed: p.totals.will_change, refused: 0, edited_since: 0 });
    // What each comes to have of both types together.
    const after = await owned();
    const inAll = p.loadsInAll!.people;
    expect(inAll.map((l) => [l.person.value, l.before, l.after])).toEqual(
      inAll.map(({ person: { value } }) => [value, before.get(value!) ?? 0, after.get(value!) ?? 0]),
    );
    expect(inAll.map((l) => l.person.label)).toEqual(
      expect.arrayContaining(['Tobias Fenwick', 'Ines Calloway', 'Verity Rushwater']),
    );
    const verity = Number(inAll.find((l) => l.person.label === 'Verity Rushwater')!.person.value);
    const parts = await w.sql.query<{ fits: boolean; owner: number; n: number }>(
      `select coalesce(b.owner = g.owner, false) as fits, b.owner, count(*)::int as n from bookings b join growers g on g.id = b.grower
       where b.id in (select k.key::int from tantamos.batch x cross join lateral rows from
         (unnest(x.keys), string_to_table(x.verdicts, null)) k(key, v) where x.preview = $1 and x.part = 1) group by 1, 2`,
      [p.id],
    );
    const rows = parts.rows;
    const of = (fits: boolean, owner: number) => rows.find((r) => r.fits === fits && r.owner === owner)?.n ?? 0;
    if (left === 0) {
      // Those who follow nobody of the receivers are divided to the record.
      expect(rows.every((r) => [1, verity].includes(r.owner))).toBe(true);
      expect(Math.abs(of(false, 1) - of(false, verity))).toBeLessThanOrEqual(1);
    } else expect(of(false, 2)).toBeGreaterThan(0);
    const back = await w.admin.undoRun(run.id, {});
    await ran(w.admin, back.id, { askAfter: null, expect: back.totals.will_change });
  });

  it.each([
    [{ lines: [{ type: 'growers', field: 'owner', which: 'all' }], among: [] }, 'Say to whom'],
    [
      { lines: [{ type: 'bookings', field: 'owner', which: 'open', follow: 'grower' }], among: [] },
      'can follow only a field that points at records which are handed over',
    ],
    [
      { lines: [{ type: 'growers', field: 'note', which: 'all' }], among: [{ to: 'Ines Calloway' }] },
      'Note of growers does not say whose they are',
    ],
    [{ lines: [{ type: 'growers', field: 'owner', which: 'all' }], among: [{ to: 'Marta Quill' }] }, '2 are called'],
    [
      {
        lines: [
          { type: 'growers', field: 'owner', which: 'all' },
          { type: 'growers', field: 'owner', which: 'open' },
        ],
        among: [{ to: '1' }],
      },
      'handed over twice',
    ],
    [
      {
        lines: [{ type: 'growers', field: 'owner', which: 'all' }],
        among: [
          { to: '1', weight: 0 },
          { to: '5', weight: 0 },
        ],
      },
      'weight',
    ],
  ])('says what is wrong: %#', async (body, words) => {
    const answer = await refusedWith(w.admin.makeHandover('staff', '2', body as HandoverBody));
    expect(answer.status).toBe(400);
    expect(answer.detail).toContain(words);
  });

  it('shows who may see less no more than they may see', async () => {
    await w.admin.addRight({ login: 'piers', effect: 'deny', acts: ['see'], types: ['invoices'] });
    const view = await w.editor.handover('staff', '2');
    expect(JSON.stringify(view)).not.toMatch(/invoice/i);
    expect(
      (
        await refusedWith(
          w.reader.makeHandover('staff', '2', {
            lines: [{ type: 'growers', field: 'owner', which: 'all' }],
            among: [{ to: '1' }],
          }),
        )
      ).detail,
    ).toContain('the right to change them is missing');
  });

  it('what counts as open is a condition of the type', async () => {
    for (const openWhen of [
      'no such thing = 1',
      "in_selection('x')",
      "breaks_rule('x')",
      'owner = me()',
      "owner = 'Tobias Fenwick'",
    ])
      expect((await refusedWith(w.admin.setType('growers', { openWhen }))).status).toBe(400);
    await w.admin.setType('growers', { openWhen: "valley = 'north'" });
    const line = (await w.admin.handover('staff', '2')).lines.find((l) => l.type === 'growers')!;
    const { rows } = await w.sql.query(`select count(*)::int as n from growers where owner = 2 and valley = 'north'`);
    expect(line.open).toBe((rows[0] as { n: number }).n);
  });
});
