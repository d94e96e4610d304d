import {
  asPlainText,
  canonicalSql,
  checkExpression,
  evaluateTame,
  noContext,
  parse,
  render,
  Scope,
  shownIn,
  sql,
  type Checked,
  type RecordType,
} from '@tantamos/core';
import { valueText, readAs } from '../../../console/src/components/format';
import { previewed } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

const locales = ['en-GB', 'en-US', 'de-DE', 'de-CH', 'fr-FR', 'es-ES', 'pl-PL', 'sv-SE', 'ja-JP', 'pt-PT'];
const timeZone = 'Europe/Berlin';
/** What a browser shows, with the spaces and the minus that people type. */
const thin = '\u202f';
const typed = (text: string): string => text.replaceAll(thin, ' ').replaceAll('\u2212', '-');

/** Texts that people fill in, as they come out. */
describe('a text with fields in it', () => {
  let w: Workspace;
  let type: RecordType;
  beforeAll(async () => {
    w = await openWorkspace();
    await w.sql
      .query(`create table amounts (id int primary key, n numeric(14,2), d date, m timestamptz, note text, must text not null, tags text[] not null default '{}');
      insert into amounts (id, n, d, m, note, must) select i, (array[0, 7, -12.5, 999.99, 1000, -1234.5, 99999, 1234567.89, null])[i],
        date '2026-01-05' + i * 37, timestamptz '2026-03-28T22:30:00Z' + i * interval '7 hours', null, 'm' from generate_series(1, 9) i;
      insert into amounts (id, n, d, m, note, must) values (10, null, null, null, null, 'm')`);
    w.services.catalogs.refresh();
    type = (await w.services.catalogs.get()).type('amounts');
  });
  afterAll(() => w.close());

  const context = { ...noContext, env: { timeZone, now: 0n } };

  it.each(locales)('has numbers, days and moments as pages show them in %s, worked out by either', async (locale) => {
    const catalog = await w.services.catalogs.get();
    readAs({ locale, timeZone });
    for (const [name, kind] of [
      ['n', 'number'],
      ['d', 'date'],
      ['m', 'moment'],
    ] as const) {
      const tree = shownIn(locale, checkExpression(parse(name), catalog, type, context)) as Checked;
      const scope = new Scope(type, context.env);
      const { text, values } = render(
        sql`select ${canonicalSql(tree, scope)} as shown, ${scope.own(name)}::text as v from ${scope.from()} order by r.id`,
      );
      for (const { shown, v } of await w.services.database.rows<{ shown: string | null; v: string | null }>(
        text,
        values,
      )) {
        const memory = evaluateTame(tree, { read: () => v, children: () => [], selected: () => null }, context.env);
        expect([locale, name, v, memory === null ? null : asPlainText(memory)]).toEqual([locale, name, v, shown]);
        // A page of the browser's own text: seconds only where there are some, as here there are none.
        expect([locale, name, shown?.replaceAll(thin, ' ')]).toEqual([
          locale,
          name,
          v === null ? undefined : typed(valueText(v, kind)),
        ]);
      }
    }
  });

  it('is plain where nothing is said of the person, of years, of keys, and of digits that are no ASCII', async () => {
    const catalog = await w.services.catalogs.get();
    const tree = (text: string) => checkExpression(parse(text), catalog, type, context);
    expect(shownIn(null, tree('n'))).toBeNull();
    expect(shownIn('de-DE', tree('YEAR(d)'))).toBeNull();
    expect(shownIn('de-DE', tree('id'))).toBeNull();
    expect(shownIn('ar-EG', tree('n'))).toBeNull();
    expect(shownIn('ar-EG', tree('d'))).toBeNull();
    expect(shownIn('hi-IN', tree('n'))).toBeNull();
    expect(shownIn('de-DE', tree('note'))).toBeNull();
  });

  it('follows what the person has set, says what cannot be worked out, and is blank of nothing but blanks', async () => {
    const texts = async (value: string, field = 'note') => {
      const p = await previewed(w.admin, { selection: { type: 'amounts' }, edits: [{ kind: 'set', field, value }] });
      const { records } = await w.admin.previewRecords(p.id, {});
      return { p, of: (key: number) => records.find((r) => r.key === String(key))! };
    };
    await w.admin.changeMe({ locale: 'de-DE' });
    try {
      const { of } = await texts('{n} seit {d}');
      expect(of(8).changes[0]!.new.value).toBe('1.234.567,89 seit 28. Okt. 2026');
    } finally {
      await w.admin.changeMe({ locale: null });
    }
    expect((await texts('{n} seit {d}')).of(8).changes[0]!.new.value).toBe('1234567.89 seit 2026-10-28');
    const divided = await texts('a share of {100 / n}');
    expect(divided.of(1)).toMatchObject({ outcome: 'not_allowed', cause: 'Note: division by zero.' });
    expect(divided.of(10).changes[0]!.new.value).toBe('a share of ');
    const blank = await texts('{n}{d}');
    expect(blank.of(10).outcome).toBe('already_right');
    expect(blank.of(9).changes[0]!.new.value).toBe('2026-12-04');
    const must = await texts('{n}', 'must');
    expect(must.of(10)).toMatchObject({
      outcome: 'not_allowed',
      cause: 'Must: all that the text is made of is blank.',
    });
  });

  it('is told where an entry is blank or cannot be worked out, and never becomes an empty one', async () => {
    const added = async (field: string, entry: string) => {
      const p = await previewed(w.admin, {
        selection: { type: 'amounts' },
        edits: [{ kind: 'add', field, entries: [entry] }],
      });
      const { records } = await w.admin.previewRecords(p.id, {});
      return (key: number) => records.find((r) => r.key === String(key))!;
    };
    const tags = await added('tags', '{n}');
    expect(tags(2).changes[0]!.new.value).toBe('{7}');
    expect(tags(10)).toMatchObject({ outcome: 'not_allowed', cause: 'Tags: the entry is blank.' });
    expect((await added('tags', '{1 / n}'))(1)).toMatchObject({ cause: 'Tags: division by zero.' });
    const texts = await added('must', '{n}');
    expect(texts(2).changes[0]!.new.value).toBe('m, 7');
    expect(texts(10).outcome).toBe('already_right');
    expect((await added('must', '{1 / n}'))(1)).toMatchObject({ cause: 'Must: division by zero.' });
  });
});
