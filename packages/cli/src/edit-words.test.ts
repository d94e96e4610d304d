import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { editKinds } from '@tantamos/core';
import { readEdit, usageOf } from './edit-words';
import { UsageError } from './trouble';

describe('edits in words', () => {
  it.each<[Parameters<typeof readEdit>[0], string, object]>([
    ['shift', 'due_on by=3', { field: 'due_on', by: '3' }],
    [
      'shift',
      "due_on by=-2 unit='working days' next=monday",
      { field: 'due_on', by: '-2', unit: 'working days', next: 'monday' },
    ],
    ['shift', 'price percent=5 round=2', { field: 'price', percent: '5', round: 2 }],
    ['replace', `note find='it''s, so' with="" any-case`, { field: 'note', find: "it's, so", with: '', anyCase: true }],
    ['replace', 'note find=a=b with=c any-case=no', { field: 'note', find: 'a=b', with: 'c', anyCase: false }],
    [
      'split',
      "owner among='Ines Calloway':2,'Tobias Fenwick' together=grower",
      {
        field: 'owner',
        among: [{ to: 'Ines Calloway', weight: '2' }, { to: 'Tobias Fenwick' }],
        together: ['grower'],
      },
    ],
    [
      'map',
      'status pairs=draft:confirmed,"on hold":placed,:draft rest=refuse',
      {
        field: 'status',
        pairs: [
          { old: 'draft', new: 'confirmed' },
          { old: 'on hold', new: 'placed' },
          { old: '', new: 'draft' },
        ],
        rest: 'refuse',
      },
    ],
    [
      'map',
      'note from=hives ranges=:20:small,20:60:medium,60::large',
      {
        field: 'note',
        from: 'hives',
        ranges: [
          { below: '20', new: 'small' },
          { from: '20', below: '60', new: 'medium' },
          { from: '60', new: 'large' },
        ],
      },
    ],
    ['tidy', 'note how=spaces,title', { field: 'note', how: ['spaces', 'title'] }],
    [
      'copy',
      '"odd name" from=grower.note where="hives > 3"',
      { field: 'odd name', from: 'grower.note', where: 'hives > 3' },
    ],
    ['add', 'tags entries=steep,"early bloom"', { field: 'tags', entries: ['steep', 'early bloom'] }],
  ])('--%s %s', (kind, said, expected) => expect(readEdit(kind, said)).toEqual({ kind, ...expected }));

  it('a list comes from a CSV file', () => {
    const file = join(mkdtempSync(join(tmpdir(), 'tantamos-words-')), 'kinds.csv');
    writeFileSync(file, '\ufeffdraft;confirmed\na, b;placed\n\n;x\n');
    expect(readEdit('map', `status pairs=@${file}`)).toMatchObject({
      pairs: [
        { old: 'draft', new: 'confirmed' },
        { old: 'a, b', new: 'placed' },
        { old: '', new: 'x' },
      ],
    });
    expect(() => readEdit('map', 'status pairs=@/nowhere.csv')).toThrow(/cannot be read/);
  });

  it.each<[Parameters<typeof readEdit>[0], string, RegExp]>([
    ['shift', '', /needs a field first/],
    ['shift', 'due_on nxt=monday', /“nxt=monday” is none of what it takes/],
    ['shift', 'due_on by=1 by=2', /by is said twice/],
    ['shift', 'due_on by', /needs a value: by=…/],
    ['shift', 'price round=x', /whole number, not “x”/],
    ['replace', 'note find=a', /needs with=…/],
    ['replace', "note find='a", /opened and not closed/],
    ['split', 'owner among=a:1:2', /has 3 parts; TO:WEIGHT has 2/],
    ['copy', 'note constructor=x', /none of what it takes/],
    ['copy', 'note __proto__=x', /none of what it takes/],
    ['copy', 'note field=x from=y', /none of what it takes/],
  ])('--%s %j is told', (kind, said, message) => {
    expect(() => readEdit(kind, said)).toThrow(UsageError);
    expect(() => readEdit(kind, said)).toThrow(message);
  });

  it('every kind says how it is written', () => {
    for (const kind of editKinds) expect(usageOf(kind)).toMatch(new RegExp(`^--${kind} "FIELD`));
    expect(usageOf('split')).toBe(
      '--split "FIELD among=TO:WEIGHT,… [together=…,…] [level=TYPE:FIELD:FILTER,…] [follow=…] [order=…,…] [where=…]"',
    );
  });
});
