/** What becomes of a row of a file, each in the words that follow its number: “26 fit no record”; in the order they are said. */
export const fateWords = {
  taken: 'taken',
  new: 'new',
  same: 'not edited',
  edited_since: 'edited by others since',
  unknown: 'fit no record',
  several: 'fit several',
  twice: 'contradict each other',
  repeat: 'said before',
  unfit: 'do not fit',
  blank: 'blank',
} as const;
export type RowFate = keyof typeof fateWords;
export const rowFates = Object.keys(fateWords) as readonly RowFate[];
