import { raw, render, sql } from '../sql/sql';
import { alike, date, Ground, numeric, Term, text, textColumn, whole } from './term';

const said = (piece: ReturnType<typeof raw>): string => render(piece).text;
const ground = (columns: Ground['columns']): Ground => {
  let made = 0;
  return new Ground(columns, () => raw(`v${++made}`));
};
const lengthy = { pieces: Array.from({ length: 500 }, () => '.') };

describe('what is known of a piece of SQL', () => {
  it('terms of one type meet in one database type, and what is known holds of each', () => {
    const both = alike([whole(raw('a'), -5, 10), whole(raw('b'), 0, 20)]);
    expect(both.as(raw('c'))).toMatchObject({ low: -5, high: 20, whole: true });
    const mixed = alike([whole(raw('a'), -5, 10), numeric(raw('b'), 0, 20, 2)]);
    expect(mixed.sqls.map(said)).toEqual(['a::numeric', 'b']);
    expect(mixed.as(raw('c'))).toMatchObject({ low: -5, high: 20, whole: false });
    expect(whole(raw('a'), -50, 10).most).toBe(50);
  });

  it('cuts a constant towards zero, however many nines it has', () => {
    const constant = (t: string): Term => new Term(raw(t), 'number', undefined, false, t);
    expect(['0.99999999999999999999', '-2.9999999999999999999', '7'].map((t) => constant(t).cut)).toEqual([0, -2, 7]);
    expect(numeric(raw('a'), 0, 1, 0).cut).toBeNull();
  });

  it('takes a column as it mostly is only on usual ground, and says what must hold for that', () => {
    const column = raw('r.d');
    const [test, usual, any] = [sql`${column} > 1`, date(column, 0, 10), date(sql`f(${column})`)];
    const mostly = ground('usual');
    expect(said(mostly.column(test, usual, any).sql)).toBe('r.d');
    mostly.column(test, usual, any);
    expect([...mostly.tests.values()].map(said)).toEqual(['r.d > 1']);
    const always = ground('any');
    expect(said(always.column(test, usual, any).sql)).toBe('f(r.d)');
    expect([always.tests.size, always.looks]).toEqual([0, 1]);
    // A text is the same either way: only how long it can be differs.
    textColumn(column, always);
    expect(always.looks).toBe(1);
    expect(textColumn(column, always).high).toBe(Infinity);
    expect(textColumn(column, always, 40).high).toBe(40);
    expect(text(column).high).toBe(Infinity);
  });

  it('works a long piece out once, and says a short one as often as it is named', () => {
    const twice = (g: Ground, piece: ReturnType<typeof raw>): string => said(g.once([piece], (x) => sql`${x}+${x}`));
    expect(twice(ground('any'), raw('a'))).toBe('a+a');
    expect(twice(ground('any'), lengthy)).toBe(
      `(select v1.a1+v1.a1 from (select ${'.'.repeat(500)} as a1 offset 0) v1)`,
    );
    const called = (g: Ground): string => said(g.call('f', lengthy, raw('b')));
    expect(called(ground('any'))).toMatch(/^\(select tantamos\.f\(v1\.a1, b\) from /);
    expect(called(ground('rare'))).toBe(`tantamos.f(${'.'.repeat(500)}, b)`);
  });
});
