import fc from 'fast-check';
import { catalog } from '../testing/catalog';
import { ProblemError } from '../problem';
import { render } from '../sql/sql';
import { closest } from '../catalog/closest';
import { Answers, bind, namesIn } from './bind';
import { checkCondition } from './check';
import { noContext } from './context';
import { emit } from './emit';
import { Scope } from './scope';
import { parse } from './parse';
import { quote } from './print';
import { conditionWords } from './words';

const bookings = catalog.type('bookings');
const checked = (text: string) => checkCondition(parse(text), catalog, bookings, noContext);
const problemOf = (text: string) => {
  try {
    checked(text);
  } catch (error) {
    if (error instanceof ProblemError) return error.problems[0];
    throw error;
  }
  throw new Error(`“${text}” was taken.`);
};
const answers = new Answers();
answers.add(
  { typeId: 'staff', text: 'Ines Calloway' },
  { found: [{ key: '1', name: 'Ines Calloway', hint: '' }], near: [] },
);

function sqlOf(text: string) {
  const scope = new Scope(bookings);
  const where = render(emit(bind(checked(text), answers, catalog), scope));
  return { where: where.text, values: where.values, from: render(scope.from()).text };
}

describe('a condition as SQL', () => {
  it('carries every value as a parameter and every name from the catalog', () => {
    expect(sqlOf("status = 'Draft' AND hives >= 10")).toEqual({
      where: '((r."status" = $1::text) and (r."hives" >= $2::bigint))',
      values: ['draft', '10'],
      from: '"public"."bookings" r',
    });
  });

  it('joins each path prefix once', () => {
    const { where, from } = sqlOf("owner.name = 'A' OR owner.lead.name = 'B' OR owner.lead = 3");
    expect(from).toBe(
      '"public"."bookings" r left join "public"."staff" j1 on j1."id" = r."owner" left join "public"."staff" j2 on j2."id" = j1."lead"',
    );
    expect(where).toContain('j2."name" = $2::text');
    expect(where).toContain('j1."lead" = $3::bigint');
  });

  it('turns names into keys, and lists into one array', () => {
    expect(sqlOf("owner = 'Ines Calloway'")).toMatchObject({ where: '(r."owner" = $1::integer)', values: ['1'] });
    expect(sqlOf('id NOT IN (1, 2, 3)')).toMatchObject({
      where: '(not (r."id" = any($1::text[]::bigint[])))',
      values: [['1', '2', '3']],
    });
    expect(namesIn(checked("owner = 'X' OR owner IN ('Y', 4)")).map((q) => q.text)).toEqual(['X', 'Y']);
  });

  it('lets nothing a person types into the text of the statement', () => {
    fc.assert(
      fc.property(
        fc.string({ minLength: 1 }).filter((s) => !s.includes('\0')),
        (text) => {
          const { where, values } = sqlOf(`note = ${quote(text)} OR note LIKE ${quote(text.replaceAll('\\', ''))}`);
          expect(where).toBe('((r."note" = $1::text) or ((r."note"::text collate "C") like ($2::text collate "C")))');
          expect(values[0]).toBe(text);
        },
      ),
      { seed: jest.getSeed() },
    );
  });

  it.each([
    ["status < 'draft'", 'type_mismatch'],
    ["status = 'nope'", 'unknown_choice'],
    ['status = 5', 'type_mismatch'],
    ['water > TRUE', 'type_mismatch'],
    ['hives', 'type_mismatch'],
    ['1', 'type_mismatch'],
    ["'x'", 'type_mismatch'],
    ['note = NULL', 'syntax'],
    ['tasks = 1', 'unknown_field'],
    ['RUOND(price) = 1', 'unknown_function'],
    ['ROUND(note) = 1', 'type_mismatch'],
    ['ROUND() = 1', 'syntax'],
    ["DATEDIF(start_on, start_on, 'x') = 1", 'bad_value'],
    ["start_on + 'x' = start_on", 'type_mismatch'],
    ['note + note = 1', 'type_mismatch'],
    ['water * 2 = 4', 'type_mismatch'],
    ["IF(water, 1, 'x') = 1", 'type_mismatch'],
    ['has(staff)', 'unknown_type'],
    ['has(5)', 'syntax'],
    ["A_CONTAINS(note, ('x'))", 'type_mismatch'],
    ["T_AFTER(note, DATE('2026-05-01'))", 'type_mismatch'],
    ['me() = 1', 'not_permitted'],
    ["price LIKE '1%'", 'type_mismatch'],
    ["note LIKE 'a\\\\'", 'bad_value'],
    ['note = hives', 'type_mismatch'],
    ['note.x = 1', 'type_mismatch'],
    ["start_on = DATE('tomorrow')", 'bad_value'],
    ["seen_at > TIMESTAMP('2026-05-01T25:00:00Z')", 'bad_value'],
    ["note = 'a\0'", 'bad_value'],
  ])('%s is refused as %s', (text, code) => expect(problemOf(text).code).toBe(code));

  it('takes an unquoted word for a text that lacks its quotes', () => {
    expect(problemOf('status = draft')).toMatchObject({ code: 'unknown_field', suggestions: ["'draft'"] });
    expect(problemOf('status = nope')?.suggestions).not.toContain("'nope'");
  });

  it('is said in plain words', () => {
    expect(
      conditionWords(checked("status = 'draft' AND owner = 'Ines Calloway' AND start_on < DATE('2026-05-01')")),
    ).toBe('status is Draft, owner is Ines Calloway and start on is before 2026-05-01');
    expect(conditionWords(checked('water AND (hives > 5 OR note IS NULL)'))).toBe(
      'water is yes and (hives is over 5 or note is blank)',
    );
    expect(conditionWords(checked("owner.name LIKE 'A%' OR status NOT IN ('draft', 'placed')"))).toBe(
      'owner’s name is like “A%” or status is none of Draft or Placed',
    );
  });
});

