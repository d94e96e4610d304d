import 'reflect-metadata';
import { openApi, routes, type Route } from '@tantamos/contract';
import { ProblemError } from '@tantamos/core';
import Ajv from 'ajv';
import addFormats from 'ajv-formats';
import { mutants } from '../testing/mutants';
import { validated } from './validate';

// What the document says of a body, and what the service takes, come from the same classes: here one is held against the other.

const id = 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11';
const selection = { type: 'bookings', filter: 'hives > 0' };
const job = {
  selection: {
    ...selection,
    related: { of: { type: 'growers' }, how: 'pointed_at', field: 'grower', self: true, depth: 2 },
    list: { id, several: 'all', unknown: 'skip' },
    take: { count: 5, order: ['-total'], seed: 'x', per: 'owner' },
    keys: ['1'],
    drop: ['2'],
  },
  edits: [
    { kind: 'set', field: 'status', value: 'placed' },
    { kind: 'fill', field: 'note', value: 'x' },
    { kind: 'clear', field: 'region' },
    { kind: 'put', field: 'hives', values: { 1: 7 } },
    { kind: 'put', field: 'hives', given: { id, count: 1 } },
  ],
  safety: { batchSize: 100, atOnce: 2, pace: 10, askAfter: 5, atMost: 200 },
  why: 'Spring round',
};

/** A body that is right, of each class, with all that it may hold. */
const right: Readonly<Record<string, object>> = {
  JobBody: job,
  RightLineBody: {
    role: 'reader',
    login: 'wren',
    effect: 'allow',
    acts: ['see', 'change'],
    types: ['bookings'],
    fields: ['note'],
    filter: 'owner = me()',
    most: 5,
  },
  RoleBody: { id: 'season', label: 'Seasonal help' },
};

const document = openApi('test') as { components: { schemas: Record<string, object> } };
const ajv = addFormats.default(new Ajv({ strict: false, allErrors: false }));
ajv.addSchema({ $id: 'document', components: document.components });
const told = (name: string, body: unknown): boolean => {
  const fits = ajv.getSchema(`document#/components/schemas/${name}`);
  if (!fits) throw new Error(`The document has no ${name}.`);
  return fits(JSON.parse(JSON.stringify(body))) === true;
};
const classes = new Map(
  Object.values(routes as Readonly<Record<string, Route>>).flatMap((r) =>
    r.body ? [[r.body.name, r.body] as const] : [],
  ),
);
const taken = async (name: string, body: unknown): Promise<boolean> => {
  try {
    await validated(classes.get(name)!, JSON.parse(JSON.stringify(body)));
    return true;
  } catch (error) {
    // Never anything else: what is not a problem becomes a 500.
    if (!(error instanceof ProblemError)) throw error;
    for (const problem of error.problems) expect(problem.message).toMatch(/\.$/);
    return false;
  }
};

describe('bodies of requests', () => {
  it.each(Object.keys(right))('%s is taken, and the document says so', async (name) => {
    expect([await taken(name, right[name]), told(name, right[name])]).toEqual([true, true]);
  });

  it.each(Object.keys(right))('%s: what the service takes is what the document says, and no other', async (name) => {
    const differ: string[] = [];
    let refused = 0;
    for (const { body, at } of mutants(right[name])) {
      const took = await taken(name, body);
      if (!took) refused++;
      if (took !== told(name, body)) differ.push(`${at}: ${took ? 'taken' : 'refused'}`);
    }
    expect(refused).toBeGreaterThan(10);
    expect(differ).toEqual([]);
  });

  it('null in a list is refused where objects are wanted, and stays where anything may stand', async () => {
    expect(await taken('JobBody', { ...job, edits: [null] })).toBe(false);
    const given = { job: { a: [null, 1, { b: [null] }], c: null } };
    expect(await validated(classes.get('DraftBody')!, given)).toEqual(given);
  });

  it('no class takes what is no object, or what has members that it does not know', async () => {
    expect(classes.size).toBeGreaterThan(15);
    for (const name of classes.keys())
      for (const body of [null, 1, 'x', [], [{}], { unheard: 1 }, { then: 1 }])
        expect([name, body, await taken(name, body)]).toEqual([name, body, false]);
  });
});
