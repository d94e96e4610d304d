import { clip, type Field, type RecordType } from '../catalog/catalog';
import { keyFields } from '../catalog/key';
import {
  always,
  calculated,
  call,
  fieldTree,
  firstOf,
  isBlank,
  not,
  numberTree,
  textTree,
  type Case,
} from '../language/build';
import { typeOf, type Checked } from '../language/checked';
import { canonical } from '../language/value';
import { fail, within } from '../problem';
import type { Change } from './change';
import type { About, EditKind } from './kind';
import type { Literal } from './literal';
import { amount, fieldName, group, literal, many, oneOf, optional, shortText } from './member';
import { fieldsAt } from './number';
import { sourceWords } from './source';
import { editableField, fieldWords, givenValue, isFreeText } from './value';
import { joined, worked } from './worked';

export const inventions = ['name', 'mail', 'phone', 'words', 'number', 'date', 'choice', 'shuffle'] as const;
export type Invention = (typeof inventions)[number];
const alikes = ['value', 'record'] as const;

interface Chance {
  readonly to: Literal;
  readonly weight?: number | string;
}

/** Made-up values, for tests and to mask what must not be shown. The same seed makes the same of the same. */
export interface InventEdit {
  readonly kind: 'invent';
  readonly field: string;
  readonly what: Invention;
  /** The least and the most: of numbers and dates, and of how many words. */
  readonly from?: Literal;
  readonly to?: Literal;
  /** Of a choice: these, each as likely as its weight says; all there are where nothing is said. */
  readonly among?: readonly Chance[];
  /** The same for the same value, so that masked data still joins, blanks left blank; or one for each record. */
  readonly alike?: (typeof alikes)[number];
  /** Of a shuffle: values stay among records with the same of these. */
  readonly per?: readonly string[];
  readonly seed?: string;
}

const chance = group<Chance>({ to: literal, weight: optional(amount) });

export const invent: EditKind<InventEdit> = {
  members: {
    field: fieldName,
    what: oneOf(inventions),
    from: optional(literal),
    to: optional(literal),
    among: optional(many(chance, 200)),
    alike: optional(oneOf(alikes)),
    per: optional(many(fieldName, 10)),
    seed: optional(shortText),
  },
  doc: 'Made-up values, for tests or to mask: names, mail addresses, phones, words, numbers, dates, choices; or the present values, shuffled.',
  example: { kind: 'invent', field: 'note', what: 'words', from: 3, to: 6, seed: 'spring' },
  words: ['mask', 'anonymize', 'random', 'fake', 'dummy', 'test data', 'scramble', 'shuffle', 'swap', 'pseudonym'],
  lower(edit, about) {
    const field = editableField(about.type, edit.field);
    onlyWhatItTakes(edit);
    if (edit.what === 'shuffle') return [shuffled(edit, field, about)];
    const ofRecord = edit.alike === 'record';
    const draw = drawer(
      edit.seed ?? '',
      ofRecord ? keyTree(about.type) : call('text', 'text', plainOf(about.type, field)),
    );
    const tree = made[edit.what](edit, field, draw);
    const when = ofRecord ? null : not(isBlank(fieldTree(about.type, field)));
    return [{ field, value: worked(tree, field, about.catalog), when }];
  },
  sentence(edit, of) {
    const { from, to, alike, seed } = edit;
    const sown = seed === undefined ? '' : `, seed “${clip(seed)}”`;
    const { label } = fieldWords(of.type, edit.field);
    if (edit.what === 'shuffle') {
      const among = edit.per ? ` within each ${edit.per.map((p) => sourceWords(p, of)).join(', ')}` : '';
      return `shuffle ${label} among the records${among}${sown}`;
    }
    const range = [
      from === undefined ? '' : ` from ${clip(String(from))}`,
      to === undefined ? '' : ` to ${clip(String(to))}`,
    ];
    const same = alike === 'record' ? 'one for each record' : 'the same for the same value';
    return `invent ${inventionWords[edit.what]}${range.join('')} for ${label} (${same}${sown})`;
  },
};

/** What each is called in a sentence. */
export const inventionWords: Readonly<Record<Invention, string>> = {
  name: 'names',
  mail: 'mail addresses',
  phone: 'phone numbers',
  words: 'words',
  number: 'numbers',
  date: 'dates',
  choice: 'choices',
  shuffle: 'the present values, shuffled',
};

/** What each takes besides the field, `alike` and the seed. */
const taken: Readonly<Record<Invention, readonly (keyof InventEdit)[]>> = {
  name: [],
  mail: [],
  phone: [],
  words: ['from', 'to'],
  number: ['from', 'to'],
  date: ['from', 'to'],
  choice: ['among'],
  shuffle: ['per'],
};

