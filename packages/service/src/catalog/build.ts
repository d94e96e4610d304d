import {
  isUsableInKey,
  type Base,
  type Choice,
  type Field,
  type FieldKind,
  type Pointer,
  type RecordType,
  type RowRules,
  type Rule,
} from '@tantamos/core';
import type { ColumnRow, ConstraintRow, introspect, PolicyRow, TableRow } from './introspect';
import { noSettings, type FieldSettings, type TypeSettings } from './settings';

type Read = Awaited<ReturnType<typeof introspect>>;
const defaultBounds = { mostRecords: null, typedFrom: 5000, largestBatch: 10_000 };

/** Record types from what the database says of itself, with the administrator's settings laid over. */
export function buildTypes(
  read: Read,
  typeSettings: ReadonlyMap<string, TypeSettings>,
  fieldSettings: ReadonlyMap<string, FieldSettings>,
): RecordType[] {
  const idOf = new Map(read.tables.map((t) => [t.oid, t.visible ? t.table : `${t.schema}.${t.table}`]));
  const columns = groupBy(read.columns);
  const constraints = groupBy(read.constraints);
  const triggers = groupBy(read.triggers);
  const policies = groupBy(read.policies);
  const keyOf = (oid: number): readonly string[] => keyColumns(constraints.get(oid) ?? [], columns.get(oid) ?? []);
  return read.tables.map((table) => {
    const id = idOf.get(table.oid)!;
    const settings = typeSettings.get(id) ?? noSettings;
    const rules = constraints.get(table.oid) ?? [];
    const key = keyOf(table.oid);
    const references = new Map(
      rules
        .filter(
          (c) =>
            c.kind === 'f' &&
            c.columns.length === 1 &&
            c.target !== null &&
            isOne(keyOf(c.target), c.target_columns?.[0]),
        )
        .map((c) => [c.columns[0]!, idOf.get(c.target!)] as const)
        .flatMap(([column, target]) => (target === undefined ? [] : [[column, target] as const])),
    );
    const fields = (columns.get(table.oid) ?? []).map((column) =>
      buildField(column, rules, key, references.get(column.name) ?? null, fieldSettings.get(`${id}.${column.name}`)),
    );
    return {
      id,
      schema: table.schema,
      table: table.table,
      label: settings.label ?? words(table.table),
      comment: table.comment,
      key,
      nameField: settings.nameField ?? guessName(fields),
      ownerFields:
        settings.ownerFields ?? fields.filter((f) => f.kind === 'reference' && f.name === 'owner').map((f) => f.name),
      fields,
      rules: rules.flatMap((c) => buildRule(c)),
      triggers: (triggers.get(table.oid) ?? []).map((t) => ({
        name: t.name,
        comment: t.comment,
        at: t.at,
        onFields: t.on_columns,
      })),
      pointers: pointersAt(table.oid, read, idOf),
      rowRules: table.row_rules ? rowRules(policies.get(table.oid) ?? []) : null,
      notChangeable: whyNotChangeable(table, key, fields),
      hidden: settings.hidden,
      bounds: {
        mostRecords: settings.mostRecords,
        typedFrom: settings.typedFrom ?? defaultBounds.typedFrom,
        largestBatch: settings.largestBatch ?? defaultBounds.largestBatch,
      },
      about: table.about,
    };
  });
}

function buildField(
  column: ColumnRow,
  constraints: readonly ConstraintRow[],
  key: readonly string[],
  refersTo: string | null,
  settings: FieldSettings | undefined,
): Field {
  const isKey = key.includes(column.name);
  const base = baseOf(column);
  const choices = choicesOf(column, constraints);
  const [precision, scale] = digitsOf(column.base_type);
  const kind = kindOf(base, { isKey, isWholeKey: isOne(key, column.name), refersTo, choices });
  return {
    name: column.name,
    label: settings?.label ?? words(column.name),
    comment: column.comment,
    kind,
    base,
    dbType: column.db_type,
    maxLength: Number(/^character(?: varying)?\((\d+)\)/.exec(column.base_type)?.[1] ?? 0) || null,
    precision,
    scale,
    choices,
    refersTo,
    required: column.required,
    unique:
      isOne(key, column.name) ||
      constraints.some((c) => c.kind === 'u' && c.columns.length === 1 && c.columns[0] === column.name),
    notEditable: whyNotEditable(column, isKey, base, settings),
    hidden: settings?.hidden ?? false,
    protected: settings?.protected ?? false,
    generated: column.generated,
    default: column.default,
  };
}

