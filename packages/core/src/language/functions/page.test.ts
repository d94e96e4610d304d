import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { functions } from '.';
import { signatureOf, spread } from './entry';
import { functionsPage } from './page';

it('is what the documentation shows', () => {
  const kept = readFileSync(join(__dirname, '../../../../../docs/reference/functions.md'), 'utf8');
  // Laid out by the formatter there; the words are the same.
  const words = (text: string) => text.replace(/[ -]+/g, ' ').replace(/\s+/g, ' ');
  expect(words(kept)).toBe(words(functionsPage()));
});

it('has one entry a name, and an example that uses it', () => {
  const names = functions.map((f) => f.name.toLowerCase());
  expect(new Set(names).size).toBe(names.length);
  for (const f of functions) expect(f.example.toLowerCase()).toContain(`${f.name.toLowerCase()}(`);
});

it('spreads repeated parameters over the arguments', () => {
  const of = (name: string) => functions.find((f) => f.name === name)!;
  const types = (name: string, count: number) => spread(of(name).parameters, count)?.map((p) => p.name) ?? null;
  expect(types('SWITCH', 4)).toEqual(['of', 'value', 'result', 'else']);
  expect(types('SWITCH', 5)).toEqual(['of', 'value', 'result', 'value', 'result']);
  expect(types('IFS', 3)).toBeNull();
  expect(types('LEFT', 0)).toBeNull();
  expect(types('LEFT', 3)).toBeNull();
  expect(signatureOf(of('SWITCH'))).toBe('SWITCH(of, value, result, …, else?)');
});
