import { fieldOf, type Field } from '../catalog/catalog';
import { always, calculated, call, numberTree, type Case } from '../language/build';
import { typeOf, type Checked } from '../language/checked';
import { list, conditionWords } from '../language/words';
import { fail, within } from '../problem';
import type { Change, Level, Load } from './change';
import type { About } from './kind';
import { expression, fieldName, group, optional } from './member';
import { conditionAt } from './worked';

/** Records that count as somebody's load: those of a type that have them in a field, all or some. */
export interface LoadSaid {
  /** The type that is being changed where nothing is said. */
  readonly type?: string;
  /** The field that is being divided where nothing is said. */
  readonly field?: string;
  readonly filter?: string;
}

export const load = group<LoadSaid>({
  type: optional(fieldName),
  field: optional(fieldName),
  filter: optional(expression),
});

export function levelOf(said: readonly LoadSaid[], values: readonly Checked[], field: Field, about: About): Level {
  return { values, loads: said.map((one, i) => loadOf(one, `level[${i}]`, field, about)) };
}

function loadOf({ type: typeId, field: name, filter }: LoadSaid, at: string, divided: Field, about: About): Load {
  const type = typeId === undefined ? about.type : within(`${at}.type`, () => about.catalog.type(typeId));
  if (name === undefined && type.id !== about.type.id)
    fail('bad_value', `Say which field of ${type.label.toLowerCase()} says whose they are.`, {
      where: `${at}.field`,
    });
  const field = name === undefined ? divided : within(`${at}.field`, () => fieldOf(type, name));
  if (field.refersTo !== divided.refersTo || (field.refersTo === null && field.base !== divided.base))
    fail('type_mismatch', `${field.label} of ${type.label.toLowerCase()} holds no ${divided.label.toLowerCase()}.`, {
      where: `${at}.field`,
    });
  return {
    type,
    field,
    condition:
      filter === undefined
        ? null
        : conditionAt(`${at}.filter`, filter, { ...about, type, context: { ...about.context, ofEdit: false } }),
  };
}

/** “present load (tasks where status is open)” */
export function levelWords(said: readonly LoadSaid[], { type, catalog, context }: About): string {
  const each = said.map(({ type: typeId, filter }) => {
    const of = typeId === undefined ? type : catalog.find(typeId);
    const which = (of?.label ?? typeId!).toLowerCase();
    if (filter === undefined) return which;
    try {
      return `${which} where ${conditionWords(conditionAt('filter', filter, { type: of ?? type, catalog, context }))}`;
    } catch {
      return `${which} where ${filter.trim()}`;
    }
  });
  return `present load (${list(each, 'and')})`;
}

/**
 * Deals the places out so that in the end all have as many as can be: whoever has fewest is dealt to until the next has no
 * more, then they take turns. `counts`: what each value has now, in the order of the level's values.
 */
export function levelled(change: Change, counts: readonly number[]): Change {
  if (change.value.from !== 'place' || change.value.place.level === null) return change;
  const { place } = change.value;
  const { values } = place.level!;
  const ranked = values.map((value, i) => ({ value, count: counts[i]! })).sort((a, b) => a.count - b.count);
  const at: Checked = { kind: 'place', what: 'number' };
  const whose: Case[] = [];
  let dealt = 0;
  ranked.forEach((_, i) => {
    const few = i + 1;
    const next = ranked[few];
    const turn = calculated('-', at, numberTree(String(dealt + 1)));
    const value = few === 1 ? numberTree('1') : oneMore(call('mod', 'number', turn, numberTree(String(few))));
    if (!next) return whose.push({ when: always, value });
    const room = few * (next.count - ranked[i]!.count);
    if (room === 0) return;
    dealt += room;
    whose.push({ when: { kind: 'compare', op: '<=', left: at, right: numberTree(String(dealt)) }, value });
  });
  const cases = whose.flatMap((c) => [c.when, c.value]);
  const rank = whose.length === 1 ? whose[0]!.value : call('ifs', 'number', ...cases);
  const given = ranked.flatMap(({ value }, i) => [numberTree(String(i + 1)), value]);
  const value = ranked.length === 1 ? ranked[0]!.value : call('switch', typeOf(ranked[0]!.value), rank, ...given);
  return { ...change, value: { from: 'place', place: { ...place, level: null, value } } };
}

const oneMore = (tree: Checked): Checked => calculated('+', tree, numberTree('1'));