function onlyWhatItTakes(edit: InventEdit): void {
  const all: readonly (keyof InventEdit)[] = ['from', 'to', 'among', 'per'];
  const extra = all.find((member) => edit[member] !== undefined && !taken[edit.what].includes(member));
  if (extra) fail('bad_value', `“${extra}” says nothing of ${inventionWords[edit.what]}.`, { where: extra });
  if (edit.what === 'shuffle' && edit.alike === 'value')
    fail('bad_value', 'A shuffle gives each record the value of another, so the same do not become the same.', {
      where: 'alike',
    });
}

/** Records that have a value get that of another, so that blanks stay where they are. */
function shuffled(edit: InventEdit, field: Field, about: About): Change {
  const has = not(isBlank(fieldTree(about.type, field)));
  const drawn = drawer(edit.seed ?? '', keyTree(about.type)).number('place', mostSteps);
  const per = fieldsAt('per', edit.per ?? [], about).map((f) => f.tree);
  const another = { per: [has, ...per], order: [{ tree: drawn, descending: false }] };
  return { field, value: { from: 'another', another }, when: has };
}

/** What the seed, the record or its value, and a mark decide. */
interface Draw {
  /** From 0 up, below another. */
  number(mark: string, below: number): Checked;
  word(mark: string, list: 'first' | 'last' | 'word'): Checked;
}

function drawer(seed: string, source: Checked): Draw {
  const said = (mark: string): Checked => call('concatenate', 'text', textTree(`${seed}\n${mark}\n`), source);
  return {
    number: (mark, below) => call('drawn', 'number', said(mark), numberTree(String(below))),
    word: (mark, list) => call('drawn_word', 'text', said(mark), textTree(list)),
  };
}

/** A value as its plain text; a choice as it is stored. */
function plainOf(type: RecordType, field: Field): Checked {
  if (field.base === 'list')
    fail('type_mismatch', `${field.label} is a list, for which nothing can be invented.`, { where: 'field' });
  return fieldTree(type, field);
}

function keyTree(type: RecordType): Checked {
  const parts = keyFields(type).map((f) => call('text', 'text', fieldTree(type, f)));
  return parts.length === 1 ? parts[0]! : joined(parts.flatMap((p) => [p, textTree('\n')]));
}

type Make = (edit: InventEdit, field: Field, draw: Draw) => Checked;

