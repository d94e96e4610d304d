import type { JobBody } from '@tantamos/contract';
import { editKinds, type Edit } from '@tantamos/core';
import { AnswerError } from '../../../client/src';
import { previewed, ran } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

// Every edit on every kind of field: it does what it says and is taken back to the last byte, or it is refused with a reason.

const schema = `
  create type mood as enum ('calm', 'lively', 'late');
  create table people (id integer primary key, name text not null, active boolean not null default true);
  insert into people select k, 'person ' || k, k <> 3 from generate_series(1, 5) k;
  create table fields (
    id integer primary key, title text, brief varchar(12), code text unique, stage text check (stage in ('one', 'two', 'three')),
    feeling mood, small smallint, size integer, big bigint, money numeric(12,2), exact numeric, ratio double precision,
    done boolean, day date, clock timestamp, moment timestamptz, tags text[], person integer references people, token uuid,
    data jsonb, hour time, nums integer[], days date[], tokens uuid[]);
  insert into fields
  select k, case when k % 5 > 0 then 'title ' || k end, 'b' || k, 'C' || k, (array['one', 'two', 'three'])[1 + k % 3],
    (array['calm', 'lively']::mood[])[1 + k % 2], k, k * 10, k * 9007199254, k * 1.25, k / 7.0, k / 3.0::float8, k % 2 = 0,
    date '2026-01-30' + k, timestamp '2026-03-29 02:30:00' + k * interval '1 day', timestamptz '2026-10-25 00:30:00+00' + k * interval '1 day',
    array['a', 'b' || k % 2], 1 + k % 5, gen_random_uuid(), jsonb_build_object('k', k), '08:00',
    array[k, 7], array[date '2026-05-01', date '2026-01-30' + k], array[gen_random_uuid(), 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11']
  from generate_series(1, 60) k`;

/** A value that each field takes. */
const given: Readonly<Record<string, string | number | boolean>> = {
  title: 'new',
  brief: 'new',
  code: 'new',
  stage: 'two',
  feeling: 'late',
  small: 7,
  size: 7,
  big: '9007199254740993',
  money: '7.25',
  exact: '0.1234567890123456789',
  ratio: '0.1',
  done: true,
  day: '2027-02-28',
  clock: '2027-02-28 10:00:00.25',
  moment: '2027-02-28T10:00:00.25Z',
  person: 'person 2',
  token: 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11',
  data: '{"k":1.50}',
  hour: '09:30',
};
/** An entry that no list has, and one that every list has, said in another way than it is stored. */
const entries: Readonly<Record<string, { readonly new: string; readonly has: string }>> = {
  tags: { new: 'new', has: 'a' },
  nums: { new: '-2147483648', has: '+007' },
  days: { new: '2027-02-28', has: '2026-05-01' },
  tokens: { new: '0b0eebc9-9c0b-4ef8-bb6d-6bb9bd380a22', has: 'A0EEBC99-9C0B-4EF8-BB6D-6BB9BD380A11' },
};
const lists = Object.keys(entries).join(' ');
const fields = [...Object.keys(given), ...Object.keys(entries)];
const other: Readonly<Record<string, string>> = {
  title: 'brief',
  brief: 'stage',
  code: 'brief',
  size: 'small',
  small: 'size',
};
const formulas: Readonly<Record<string, string>> = {
  ...{
    small: 'small + 1',
    size: 'size * 2',
    big: 'big - 1',
    money: 'money * 1.055',
    exact: 'exact / 3',
    ratio: 'ratio + 0.5',
  },
  ...{ title: "CONCATENATE('no. ', id)", brief: 'UPPER(brief)', code: "CONCATENATE(code, '!')" },
  ...{
    stage: "IF(id > 30, 'Two', 'three')",
    feeling: "'late'",
    done: 'id > 30',
    person: "IF(id > 30, 'person 1', 'person 2')",
  },
  ...{ day: 'day + 1', clock: "TIMESTAMP('2027-01-01T00:00:00Z')", moment: "TIMESTAMP('2027-01-01T00:00:00Z')" },
  ...{ token: "'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11'", data: `'{"k": 2}'`, hour: 'hour' },
  ...Object.fromEntries(Object.keys(entries).map((name) => [name, name])),
};

