import { raw, sql } from '../../sql/sql';
import { order, type Value } from '../evaluate/value';
import { Term, yesNo } from '../term';
import type { FunctionEntry } from './entry';

type List = readonly Value[];

const within = (part: List, whole: List): boolean =>
  part.every((a) => a !== null && whole.some((b) => b !== null && order(a, b) === 0));

const compared = (
  name: string,
  doc: string,
  example: string,
  evaluate: (a: List, b: List) => boolean,
  call: string,
): FunctionEntry => ({
  name,
  group: 'Lists',
  source: 'OGC CQL2',
  doc,
  example,
  parameters: [
    { name: 'list', type: 'list' },
    { name: 'other', type: 'list' },
  ],
  result: 'yes_no',
  evaluate: ([a, b]) => evaluate(a as List, b as List),
  sql: ([a, b], _, ground) =>
    yesNo(
      call === '='
        ? ground.once([a!.sql, b!.sql], (x, y) => sql`(${x} @> ${y} and ${x} <@ ${y})`)
        : sql`(${a!.sql} ${raw(call)} ${b!.sql})`,
    ),
});

export const listFunctions: readonly FunctionEntry[] = [
  compared(
    'A_CONTAINS',
    'The first list holds all of the second.',
    "A_CONTAINS(grower.tags, ('steep'))",
    (a, b) => within(b, a),
    '@>',
  ),
  compared(
    'A_CONTAINEDBY',
    'All of the first list is in the second.',
    "A_CONTAINEDBY(grower.tags, ('steep', 'early bloom'))",
    (a, b) => within(a, b),
    '<@',
  ),
  compared(
    'A_EQUALS',
    'Both lists hold the same, in any order.',
    "A_EQUALS(grower.tags, ('steep', 'early bloom'))",
    (a, b) => within(a, b) && within(b, a),
    '=',
  ),
  compared(
    'A_OVERLAPS',
    'The lists have something in common.',
    "A_OVERLAPS(grower.tags, ('steep', 'early bloom'))",
    (a, b) => a.some((x) => within([x], b)),
    '&&',
  ),
];

const editing = (
  name: string,
  doc: string,
  evaluate: (all: List, item: Value) => List,
  made: string,
): FunctionEntry => ({
  name,
  group: 'Lists',
  source: 'Tantamos',
  doc,
  example: '',
  parameters: [
    { name: 'list', type: 'list' },
    { name: 'item', type: 'text' },
  ],
  result: 'list',
  takesBlanks: true,
  evaluate: ([all, item]) => (item === null ? null : evaluate((all ?? []) as List, item!)),
  // A list of lists is none of these.
  sql: ([all, item], _, ground) =>
    new Term(
      ground.once([all!.sql, item!.sql], (list, one) => {
        const texts = sql`${list}::text[]`;
        return sql`(case when array_ndims(${list}) > 1 or ${one} is null then null else ${
          made === 'with'
            ? sql`case when ${one} = any(${texts}) then ${texts} else coalesce(${texts}, '{}') || ${one} end`
            : sql`array_remove(${texts}, ${one})`
        } end)`;
      }),
      'list',
    ),
});

/** What edits make of lists; nobody types them, so they are not among the functions of the language. */
export const listEdits: readonly FunctionEntry[] = [
  editing(
    'with_item',
    'The list with one more item at its end, unless it is among them.',
    (all, item) => (all.includes(item) ? all : [...all, item]),
    'with',
  ),
  editing('without_item', 'The list without an item.', (all, item) => all.filter((i) => i !== item), 'without'),
];