/** The primary key or, where there is none, the first unique key that no null and no later moment can get round. */
function keyColumns(constraints: readonly ConstraintRow[], columns: readonly ColumnRow[]): readonly string[] {
  const primary = constraints.find((c) => c.kind === 'p');
  if (primary) return primary.columns;
  const required = (name: string): boolean => columns.some((c) => c.name === name && c.required);
  const unique = constraints
    .filter((c) => c.kind === 'u' && !c.deferrable && c.columns.every(required))
    .sort((a, b) => a.columns.length - b.columns.length);
  return unique[0]?.columns ?? [];
}

function isOne(key: readonly string[], column: string | undefined): boolean {
  return key.length === 1 && key[0] === column;
}

const onDelete: Readonly<Record<ConstraintRow['on_delete'], Pointer['onDelete']>> = {
  a: 'refuse',
  r: 'refuse',
  ' ': 'refuse',
  c: 'cascade',
  n: 'set_null',
  d: 'set_default',
};

/** Every foreign key at a table, from types and from elsewhere. */
function pointersAt(oid: number, read: Read, idOf: ReadonlyMap<number, string>): Pointer[] {
  const seen = read.constraints
    .filter((c) => c.kind === 'f' && c.target === oid && idOf.has(c.oid))
    .map((c): Pointer => {
      const type = idOf.get(c.oid)!;
      return {
        type,
        label: words(type),
        schema: c.schema,
        table: c.table,
        fields: c.columns,
        at: c.target_columns ?? [],
        onDelete: onDelete[c.on_delete],
      };
    });
  const unseen = read.outsidePointers
    .filter((p) => p.target === oid)
    .map((p): Pointer => ({
      type: null,
      label: p.table,
      schema: p.schema,
      table: p.table,
      fields: [],
      at: [],
      onDelete: onDelete[p.on_delete],
    }));
  return [...seen, ...unseen];
}

/** Row rules as one condition each: any of the permissive ones, and all of the restrictive. */
function rowRules(policies: readonly PolicyRow[]): RowRules {
  const together = (text: (p: PolicyRow) => string | null): string => {
    const some = policies.filter((p) => p.permissive).map((p) => text(p) ?? 'true');
    const all = policies.filter((p) => !p.permissive).map((p) => text(p) ?? 'true');
    const any = some.length > 0 ? some.map((t) => `(${t})`).join(' or ') : 'false';
    return [`(${any})`, ...all.map((t) => `(${t})`)].join(' and ');
  };
  return { using: together((p) => p.using), check: together((p) => p.check ?? p.using) };
}

function baseOf({ base_type: type, category }: ColumnRow): Base {
  if (category === 'E') return 'text';
  if (/^(character|text|citext|bpchar)/.test(type) && !type.endsWith('[]')) return 'text';
  if (/^(smallint|integer|bigint|numeric|real|double precision)/.test(type) && !type.endsWith('[]')) return 'number';
  if (type === 'boolean') return 'yes_no';
  if (type === 'date') return 'date';
  if (/^timestamp/.test(type) && !type.endsWith('[]')) return 'moment';
  if (type === 'uuid') return 'uuid';
  return type.endsWith('[]') ? 'list' : 'other';
}

function kindOf(
  base: Base,
  about: { isKey: boolean; isWholeKey: boolean; refersTo: string | null; choices: unknown },
): FieldKind {
  // A part of a key that points at a record is shown by its name; one that is the whole key stays the key.
  if (about.refersTo !== null && !about.isWholeKey) return 'reference';
  if (about.isKey) return 'key';
  if (about.choices) return 'choice';
  return base === 'uuid' ? 'text' : base;
}

