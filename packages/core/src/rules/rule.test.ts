import { evaluate, type Readable } from '../language/evaluate/evaluate';
import { noContext, type Context } from '../language/context';
import type { ProblemError } from '../problem';
import { catalog } from '../testing/catalog';
import { checkRule, jobOfRule, mendWords, readAllowed, ruleWords, type RuleSaid } from './rule';

const context: Context = { ...noContext, ofRule: true };
const said = (more: Partial<RuleSaid>): RuleSaid => ({ type: 'bookings', message: 'No.', ...more });
const check = (more: Partial<RuleSaid>) => checkRule('any', said(more), catalog, context);
/** A record as it becomes and, where that is said, as it was. */
const record = (now: Record<string, string>, was: Record<string, string> = now): Readable => ({
  read: ({ field }) => now[field.name] ?? null,
  was: ({ field }) => was[field.name] ?? null,
  children: () => [],
  selected: () => null,
});
const breaks = (more: Partial<RuleSaid>, now: Record<string, string>, was?: Record<string, string>): boolean =>
  evaluate(check(more).broken, record(now, was), context.env) === true;
const problem = (more: Partial<RuleSaid>) => {
  try {
    check(more);
    return null;
  } catch (error) {
    const [first] = (error as ProblemError).problems;
    return [first.code, first.where];
  }
};

describe('a rule', () => {
  it('is broken where it does not hold, or where a blank leaves it open', () => {
    const rule = { where: "status = 'confirmed'", holds: 'hives > 10' };
    expect(breaks(rule, { status: 'confirmed', hives: '20' })).toBe(false);
    expect(breaks(rule, { status: 'confirmed', hives: '5' })).toBe(true);
    expect(breaks(rule, { status: 'confirmed' })).toBe(true);
    expect(breaks(rule, { status: 'draft', hives: '5' })).toBe(false);
    expect(check(rule)).toMatchObject({ fields: ['status', 'hives'], ofChange: false });
  });

  it('asks of a change what it was before', () => {
    const rule = { holds: 'hives >= old(hives)' };
    expect(breaks(rule, { hives: '5' }, { hives: '9' })).toBe(true);
    expect(breaks(rule, { hives: '9' }, { hives: '5' })).toBe(false);
    expect(check(rule).ofChange).toBe(true);
  });

  it('lets a field become only what a table allows, or stay; from what is not listed, anything', () => {
    const rule = {
      transitions: {
        field: 'status',
        allowed: [
          { from: 'draft', to: ['Confirmed'] },
          { from: 'confirmed', to: [] },
        ],
      },
    };
    const goes = (from: string, to: string) => !breaks(rule, { status: to }, { status: from });
    expect(goes('draft', 'confirmed')).toBe(true);
    expect(goes('draft', 'placed')).toBe(false);
    expect(goes('confirmed', 'confirmed')).toBe(true);
    expect(goes('confirmed', 'draft')).toBe(false);
    expect(goes('placed', 'draft')).toBe(true);
  });

  it('narrows the values of a field by those of another; a blank always may stand', () => {
    const rule = { choices: { field: 'hives', by: 'status', allowed: [{ from: 'draft', to: ['1', '2'] }] } };
    expect(breaks(rule, { status: 'draft', hives: '3' })).toBe(true);
    expect(breaks(rule, { status: 'draft', hives: '2' })).toBe(false);
    expect(breaks(rule, { status: 'draft' })).toBe(false);
    expect(breaks(rule, { status: 'placed', hives: '3' })).toBe(false);
    const blank = { choices: { field: 'hives', by: 'site', allowed: [{ from: '', to: [] }] } };
    expect(breaks(blank, { hives: '3' })).toBe(true);
    expect(breaks(blank, { hives: '3', site: '1' })).toBe(false);
  });

  it.each<[string, Partial<RuleSaid>, [string, string]]>([
    ['nothing', {}, ['bad_value', 'holds']],
    ['no message', { holds: 'hives > 1', message: ' ' }, ['bad_value', 'message']],
    ['a type there is not', { type: 'x', holds: 'hives > 1' }, ['unknown_type', 'type']],
    [
      'a value that is no choice',
      { transitions: { field: 'status', allowed: [{ from: 'x', to: [] }] } },
      ['unknown_choice', 'transitions.allowed[0]'],
    ],
    ['an empty table', { transitions: { field: 'status', allowed: [] } }, ['bad_value', 'transitions.allowed']],
    [
      'a line twice',
      {
        transitions: {
          field: 'status',
          allowed: [
            { from: 'draft', to: [] },
            { from: 'draft', to: [] },
          ],
        },
      },
      ['bad_value', 'transitions.allowed'],
    ],
    [
      'a reference',
      { transitions: { field: 'owner', allowed: [{ from: '1', to: [] }] } },
      ['type_mismatch', 'transitions.field'],
    ],
    [
      'a field by itself',
      { choices: { field: 'status', by: 'status', allowed: [{ from: 'draft', to: [] }] } },
      ['bad_value', 'choices.by'],
    ],
    ['old() of what it points at', { holds: "old(owner.name) = 'A'" }, ['syntax', 'holds']],
  ])('cannot be made of %s', (_, wrong, expected) => {
    expect(problem(wrong)).toEqual(expected);
  });

  it('is said in words, and its mend', () => {
    const words = (more: Partial<RuleSaid>) => ruleWords(said(more), catalog, context);
    expect(words({ where: "status = 'draft'", holds: 'hives >= old(hives)' })).toBe(
      'where status is Draft, hives is at least old hives',
    );
    expect(words({ transitions: { field: 'status', allowed: [{ from: 'draft', to: ['confirmed', ''] }] } })).toBe(
      'status: Draft → Confirmed or blank',
    );
    expect(words({ choices: { field: 'hives', by: 'status', allowed: [{ from: 'draft', to: [] }] } })).toBe(
      'hives by status: Draft: nothing',
    );
    expect(words({ holds: 'gone = 1' })).toBe('gone = 1');
    expect(mendWords(said({ mend: [{ kind: 'clear', field: 'note' }] }), catalog)).toBe('clear note');
    expect(mendWords(said({}), catalog)).toBeNull();
  });

  it('leads to the job that mends it', () => {
    const mend = [{ kind: 'clear' as const, field: 'note' }];
    expect(jobOfRule({ name: 'any', type: 'bookings', mend })).toEqual({
      selection: { type: 'bookings', filter: "breaks_rule('any')" },
      edits: mend,
      why: 'Mends what breaks the rule “any”',
    });
    expect(() => jobOfRule({ name: 'any', type: 'bookings', mend: null })).toThrow('has no mend');
  });

  it('reads lines as they are typed', () => {
    expect(readAllowed(' draft ', 'confirmed, Blank,, placed')).toEqual({
      from: 'draft',
      to: ['confirmed', '', 'placed'],
    });
    expect(readAllowed('blank', '')).toEqual({ from: '', to: [] });
  });
});
