import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { editHelp, editKinds, editMembers } from './edit';
import { editsPage } from './page';

it('is what the documentation shows', () => {
  const kept = readFileSync(join(__dirname, '../../../../docs/reference/edits.md'), 'utf8');
  // Laid out by the formatter there; the words are the same.
  const words = (text: string) => text.replace(/[ -]+/g, ' ').replace(/\s+/g, ' ');
  expect(words(kept)).toBe(words(editsPage()));
});

it('has an example of each kind that holds what the kind asks for, and words to find it by', () => {
  for (const kind of editKinds) {
    const { example, doc, words } = editHelp(kind);
    expect([kind, example.kind, doc.endsWith('.'), words.length > 0]).toEqual([kind, kind, true, true]);
    const members = editMembers(kind);
    for (const [name, member] of Object.entries(members))
      expect([kind, name, member.fits((example as unknown as Record<string, unknown>)[name])]).toEqual([
        kind,
        name,
        true,
      ]);
    for (const name of Object.keys(example))
      expect([kind, name, name === 'kind' || name in members]).toEqual([kind, name, true]);
  }
});
