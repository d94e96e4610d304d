import type { CheckedSelection, Checked } from '../language/checked';
import { rebuild } from '../language/checked';
import { quote } from '../language/print';
import { clip } from '../problem';

/** A record that a sentence names, with the name that it had when the sentence was made. */
export interface NamedRecord {
  readonly type: string;
  readonly key: string;
  readonly name: string;
}

/** A sentence as it is kept: its text, and the records it names, so that each reader is shown only names they may see. */
export type Sentence = readonly (string | NamedRecord)[];

/** What the names in a job mean, where they have been looked up. */
export interface LookedUp {
  /** Every name that the job asks about. */
  readonly questions: readonly { readonly typeId: string; readonly text: string }[];
  /** The record of a type that a text (a name or a key) means. */
  find(typeId: string, text: string): Pick<NamedRecord, 'key' | 'name'> | undefined;
}

export const nothingLookedUp: LookedUp = { questions: [], find: () => undefined };

/** The sentence as one text; `shown` says what stands for a record that it names. */
export function sentenceText(sentence: Sentence, shown: (record: NamedRecord) => string = (r) => r.name): string {
  return sentence.map((part) => (typeof part === 'string' ? part : shown(part))).join('');
}

/** Private use characters of Unicode's basic plane: each stands for one record while a sentence is put together. */
const [firstMark, lastMark] = [0xe000, 0xf8ff];

/**
 * Puts a sentence together. `write` is given what names the records it mentions; each name is a single character until the
 * sentence is taken apart, so that nothing that clips, quotes or lists words can cut it.
 */
export function sentenceOf(found: LookedUp, write: (names: Names) => string): Sentence {
  // Characters that the text itself has stand for nothing else.
  const taken = new Set(write(new Names(found, (name) => name)));
  let next = firstMark;
  const marked = new Map<string, NamedRecord>();
  const text = write(
    new Names(found, (name, type, key) => {
      while (taken.has(String.fromCharCode(next))) next++;
      // More names than any sentence has: the rest is not named.
      if (next > lastMark) return '…';
      const mark = String.fromCharCode(next++);
      marked.set(mark, { type, key, name });
      return mark;
    }),
  );
  const parts: (string | NamedRecord)[] = [];
  let plain = '';
  for (const letter of text) {
    const record = marked.get(letter);
    if (!record) {
      plain += letter;
      continue;
    }
    if (plain !== '') parts.push(plain);
    plain = '';
    parts.push(record);
  }
  return plain === '' ? parts : [...parts, plain];
}

/** What a sentence calls the records it names. */
export class Names {
  constructor(
    private readonly found: LookedUp,
    private readonly show: (name: string, typeId: string, key: string) => string,
  ) {}

  /** The name of the record that a text means; undefined where it is not known, or has none. */
  readonly of = (typeId: string, text: string): string | undefined => {
    const record = this.found.find(typeId, text);
    return record && record.name !== '' ? this.show(record.name, typeId, record.key) : undefined;
  };

  /** The tree with each name as it is shown. */
  readonly inTree = (tree: Checked): Checked =>
    rebuild(tree, (node) => {
      if (node.kind !== 'named') return node;
      const { typeId, text } = node.question;
      const record = this.found.find(typeId, text);
      return record
        ? { ...node, question: { ...node.question, text: this.show(clip(text), typeId, record.key) } }
        : node;
    });

  /** The selection with each name as it is shown. */
  inSelection(selection: CheckedSelection): CheckedSelection {
    const { condition, related } = selection;
    return {
      ...selection,
      condition: condition && this.inTree(condition),
      related: related && { ...related, of: this.inSelection(related.of) },
    };
  }

  /** A formula as it was typed, with each name in it as it is shown. */
  readonly inText = (text: string): string =>
    this.found.questions.reduce((written, question) => {
      const record = this.found.find(question.typeId, question.text);
      if (!record || !written.includes(quote(question.text))) return written;
      return written.replaceAll(quote(question.text), quote(this.show(question.text, question.typeId, record.key)));
    }, text);
}