/** What each kind of edit would be of a field. */
const edits: { readonly [K in Edit['kind']]: (field: string) => JobBody['edits'][number] } = {
  set: (field) => ({ kind: 'set', field, value: given[field] ?? 'x' }),
  fill: (field) => ({ kind: 'fill', field, value: given[field] ?? 'x' }),
  clear: (field) => ({ kind: 'clear', field }),
  compute: (field) => ({ kind: 'compute', field, formula: formulas[field]! }),
  split: (field) => ({ kind: 'split', field, among: [{ to: given[field] ?? 'x' }] }),
  copy: (field) => ({ kind: 'copy', field, from: other[field] ?? field, record: '17' }),
  move: (field) => ({ kind: 'move', field, from: other[field] ?? 'title', filled: 'overwrite' }),
  map: (field) => ({ kind: 'map', field, from: 'id', ranges: [{ below: 31, new: given[field] ?? 'x' }] }),
  replace: (field) => ({ kind: 'replace', field, find: 't', with: 'T' }),
  tidy: (field) => ({ kind: 'tidy', field, how: ['upper'] }),
  shift: (field) => ({ kind: 'shift', field, by: 1 }),
  number: (field) => ({ kind: 'number', field, start: 500 }),
  add: (field) => ({ kind: 'add', field, entries: [entries[field]?.new ?? 'new'] }),
  remove: (field) => ({ kind: 'remove', field, entries: [entries[field]?.has ?? 'a'] }),
  invent: (field) => ({
    kind: 'invent',
    field,
    what: whatOf(field),
    from: fromOf(field),
    to: fromOf(field),
    alike: 'record',
  }),
  put: (field) => ({ kind: 'put', field, values: { '3': given[field] ?? 'x', '9': given[field] ?? 'x' } }),
};

function whatOf(field: string): 'words' | 'number' | 'date' | 'choice' {
  if (['small', 'size', 'big', 'money', 'exact', 'ratio'].includes(field)) return 'number';
  if (['day', 'clock', 'moment'].includes(field)) return 'date';
  return field === 'stage' || field === 'feeling' ? 'choice' : 'words';
}
const fromOf = (field: string): string | undefined =>
  ({ number: '77', date: '2030-05-05', words: '1', choice: undefined })[whatOf(field)];

/** Fields that an edit is not for, and why. */
const leftOut: { readonly [K in Edit['kind']]: Readonly<Record<string, RegExp>> } = {
  set: { code: /would be there 60 times/, [lists]: /add and remove say/ },
  fill: { [lists]: /add and remove say/ },
  clear: {},
  compute: {},
  split: { code: /would be there 60 times/, [lists]: /add and remove say/ },
  copy: { code: /would be there 60 times/, [lists]: /cannot be taken over/ },
  move: {
    'stage feeling': /has no choice/,
    person: /none is called/,
    token: /is a UUID; “…” is none/,
    data: /is JSON; “…” is not/,
    [`big money exact ratio done day clock moment ${lists}`]: /but this is a text/,
  },
  map: { code: /would be there 30 times/, [lists]: /add and remove say/ },
  replace: {
    [`stage feeling small size big money exact ratio done day clock moment person token data ${lists}`]:
      /no free text; map says/,
  },
  tidy: {
    [`stage feeling small size big money exact ratio done day clock moment person token data ${lists}`]:
      /is no free text/,
  },
  shift: { [`title brief code stage feeling done person token data ${lists}`]: /neither a number nor a date/ },
  number: { [`stage feeling done day clock moment person token data ${lists}`]: /takes no running numbers/ },
  add: { 'stage feeling small size big money exact ratio done day clock moment person token data': /holds no entries/ },
  remove: {
    'stage feeling small size big money exact ratio done day clock moment person token data': /holds no entries/,
  },
  invent: { [`done person token data ${lists}`]: /takes no words/ },
  put: { code: /would be there 2 times/, [lists]: /add and remove say/ },
};
/** Where there is nothing for it to do here. */
const nothingToDo: Partial<Record<Edit['kind'], string>> = {
  compute: lists,
  fill: 'brief code stage feeling small size big money exact ratio done day clock moment person token data',
  replace: 'brief code',
  tidy: 'code',
  remove: 'title brief code',
};

