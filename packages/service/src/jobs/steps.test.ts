import { refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('a formula, step by step', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());
  const steps = async (formula: string, key = '12') =>
    (await w.admin.formulaSteps({ type: 'bookings', key, formula })).map(({ text, value }) => [
      text,
      value.label ?? value.value,
    ]);

  it('gives what each part gives, the innermost first, each once', async () => {
    await w.sql.query('update bookings set hives = 38, price_per_hive = 29.25 where id = 12');
    expect(await steps('hives / (hives - 38) + ROUND(price_per_hive * 2, 0)')).toEqual([
      ['hives', '38'],
      ['hives - 38', '0'],
      ['hives / (hives - 38)', null],
      ['price_per_hive', '29.25'],
      ['price_per_hive * 2', '58.5'],
      ['ROUND(price_per_hive * 2, 0)', '59'],
      ['hives / (hives - 38) + ROUND(price_per_hive * 2, 0)', null],
    ]);
  });

  it('names people, looks names up, and does not take the fields of others for its own', async () => {
    const { rows } = await w.sql.query(
      `select s.name, (select count(*)::int from invoices i where i.booking = b.id and i.state = 'open') as open
       from bookings b join staff s on s.id = b.owner where b.id = 12`,
    );
    const [{ name, open }] = rows as [{ name: string; open: number }];
    const given = await steps(`IF(owner = '${name}' AND status IN ('draft'), 1, count(invoices, state = 'open'))`);
    expect(given).toContainEqual(['owner', name]);
    expect(given).toContainEqual([`owner = '${name}'`, 'true']);
    expect(given).toContainEqual(["count(invoices, state = 'open')", String(open)]);
    expect(given.map(([text]) => text)).not.toContain('state');
    expect(given.at(-1)![0]).toMatch(/^IF\(/);
  });

  it.each([
    ['hives +', '12', { code: 'syntax', where: 'formula' }],
    ['hivs * 2', '12', { code: 'unknown_field', where: 'formula' }],
    ['hives', '99999999', { code: 'not_found', where: 'key' }],
    ['hives', 'no key', { code: 'bad_value', where: 'key' }],
    ['new(hives)', '12', { where: 'formula' }],
    ['('.repeat(5000), '12', { where: 'formula' }],
    ['hives\u0000', '12', { where: 'formula' }],
  ])('%.20s of record %s is refused at its place', async (formula, key, problem) => {
    const { problems } = await refusedWith(w.admin.formulaSteps({ type: 'bookings', key, formula }));
    expect(problems[0]).toMatchObject(problem);
  });

  it('has so many parts at most, and tells nothing of a field that is withheld', async () => {
    const long = Array.from({ length: 100 }, (_, i) => `hives * ${i + 2}`).join(' + ');
    expect((await steps(long)).length).toBeLessThanOrEqual(60);
    await w.admin.setField('bookings', 'note', { hidden: true });
    const { problems } = await refusedWith(
      w.editor.formulaSteps({ type: 'bookings', key: '12', formula: 'LEN(note)' }),
    );
    expect(problems[0]).toMatchObject({ code: 'unknown_field' });
    await w.admin.setField('bookings', 'note', { hidden: false });
  });
});