function digitsOf(type: string): [number | null, number | null] {
  if (/^(smallint|integer|bigint)$/.test(type)) return [null, 0];
  const digits = /^numeric\((\d+),(\d+)\)/.exec(type);
  return digits ? [Number(digits[1]), Number(digits[2])] : [null, null];
}

/** From an enum, or from a CHECK that lists the texts it allows. */
function choicesOf(column: ColumnRow, constraints: readonly ConstraintRow[]): Choice[] | null {
  const check = constraints.find(
    (c) => c.kind === 'c' && c.columns.length === 1 && c.columns[0] === column.name && choiceTexts(c.condition),
  );
  const values = column.labels ?? (check ? choiceTexts(check.condition) : null);
  return values ? values.map((value) => ({ value, label: words(value) })) : null;
}

/** The texts of a condition such as `(status = ANY (ARRAY['draft'::text, 'sent'::text]))`; null for any other. */
function choiceTexts(condition: string | null): string[] | null {
  const found = /^\(\(?"?[\w ]+"?\)?(?:::text)? = ANY \(\(?ARRAY\[(.*)\]\)?(?:::text\[\])?\)\)$/s.exec(condition ?? '');
  if (!found) return null;
  const items = found[1]!.match(/'(?:[^']|'')*'(?:::character varying)?(?:::text)?/g);
  return items?.map((i) => i.replace(/^'(.*?)'(?:::[\w ]+)*$/s, '$1').replaceAll("''", "'")) ?? null;
}

function buildRule(c: ConstraintRow): Rule[] {
  if (c.kind !== 'c' || c.condition === null || choiceTexts(c.condition)) return [];
  const message = c.comment ?? `It would break the rule ${c.name}: ${c.condition}`;
  return [{ name: c.name, message, condition: c.condition, fields: c.columns, holdsForAll: c.validated }];
}

function whyNotEditable(
  column: ColumnRow,
  isKey: boolean,
  base: Base,
  settings: FieldSettings | undefined,
): string | null {
  if (isKey) return 'it is the key of the record.';
  if (column.generated) return 'the database works it out from other fields.';
  if (column.identity_always) return 'the database numbers it.';
  if (settings?.protected) return 'an administrator has protected it.';
  if (!column.updatable) return 'the account Tantamos uses in the database may not change it.';
  if (base === 'list') return 'lists cannot be changed yet.';
  if (base === 'other') return `fields of the database type ${column.db_type} can be read and not changed.`;
  return null;
}

function whyNotChangeable(table: TableRow, key: readonly string[], fields: readonly Field[]): string | null {
  const label = words(table.table);
  if (table.is_view) return `${label} is a view: its records can be read and not changed.`;
  if (table.has_children)
    return `Other tables inherit from ${label.toLowerCase()}, so that one key may name several records: they can be read and not changed.`;
  if (key.length === 0)
    return `${label} have no primary key, and no unique key without nulls, so a record cannot be named: they can be read and not changed.`;
  if (!key.every((name) => isUsableInKey(fields.find((f) => f.name === name)!)))
    return `${label} have a key of a kind that cannot be used here (${key.join(', ')}): they can be read and not changed.`;
  if (!table.updatable) return `The account Tantamos uses in the database may not change ${label.toLowerCase()}.`;
  return null;
}

/** The field that names a record: `name` and the like, else the first unique text, else the first text. */
function guessName(fields: readonly Field[]): string | null {
  const texts = fields.filter((f) => f.base === 'text' && !f.choices);
  for (const name of ['name', 'title', 'subject', 'headline', 'label', 'reference', 'number', 'code'])
    if (texts.some((f) => f.name === name)) return name;
  return (texts.find((f) => f.unique) ?? texts[0])?.name ?? null;
}

/** `price_per_hive` → `Price per hive`. */
function words(name: string): string {
  const text = name.replace(/[_\s]+/g, ' ').trim();
  return text === '' ? name : text[0]!.toUpperCase() + text.slice(1);
}

function groupBy<R extends { oid: number }>(rows: readonly R[]): Map<number, R[]> {
  const groups = new Map<number, R[]>();
  for (const row of rows) {
    const group = groups.get(row.oid);
    if (group) group.push(row);
    else groups.set(row.oid, [row]);
  }
  return groups;
}