const made: Record<Exclude<Invention, 'shuffle'>, Make> = {
  name: (edit, field, draw) =>
    ofText(edit, field, joined([draw.word('first name', 'first'), textTree(' '), draw.word('last name', 'last')])),
  mail: (edit, field, draw) => {
    const number = call(
      'pad',
      'text',
      call('text', 'text', draw.number('number', 1_000_000)),
      numberTree('6'),
      textTree('0'),
    );
    const parts = [
      draw.word('first name', 'first'),
      textTree('.'),
      draw.word('last name', 'last'),
      textTree('.'),
      number,
      textTree('@'),
      oneOfTexts(mailDomains, draw, 'domain'),
    ];
    return ofText(edit, field, call('lower', 'text', joined(parts)));
  },
  // No country has the code 999.
  phone: (edit, field, draw) => {
    const threes = ['a', 'b', 'c'].flatMap((mark) => [
      textTree(' '),
      call('pad', 'text', call('text', 'text', draw.number(mark, 1000)), numberTree('3'), textTree('0')),
    ]);
    return ofText(edit, field, joined([textTree('+999'), ...threes]));
  },
  words: (edit, field, draw) => {
    const [least, most] = [wholeOf(edit, 'from', 3), wholeOf(edit, 'to', wholeOf(edit, 'from', 3))];
    if (least < 1 || most > mostWords || least > most)
      fail('bad_value', `Say from 1 to ${mostWords} words.`, {
        where: least > most || most > mostWords ? 'to' : 'from',
      });
    const count = draw.number('count', most - least + 1);
    const all = Array.from({ length: most }, (_, i): Checked => {
      const word = draw.word(`word ${i}`, 'word');
      const spaced = i === 0 ? word : joined([textTree(' '), word]);
      if (i < least) return spaced;
      const isMeant: Checked = { kind: 'compare', op: '>=', left: count, right: numberTree(String(i - least + 1)) };
      return firstOf([
        { when: isMeant, value: spaced },
        { when: always, value: textTree('') },
      ]);
    });
    return ofText(edit, field, joined(all));
  },
  number: (edit, field, draw) => {
    if (field.base !== 'number' || field.refersTo !== null || field.choices !== null)
      fail('type_mismatch', `${field.label} takes no numbers.`, { where: 'what' });
    const [low, high] = [decimalsOf(edit, 'from'), decimalsOf(edit, 'to')];
    const scale = Math.min(field.scale ?? 6, Math.max(low.digits, high.digits));
    const steps = Math.floor((high.n - low.n) * 10 ** scale + 0.5) + 1;
    if (!(steps >= 1 && steps <= mostSteps))
      fail('bad_value', 'The greatest must not be below the least, nor too far above it.', { where: 'to' });
    const step = draw.number('number', steps);
    const above = scale === 0 ? step : calculated('/', step, numberTree(String(10 ** scale)));
    return calculated('+', numberTree(low.text), above);
  },
  date: (edit, field, draw) => {
    if (field.base !== 'date' && field.base !== 'moment')
      fail('type_mismatch', `${field.label} takes no dates.`, { where: 'what' });
    const [low, high] = [dayOf(edit, 'from'), dayOf(edit, 'to')];
    const days = Math.round((Date.parse(high) - Date.parse(low)) / 86_400_000) + 1;
    if (!(days >= 1)) fail('bad_value', 'The last day is before the first.', { where: 'to' });
    const begin: Checked = { kind: 'value', dbType: 'date', text: low };
    return { kind: 'arithmetic', op: '+', type: 'date', left: begin, right: draw.number('day', days) };
  },
  choice: (edit, field, draw) => {
    const all: readonly Chance[] = edit.among ?? (field.choices ?? []).map((c) => ({ to: c.value }));
    if (all.length === 0)
      fail('bad_value', `Say among which values: ${field.label} has no choices of its own.`, { where: 'among' });
    const parts = all.map(({ weight = 1 }, i) => {
      const part = Math.round(Number(weight) * precision);
      if (!(part >= 0 && part <= mostSteps))
        fail('bad_value', 'A weight is a number from 0 to 1,000,000,000.', { where: `among[${i}].weight` });
      return part;
    });
    const sum = parts.reduce((a, b) => a + b, 0);
    if (sum === 0) fail('bad_value', 'The weights come to nothing.', { where: 'among' });
    const n = draw.number('choice', sum);
    let upTo = 0;
    const cases = all.flatMap(({ to }, i): Case[] => {
      upTo += parts[i]!;
      if (parts[i] === 0) return [];
      const value = givenValue(field, to, `among[${i}].to`);
      const below: Checked = { kind: 'compare', op: '<', left: n, right: numberTree(String(upTo)) };
      return [{ when: upTo === sum ? always : below, value }];
    });
    return firstOf(cases);
  },
};

const precision = 1000;
const mostSteps = 1e12;
const mostWords = 40;

/** Reserved for examples (RFC 2606): no mail ever arrives there. */
const mailDomains = ['example.com', 'example.org', 'example.net'];

function oneOfTexts(texts: readonly string[], draw: Draw, mark: string): Checked {
  const cases = texts.flatMap((text, i) => [numberTree(String(i)), textTree(text)]);
  return call('switch', 'text', draw.number(mark, texts.length), ...cases);
}

function ofText({ what }: InventEdit, field: Field, tree: Checked): Checked {
  if (!isFreeText(field) || typeOf(tree) !== 'text')
    fail('type_mismatch', `${field.label} takes no ${inventionWords[what]}.`, { where: 'what' });
  return tree;
}

function wholeOf(edit: InventEdit, member: 'from' | 'to', usual: number): number {
  const n = Number(edit[member] ?? usual);
  if (!Number.isInteger(n)) fail('bad_value', 'Say how many words, as a whole number.', { where: member });
  return n;
}

function decimalsOf(edit: InventEdit, member: 'from' | 'to'): { n: number; text: string; digits: number } {
  const text = String(edit[member] ?? (member === 'from' ? '0' : '100')).trim();
  if (!/^-?\d{1,15}(\.\d{1,6})?$/.test(text))
    fail('bad_value', `“${clip(text)}” is no number to begin or end with.`, { where: member });
  return { n: Number(text), text, digits: text.split('.')[1]?.length ?? 0 };
}

function dayOf(edit: InventEdit, member: 'from' | 'to'): string {
  const given = edit[member];
  if (given === undefined)
    return fail('bad_value', 'Say the first and the last day, such as 2026-01-01.', { where: member });
  return within(member, () => canonical('date', String(given), 'A day'));
}
