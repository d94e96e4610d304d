import { clip } from '../problem';
import { conditionWords, countedWords, list, pathWords, typeWords } from '../language/words';
import type { CheckedRelated, CheckedSelection, CheckedTake } from '../language/checked';

/** “the 240 bookings where status is Draft”, “all 18,000 bookings”. */
export function whichWords(selection: CheckedSelection, matched?: number): string {
  const { keys, drop, condition, related, list: pasted, take } = selection;
  const picked = keys ? 'picked ' : '';
  const these =
    matched === undefined ? `${picked}${typeWords(selection.type)}` : countedWords(matched, selection.type, picked);
  const parts = [
    related ? relatedPart(related) : null,
    pasted ? (pasted.file === undefined ? 'on the pasted list' : `in the file “${clip(pasted.file)}”`) : null,
    condition ? `where ${conditionWords(condition)}` : null,
    take ? takePart(take) : null,
    drop?.length ? `without ${drop.length.toLocaleString('en-US')} dropped by hand` : null,
  ].filter((p) => p !== null);
  if (parts.length === 0 && !keys) return `all ${these}`;
  return [`the ${these}`, parts.join(', ')].filter(Boolean).join(' ');
}

function relatedPart({ of, how, field, self }: CheckedRelated): string {
  const from = whichWords(of);
  const label = field.label.toLowerCase();
  switch (how) {
    case 'pointing_at':
      return `whose ${label} is among ${from}`;
    case 'pointed_at':
      return `that are ${label} of ${from}`;
    case 'siblings':
      return `with the same ${label} as ${from}${self ? ', these included' : ''}`;
    default:
      return `that are ${how} (by ${label}) of ${from}${self ? ', these included' : ''}`;
  }
}

function takePart({ count, order, seed, per }: CheckedTake): string {
  const number = count.toLocaleString('en-US');
  const of = per ? ` for each ${pathWords(per)}` : '';
  if (seed !== null) return `${number} at random${of}`;
  const by = order.map(({ path, descending }) => `${pathWords(path)}${descending ? ' downwards' : ''}`);
  return `the first ${number}${of}${by.length > 0 ? ` by ${list(by, 'and')}` : ''}`;
}