describe('what people write out of habit', () => {
  /** The text with what its span covers put to each suggestion. */
  const mended = (text: string): string[] => {
    const { span, suggestions = [] } = problemOf(text);
    return suggestions.map((s) => text.slice(0, span!.start) + s + text.slice(span!.end));
  };

  it.each([
    ["status == 'draft'", "status = 'draft'"],
    ["status != 'draft'", "status <> 'draft'"],
    ["status ≠ 'draft'", "status <> 'draft'"],
    ['hives > 1 && hives < 3', 'hives > 1 AND hives < 3'],
    ['hives > 3 || hives < 1', 'hives > 3 OR hives < 1'],
    ['hives ≥ 3', 'hives >= 3'],
    ['hives ≤ 3', 'hives <= 3'],
    ['hives => 3', 'hives >= 3'],
    ['hives =< 3', 'hives <= 3'],
    ['status = ‘draft’', "status = 'draft'"],
    ['status = “draft”', "status = 'draft'"],
    ["note contains 'x'", "contains(note, 'x')"],
    ["note starts with 'x'", "starts_with(note, 'x')"],
    ["owner.name ends with 'it''s'", "ends_with(owner.name, 'it''s')"],
    ["status IN 'draft','placed'", "status IN ('draft', 'placed')"],
    ['hives IN 1, 2', 'hives IN (1, 2)'],
    ['hives > 1,200', 'hives > 1200'],
    ['start_on > TODAY() + 30 days', 'start_on > TODAY() + 30'],
    ['start_on > TODAY() + 2 weeks', 'start_on > TODAY() + 14'],
    ['note is empty', 'note is NULL'],
    ['note IS NOT blank', 'note IS NOT NULL'],
    ['start_on > 2026-05-01', "start_on > DATE('2026-05-01')"],
    ["start_on > DATE('01/05/2026')", "start_on > DATE('2026-05-01')", "start_on > DATE('2026-01-05')"],
    ["start_on > DATE('31.05.2026')", "start_on > DATE('2026-05-31')"],
    ['water = yes', 'water = TRUE'],
    ['start on > TODAY()', 'start_on > TODAY()'],
  ])('%s', (text, ...right) => {
    const all = mended(text);
    expect(all.slice(0, right.length)).toEqual(right);
    // What is offered can be taken as it stands.
    for (const one of right) expect(() => checked(one)).not.toThrow();
  });

  it('tells every mistake of a filter at once, up to ten', () => {
    const problems = (text: string) => {
      try {
        checked(text);
      } catch (error) {
        if (error instanceof ProblemError) return error.problems;
      }
      return [];
    };
    const three = "statuss = 'draft' AND hives = 'x' AND (start_on = 1 OR hives > 3)";
    expect(problems(three).map((p) => three.slice(p.span!.start, p.span!.end))).toEqual(['statuss', "'x'", '1']);
    expect(problems(Array.from({ length: 500 }, () => 'statuss = 1').join(' OR '))).toHaveLength(10);
  });

  it('does not offer the opposite of what was typed', () => {
    expect(closest('inactive', ['active', 'inactiv'])).toEqual(['inactiv']);
    expect(closest('unpaid', ['paid'])).toEqual([]);
    expect(closest('not_paid', ['paid', 'paid_at'])).toEqual([]);
  });
});
