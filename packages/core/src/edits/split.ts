import { clip, type Field } from '../catalog/catalog';
import { always, calculated, call, firstOf, not, numberTree, type Case } from '../language/build';
import type { Checked } from '../language/checked';
import { resolveColumn } from '../catalog/path';
import { list, typeWords } from '../language/words';
import { fail, within } from '../problem';
import type { Place } from './change';
import type { About, EditKind } from './kind';
import { amount, fieldName, group, literal, many, optional } from './member';
import { fieldsAt } from './number';
import { sourceWords } from './source';
import { noContext } from '../language/context';
import { levelOf, levelWords, load, type LoadSaid } from './level';
import type { Literal } from './literal';
import { editableField, fieldWords, givenValue, givenWords } from './value';

interface Share {
  readonly to: Literal;
  /** How much of all, beside the others; 1 where nothing is said. */
  readonly weight?: number | string;
}

/**
 * Divides the records among several values, such as owners: evenly or by weights, to the record. `together` keeps records
 * with the same value of a field (all of one grower) with one of them. The same job divides the same records alike.
 */
export interface SplitEdit {
  readonly kind: 'split';
  readonly field: string;
  readonly among: readonly Share[];
  readonly together?: readonly string[];
  /** Those who have fewest of these get the next, so that all come to have as many as can be. */
  readonly level?: readonly LoadSaid[];
  /**
   * A path to a field of what a record points at, such as `grower.owner`: where that is one of these (or will be, by an earlier
   * part of the job) the record gets the same; only the others are divided.
   */
  readonly follow?: string;
  /** In which order they are dealt out; by key where nothing is said. */
  readonly order?: readonly string[];
}

const share = group<Share>({ to: literal, weight: optional(amount) });

export const split: EditKind<SplitEdit> = {
  members: {
    field: fieldName,
    among: many(share, 200),
    together: optional(many(fieldName, 10)),
    level: optional(many(load, 5)),
    follow: optional(fieldName),
    order: optional(many(fieldName, 10)),
  },
  doc: 'The records divided among several people or values: evenly, by weights, or to whoever has fewest.',
  example: { kind: 'split', field: 'owner', among: [{ to: 'Ines Calloway', weight: 2 }, { to: 'Tobias Fenwick' }] },
  words: ['assign', 'distribute', 'owner', 'reassign', 'round robin', 'share out', 'hand out', 'balance', 'spread'],
  lower(edit, about) {
    const field = editableField(about.type, edit.field);
    if (edit.level && edit.among.some((a) => a.weight !== undefined))
      fail('bad_value', 'Who has fewest gets the next: there are no weights in that.', { where: 'level' });
    if (edit.level && edit.together)
      fail('bad_value', 'What is kept together cannot be levelled to the record: leave one of the two out.', {
        where: 'together',
      });
    const follow = edit.follow === undefined ? null : followed(edit, field, about);
    if (follow && (edit.level || edit.together))
      fail('bad_value', 'What follows others is neither levelled nor kept together.', { where: 'follow' });
    const together = fieldsAt('together', edit.together ?? [], about).map((f) => f.tree);
    const place: Place = {
      // Those who follow are none of the others: these are divided to the record.
      per: follow ? [follow.when] : [],
      together,
      highest: null,
      level: edit.level ? levelOf(edit.level, valuesOf(edit, field), field, about) : null,
      order: fieldsAt('order', edit.order ?? [], about),
      value: follow ? firstOf([follow, { when: always, value: dealt(edit, field) }]) : dealt(edit, field),
      worked: { blank: 'refused', target: null, refusals: [] },
    };
    return [{ field, value: { from: 'place', place }, when: null }];
  },
  sentence(edit, of) {
    const { field, label } = fieldWords(of.type, edit.field);
    const weights = edit.among.map((a) => String(a.weight ?? 1));
    const isEven = weights.every((w) => Number(w) === Number(weights[0]));
    const to = (a: Share, i: number): string =>
      isEven ? givenWords(field, a.to, of) : `${givenWords(field, a.to, of)} (${weights[i]})`;
    const shown = edit.among.slice(0, 5).map(to);
    const rest = edit.among.length - shown.length;
    const names = list(rest > 0 ? [...shown, `${rest} more`] : shown, 'and');
    const how = edit.among.length === 1 || edit.level ? '' : isEven ? ' evenly' : ' by weight';
    const kept = edit.together ? `, each ${edit.together.map((t) => sourceWords(t, of)).join(', ')} kept together` : '';
    const level = edit.level ? `, levelled by ${levelWords(edit.level, { ...of, context: noContext })}` : '';
    const following = edit.follow ? `, but as ${sourceWords(edit.follow, of)} where that is one of these` : '';
    return `split ${label}${how} among ${names}${kept}${level}${following}`;
  },
};

