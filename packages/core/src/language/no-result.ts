import { clip } from '../catalog/catalog';
import { pathText } from '../catalog/path';
import { typeOf, type Checked } from './checked';

/** A reason for which nothing comes out of an expression: the words, and when it is the one. */
export interface NoResult {
  readonly when: Checked;
  readonly words: string;
  /** Also where something comes out. */
  readonly always?: true;
  /** Only that something is blank. */
  readonly blank?: true;
}

/** How many are told apart; what is beyond is only said to have no result. */
const mostTold = 30;

/**
 * Why an expression may have no result, in the order in which to ask: what is divided by is 0; a text is no number or
 * date; a field is blank. Parts that a blank or a condition may pass by (IF, COALESCE …) are not looked into.
 */
export function noResultsOf(tree: Checked): readonly NoResult[] {
  const found = new Map<string, NoResult>();
  const add = (words: string, when: Checked, blank?: true): void => {
    if (!found.has(words) && found.size < mostTold) found.set(words, { words, when, ...(blank && { blank }) });
  };
  const blanks: (() => void)[] = [];
  const visit = (node: Checked): void => {
    switch (node.kind) {
      case 'arithmetic':
        visit(node.left);
        visit(node.right);
        if (node.op === '/' || node.op === '%' || node.op === 'div')
          add('division by zero', { kind: 'compare', op: '=', left: node.right, right: zero });
        return;
      case 'call': {
        if (node.entry.takesBlanks) return;
        node.args.forEach(visit);
        const reads = readings[node.entry.name];
        const [text] = node.args;
        if (reads && text) add(reads, { kind: 'not', operand: { kind: 'isNull', operand: text } });
        if (node.entry.name === 'MOD' && node.args[1])
          add('division by zero', { kind: 'compare', op: '=', left: node.args[1], right: zero });
        return;
      }
      case 'convert':
      case 'planned':
        return visit(node.operand);
      case 'field':
        // What is blank is the last thing to blame: a division tells more.
        blanks.push(() => add(`${clip(pathText(node.at))} is blank`, { kind: 'isNull', operand: node }, true));
        return;
      case 'children':
        if (node.fold !== 'has' && node.fold !== 'count')
          blanks.push(() =>
            add(`there is nothing to take the ${node.fold} of`, { kind: 'isNull', operand: node }, true),
          );
    }
  };
  visit(tree);
  for (const blank of blanks) blank();
  return [...found.values()].filter((r) => typeOf(r.when) === 'yes_no');
}

const zero: Checked = { kind: 'value', dbType: 'bigint', text: '0' };

/** Functions that read a text, and what is said where it reads as nothing. */
const readings: Readonly<Record<string, string>> = {
  VALUE: 'the text is no number',
  DATEVALUE: 'the text is no date',
};
