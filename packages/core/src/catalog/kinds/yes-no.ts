import { yesNo as yesNoTerm } from '../../language/term';
import { editable, type Kind } from './kind';

export const yesNo: Kind = {
  stored: ['bool'],
  words: 'yes or no',
  valueType: 'yes_no',
  compares: 'equality',
  inKey: true,
  literal: 'yes_no',
  cell: 'text',
  hasRanges: false,
  whyNotEditable: editable,
  canonical({ trimmed, what, short, bad }) {
    if (/^(true|yes)$/i.test(trimmed)) return 'true';
    if (/^(false|no)$/i.test(trimmed)) return 'false';
    return bad(`${what} is yes or no; “${short}” is neither.`);
  },
  term: (column) => yesNoTerm(column),
  inList: null,
};
