import { growth, linear } from '../../../core/src/testing/growth';
import { refuseShape, refuseUnfit } from './unfit';

const weigh = (text: string): void => refuseShape(Buffer.from(text));
const problemOf = async (given: unknown): Promise<{ code: string; where?: string }> => {
  try {
    await refuseUnfit(given, 'the body');
  } catch (error) {
    return (error as { problems: { code: string; where?: string }[] }).problems[0]!;
  }
  throw new Error('It was taken.');
};

describe('a body as it comes', () => {
  it.each([
    ['an object', '{"a":1,"b":[1,2,{"c":"d"}]}'],
    ['signs within texts', `{"a":"${'{[,:'.repeat(50_000)}"}`],
    ['quotes and backslashes within texts', `{"a":"${'\\"\\\\'.repeat(50_000)}"}`],
    [
      'as many keys as can be picked and left out',
      `{"keys":[${'"1",'.repeat(49_999)}"1"],"drop":[${'"1",'.repeat(49_999)}"1"]}`,
    ],
    ['nothing', ''],
  ])('is taken with %s', (_, text) => expect(() => weigh(text)).not.toThrow());

  it.each([
    ['nested too deep', `${'['.repeat(501)}${']'.repeat(501)}`, 'nested more than 500'],
    ['of too many values', `[${'1,'.repeat(200_001)}1]`, 'more than 200,000 values'],
    ['of too many members', `{${'"a":1,'.repeat(30_001)}"a":1}`, 'more than 30,000 members'],
    ['of too many objects', `[${'{},'.repeat(15_001)}{}]`, 'more than 15,000 objects'],
  ])('is refused where it is %s', (_, text, words) => expect(() => weigh(text)).toThrow(words));

  it.each([
    ['letters', (n: number) => `"${'a'.repeat(n)}"`],
    ['quotes', (n: number) => '"'.repeat(n)],
    ['backslashes', (n: number) => `"${'\\'.repeat(n)}"`],
    ['brackets', (n: number) => '[]'.repeat(n / 2)],
  ])('is weighed in time that grows with its %s, not faster', (_, text) => {
    const work = (n: number): void => {
      try {
        weigh(text(n));
      } catch {
        // told at the first that is one too many
      }
    };
    expect(growth(work, 200_000)).toBeLessThan(linear);
  });
});

describe('what a request may not hold', () => {
  it('is found wherever it stands, and where that is is said', async () => {
    expect(await problemOf({ a: [{ b: 'x\0' }] })).toMatchObject({ code: 'bad_request', where: 'a[0].b' });
    expect(await problemOf({ 'a\ud800': 1 })).toMatchObject({ code: 'bad_request' });
    expect(await problemOf(['ok', '\udfff'])).toMatchObject({ where: '[1]' });
    expect(await problemOf({ n: Infinity })).toMatchObject({ where: 'n' });
    expect(await problemOf('\0')).toMatchObject({ code: 'bad_request' });
  });

  it('is nothing else', async () => {
    for (const given of [{}, null, 'é😀', [1.5, -0, 1e300], { a: { b: [null, true] } }, { __proto__: null, a: '' }])
      await expect(refuseUnfit(given, 'the body')).resolves.toBeUndefined();
    let deep: object = {};
    for (let i = 0; i < 100_000; i++) deep = { deep };
    await expect(refuseUnfit(deep, 'the body')).resolves.toBeUndefined();
  });
});
