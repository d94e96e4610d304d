import type { Field, RecordType } from '../catalog/catalog';
import { noPacing } from '../catalog/pacing';
import { raw, sql, join, value, type Sql } from '../sql/sql';

/** How the cells of a column are read: as they stand, or as something that a field holds. */
export type CellReading =
  | { readonly as: 'text' }
  | { readonly as: 'number'; readonly decimal: DecimalMark }
  | { readonly as: 'yes_no' }
  | { readonly as: 'date' | 'moment'; readonly order: DateOrder };

export const cellReadings = ['text', 'number', 'yes_no', 'date', 'moment'] as const;
export const decimalMarks = ['.', ','] as const;
export type DecimalMark = (typeof decimalMarks)[number];
/** Which comes first in dates that do not begin with the year: the day, or the month. */
export const dateOrders = ['dmy', 'mdy'] as const;
export type DateOrder = (typeof dateOrders)[number];

/** Stands before what a cell that holds an error shows: it is never taken for a value. */
export const errorMark = '\u241b';

const kinds = {
  text: { base: 'text', dbType: 'text' },
  number: { base: 'number', dbType: 'numeric' },
  yes_no: { base: 'yes_no', dbType: 'boolean' },
  date: { base: 'date', dbType: 'date' },
  moment: { base: 'moment', dbType: 'timestamp with time zone' },
} as const;

/** The field that a column is, from 0: what its cells are read as. */
export const readName = (column: number): string => `c${column + 1}`;
/** The same as it stands in the file. */
export const saidName = (column: number): string => `s${column + 1}`;

/**
 * The rows of a kept file as records, of which each column is a field twice: as it is read, and as it stands. `where`: only
 * rows `r` for which this holds. `zone`: of moments without an offset.
 */
export function fileType(
  file: string,
  columns: readonly { readonly name: string; readonly reading: CellReading }[],
  { where = raw('true'), zone = 'UTC' }: { readonly where?: Sql; readonly zone?: string } = {},
): RecordType {
  const fields = columns.flatMap(({ name, reading }, i) => {
    return [columnField(readName(i), name, reading.as), fieldOf(saidName(i), name, 'text', 'text')];
  });
  const cells = columns.map((_, i) => sql`${cell(i)} as ${raw(saidName(i))}`);
  const values = columns.flatMap(({ reading }, i) => {
    const said = raw(`s.${saidName(i)}`);
    return [sql`${read(said, reading, zone)} as ${raw(readName(i))}`, said];
  });
  // Cut out once, and read once (`offset 0`): either is asked for several times of every row, and would be done as often.
  // Beside the fields stands what a row is apart from its values, for who asks the rows themselves.
  const itself = (row: string): readonly Sql[] => ['n', 'at', 'cells', 'trouble'].map((name) => raw(`${row}.${name}`));
  const source = sql`(select ${join([...itself('s'), ...values], ', ')} from (
    select ${join([...itself('r'), ...cells], ', ')} from tantamos.file_row r
    where r.file = ${value(file)}::uuid and ${where} offset 0) s offset 0)`;
  return {
    ...nothing,
    id: `file:${file}`,
    label: 'Rows of the file',
    fields: [place, ...fields],
    limits: { source, changed: () => null },
  };
}

/** So many records out of nothing, of which new ones can be made. */
export function rowsType(count: number): RecordType {
  const source = sql`(select n from generate_series(1, ${value(count)}::int) n)`;
  return { ...nothing, id: `rows:${count}`, label: 'New', fields: [place], limits: { source, changed: () => null } };
}

/** What rows are known as where no file is meant: of no type that a database has. */
export const rowsId = 'rows:';

/** Are its records rows of a file, or made out of nothing: nobody's own? */
export function isRows({ id }: Pick<RecordType, 'id'>): boolean {
  return /^(file|rows):/.test(id);
}

/** What is written in a cell of the file’s row at an alias, without white space around it; blank where it holds nothing, or an error. */
export function cell(column: number, row = 'r'): Sql {
  const said = raw(`${row}.cells[${column + 1}]`);
  return sql`nullif(btrim(${said}, E' \\t\\r\\n\\u00a0'), '')`;
}

/** Longer cells are no number, no date, no yes or no: they are not looked at. */
const longestRead = 200;

function read(said: Sql, reading: CellReading, zone: string): Sql {
  if (reading.as === 'text') return said;
  return sql`case when length(${said}) <= ${raw(String(longestRead))} then ${readShort(said, reading, zone)} end`;
}

function readShort(said: Sql, reading: Exclude<CellReading, { readonly as: 'text' }>, zone: string): Sql {
  switch (reading.as) {
    case 'number': {
      // As most are written, inline: the function takes 15 µs a cell.
      const isPlain = raw(reading.decimal === '.' ? `'^-?\\d{1,18}([.]\\d{1,10})?$'` : `'^-?\\d{1,18}(,\\d{1,10})?$'`);
      const plain = reading.decimal === '.' ? said : sql`replace(${said}, ',', '.')`;
      return sql`case when ${said} ~ ${isPlain} then (${plain})::numeric else tantamos.read_number(${said}, ${value(reading.decimal)}) end`;
    }
    case 'yes_no':
      return sql`tantamos.read_yes_no(${said})`;
    case 'date':
      return sql`tantamos.read_date(${said}, ${value(reading.order)})`;
    case 'moment':
      return sql`tantamos.read_moment(${said}, ${value(reading.order)}, ${value(zone)})`;
  }
}

/** A column as a field of this name that holds what its cells are read as. */
export function columnField(name: string, label: string, as: CellReading['as']): Field {
  return fieldOf(name, label, kinds[as].base, kinds[as].dbType);
}

function fieldOf(name: string, label: string, base: Field['base'], dbType: string): Field {
  return {
    name,
    label,
    comment: null,
    kind: base === 'uuid' ? 'text' : base,
    base,
    dbType,
    declared: dbType,
    maxLength: null,
    precision: null,
    scale: null,
    choices: null,
    refersTo: null,
    required: false,
    unique: false,
    notEditable: null,
    hidden: false,
    protected: false,
    generated: false,
    default: null,
  };
}

const place: Field = {
  ...fieldOf('n', 'Row', 'number', 'integer'),
  scale: 0,
  required: true,
  unique: true,
  kind: 'key',
};

const nothing: Omit<RecordType, 'id' | 'label' | 'fields' | 'limits'> = {
  schema: 'tantamos',
  table: 'file_row',
  comment: null,
  key: ['n'],
  nameField: null,
  ownerFields: [],
  activeField: null,
  openWhen: null,
  newKeys: null,
  onlyActive: null,
  unreadable: [],
  hasPlaces: false,
  isLockable: false,
  shows: null,
  isPartitioned: false,
  rules: [],
  triggers: [],
  pointers: [],
  rowRules: null,
  notChangeable: null,
  hidden: false,
  bounds: { mostRecords: null, typedFrom: 100, largestBatch: 10_000, ...noPacing },
  about: 0,
};