describe('every edit on every kind of field', () => {
  let w: Workspace;
  beforeAll(async () => {
    w = await openWorkspace({ template: 'blank_template', before: (sql) => sql.query(schema) });
  });
  afterAll(() => w.close());

  const sum = async (): Promise<string> =>
    (await w.sql.query<{ sum: string }>(`select md5(string_agg(f::text, E'\\n' order by id)) as sum from fields f`))
      .rows[0]!.sum;

  /** What became of an edit: how many changed, or why it was refused. */
  const tried = async (edit: JobBody['edits'][number]): Promise<number | string> => {
    const before = await sum();
    const job: JobBody = { selection: { type: 'fields' }, edits: [edit], safety: { pace: 100 } };
    try {
      const p = await previewed(w.admin, job);
      if (p.totals.will_change === 0)
        return p.totals.already_right === 60 ? 0 : `none: ${p.causes.map((c) => c.cause).join(' ')}`;
      const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
      expect(run.totals).toMatchObject({ changed: p.totals.will_change, refused: 0, edited_since: 0 });
      expect(await sum()).not.toBe(before);
      const again = await previewed(w.admin, job);
      // What is as it should be stays so; what goes on from where it is goes on.
      if (!['shift', 'move', 'compute'].includes(edit.kind))
        expect([edit.kind, again.totals.will_change]).toEqual([edit.kind, 0]);
      await ran(w.admin, (await w.admin.undoRun(run.id, {})).id, { expect: run.totals.changed });
      expect(await sum()).toBe(before);
      return p.totals.will_change;
    } catch (error) {
      if (!(error instanceof AnswerError)) throw error;
      expect([edit, error.details.status]).toEqual([edit, 400]);
      return error.message;
    }
  };

  it.each(editKinds)('%s', async (kind) => {
    const became = new Map<string, number | string>();
    for (const field of fields) became.set(field, await tried(edits[kind](field)));
    const reasons = Object.entries({ ...leftOut[kind], hour: /cannot be changed: fields of the database type time/ });
    for (const [said, reason] of reasons)
      for (const field of said.split(' ')) {
        expect([field, became.get(field)]).toEqual([field, expect.stringMatching(reason)]);
        became.delete(field);
      }
    const nothing = (nothingToDo[kind] ?? '').split(' ').filter(Boolean);
    for (const [field, count] of became) expect([field, count]).toEqual([field, expect.any(Number)]);
    expect([...became].filter(([, count]) => count === 0).map(([field]) => field)).toEqual(nothing);
  });

  it('a shuffle: each value goes to one record, and back', async () => {
    const values = async (field: string): Promise<string> =>
      (
        await w.sql.query(
          `select string_agg(${field}::text, E'\\n' order by ${field}::text collate "C") as all from fields`,
        )
      ).rows[0].all as string;
    const moved = new Map<string, number>();
    for (const field of fields.filter((f) => f !== 'hour')) {
      const [before, all] = [await sum(), await values(field)];
      const edits: JobBody['edits'] = [{ kind: 'invent', field, what: 'shuffle', seed: 'kinds' }];
      // Values that may be there once go round in one batch, or not at all.
      const p = await previewed(w.admin, {
        selection: { type: 'fields' },
        edits,
        safety: { pace: 100, batchSize: field === 'code' ? 60 : 7 },
      });
      expect([field, p.totals.not_allowed]).toEqual([field, 0]);
      moved.set(field, p.totals.will_change);
      if (p.totals.will_change === 0) continue;
      const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
      expect([field, run.totals.changed]).toEqual([field, p.totals.will_change]);
      expect([field, await values(field)]).toEqual([field, all]);
      await ran(w.admin, (await w.admin.undoRun(run.id, {})).id, { expect: run.totals.changed });
      expect([field, await sum()]).toEqual([field, before]);
    }
    expect([...moved].filter(([, count]) => count === 0).map(([field]) => field)).toEqual([]);
  });
});