/** Those whose way leads to one of the values, now or as the job will have it, and that value. */
function followed({ follow, among }: SplitEdit, field: Field, { catalog, type, context }: About): Case {
  return within('follow', () => {
    const at = resolveColumn(catalog, type, follow!);
    if (at.through.length === 0 || at.field.refersTo !== field.refersTo || at.field.base !== field.base)
      fail(
        'type_mismatch',
        `“${clip(follow!)}” is no ${field.label.toLowerCase()} of what these ${typeWords(type)} point at, such as grower.owner.`,
      );
    const now: Checked = { kind: 'field', at };
    const value: Checked = context.ofLaterPart ? { kind: 'planned', operand: now } : now;
    const isOne: Checked = { kind: 'in', operand: value, list: valuesOf({ among }, field) };
    return { when: call('if', 'yes_no', isOne, always, not(always)), value };
  });
}

/**
 * The place falls into the share of the first value whose end it does not pass: of `size` records, the shares of all up to
 * and with it, rounded. So each has what is due to it, to the record, and none is left over.
 */
function dealt({ among }: Pick<SplitEdit, 'among'>, field: Field): Checked {
  const weights = among.map(({ weight = 1 }, i) => {
    const w = Number(weight);
    if (w < 0 || w > greatest)
      fail('bad_value', 'A weight is a number from 0 to 1,000,000,000.', { where: `among[${i}].weight` });
    return w;
  });
  const seen = new Map<string, number>();
  for (const [i, { to }] of among.entries()) {
    const before = seen.get(String(to));
    if (before !== undefined)
      fail('bad_value', `“${clip(String(to))}” is there twice; give a greater weight to one who is to have more.`, {
        where: `among[${i}].to`,
      });
    seen.set(String(to), i);
  }
  const parts = weights.map((w) => BigInt(Math.round(w * precision)));
  const all = parts.reduce((sum, w) => sum + w, 0n);
  if (all === 0n) fail('bad_value', 'The weights come to nothing, so nobody would get any.', { where: 'among' });
  const values = valuesOf({ among }, field);
  const common = parts.reduce(greatestCommon, all);
  let upTo = 0n;
  const cases = values.flatMap((value, i): Case[] => {
    upTo += parts[i]!;
    if (parts[i] === 0n) return [];
    if (upTo === all) return [{ when: always, value }];
    // place ≤ ROUND(size × upTo ÷ all), without dividing for every record.
    const left = calculated('*', calculated('-', calculated('*', two, place), one), numberTree(String(all / common)));
    const right = calculated('*', calculated('*', two, size), numberTree(String(upTo / common)));
    return [{ when: { kind: 'compare', op: '<=', left, right }, value }];
  });
  return firstOf(cases);
}

const valuesOf = ({ among }: Pick<SplitEdit, 'among'>, field: Field): readonly Checked[] =>
  among.map(({ to }, i) => givenValue(field, to, `among[${i}].to`));

const place: Checked = { kind: 'place', what: 'number' };
const size: Checked = { kind: 'place', what: 'size' };
const [one, two] = [numberTree('1'), numberTree('2')];

function greatestCommon(a: bigint, b: bigint): bigint {
  return b === 0n ? a : greatestCommon(b, a % b);
}

/** Weights count to so many parts of one. */
const precision = 1_000_000;
const greatest = 1e9;
