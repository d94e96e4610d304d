import { noPacing } from '../catalog/pacing';
import { Catalog, type Field, type RecordType } from '../catalog/catalog';

function field(name: string, more: Partial<Field> = {}): Field {
  const label = name[0]!.toUpperCase() + name.slice(1).replaceAll('_', ' ');
  return {
    name,
    label,
    comment: null,
    kind: 'text',
    base: 'text',
    dbType: 'text',
    declared: more.dbType ?? 'text',
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
    ...more,
  };
}

const key = field('id', {
  kind: 'key',
  base: 'number',
  dbType: 'integer',
  scale: 0,
  required: true,
  unique: true,
  notEditable: 'it is the key.',
});

function recordType(id: string, fields: readonly Field[], more: Partial<RecordType> = {}): RecordType {
  return {
    id,
    schema: 'public',
    table: id,
    label: id[0]!.toUpperCase() + id.slice(1),
    comment: null,
    key: ['id'],
    nameField: 'name',
    ownerFields: [],
    activeField: null,
    openWhen: null,
    newKeys: null,
    onlyActive: null,
    fields: [key, ...fields],
    unreadable: [],
    hasPlaces: true,
    isLockable: true,
    shows: null,
    isPartitioned: false,
    rules: [],
    triggers: [],
    pointers: [],
    rowRules: null,
    limits: null,
    notChangeable: null,
    hidden: false,
    bounds: { mostRecords: null, typedFrom: 5000, largestBatch: 10_000, ...noPacing },
    about: 100,
    ...more,
  };
}

const choices = ['draft', 'confirmed', 'placed'].map((value) => ({
  value,
  label: value[0]!.toUpperCase() + value.slice(1),
}));
const rule = {
  name: 'has_site',
  message: 'A confirmed booking needs a site.',
  condition: `((status <> 'confirmed') OR (site IS NOT NULL))`,
  fields: ['status', 'site'],
  holdsForAll: false,
  ofDomain: false,
};

/** Two types of the field's everyday, for tests that need no database. */
export const catalog = new Catalog([
  recordType('staff', [
    field('name'),
    field('lead', { kind: 'reference', base: 'number', dbType: 'integer', refersTo: 'staff' }),
  ]),
  recordType(
    'bookings',
    [
      field('name', { maxLength: 12, dbType: 'character varying(12)' }),
      field('owner', { kind: 'reference', base: 'number', dbType: 'integer', refersTo: 'staff' }),
      field('status', { kind: 'choice', choices, required: true }),
      field('site', { base: 'number', kind: 'number', dbType: 'integer', scale: 0 }),
      field('hives', { base: 'number', kind: 'number', dbType: 'smallint', scale: 0 }),
      field('price', { base: 'number', kind: 'number', dbType: 'numeric(8,2)', precision: 8, scale: 2 }),
      field('water', { base: 'yes_no', kind: 'yes_no', dbType: 'boolean' }),
      field('start_on', { base: 'date', kind: 'date', dbType: 'date' }),
      field('seen_at', { base: 'moment', kind: 'moment', dbType: 'timestamp with time zone' }),
      field('note'),
    ],
    { rules: [rule] },
  ),
]);
