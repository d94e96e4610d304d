import {
  baseStoredAs,
  Catalog,
  ofBase,
  dotted,
  isUsableInKey,
  type Base,
  type Choice,
  type Field,
  type NewKeys,
  type FieldKind,
  type Pointer,
  type ReferenceAction,
  type RecordType,
  type RowRules,
  type Rule,
} from '@tantamos/core';
import type { ColumnRow, ConstraintRow, introspect, PolicyRow, TableRow } from './introspect';
import { groupBy, holdsIn, keysOf, shownBy } from './keys';
import type { FieldSettings, TypeSettings } from './settings';

type Read = Awaited<ReturnType<typeof introspect>>;
/** What administrators lay over the database's own. */
export interface Settings {
  /** Why nothing can be changed at all; null where it can. */
  readonly readOnly: string | null;
  type(id: string): TypeSettings;
  field(type: string, name: string): FieldSettings | undefined;
}
const defaultBounds = { mostRecords: null, typedFrom: 5000, largestBatch: 10_000 };

/** Those that are named first, in that order; then the rest, as they are. */
function inOrder(fields: readonly Field[], names: readonly string[]): readonly Field[] {
  const first = names.flatMap((name) => fields.find((f) => f.name === name) ?? []);
  return first.length === 0 ? fields : [...new Set([...first, ...fields])];
}

/** Record types from what the database says of itself, with the administrator's settings laid over. */
export function buildCatalog(read: Read, settings: Settings): Catalog {
  const readable = read.tables.filter((t) => t.readable);
  const idOf = new Map(readable.map((t) => [t.oid, typeId(t)]));
  const columns = groupBy(read.columns);
  const constraints = groupBy(read.constraints);
  const triggers = groupBy(read.triggers);
  const policies = groupBy(read.policies);
  const wholeKeyOf = keysOf(read);
  const isReadable = (oid: number, name: string): boolean =>
    columns.get(oid)?.find((c) => c.name === name)?.readable === true;
  const keyOf = (oid: number): readonly string[] => {
    const key = wholeKeyOf(oid);
    return key.every((name) => isReadable(oid, name)) ? key : [];
  };
  const types = readable.map((table): RecordType => {
    const id = idOf.get(table.oid)!;
    const under = tableUnder(table, read.tables);
    const laid = settings.type(id);
    const rules = constraints.get(table.oid) ?? [];
    const key = keyOf(table.oid);
    const all = columns.get(table.oid) ?? [];
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
    const own = all
      .filter((column) => column.readable)
      .map((column) =>
        buildField(column, rules, key, references.get(column.name) ?? null, settings.field(id, column.name)),
      );
    const newKeys = laid.newKeys !== null && key.length === 1 ? laid.newKeys : null;
    const fields = newKeys === null ? own : own.map((f) => (f.name === key[0] ? withNewKeys(f, newKeys, table) : f));
    // Of that name; a field that is gone or of another kind tells nothing.
    const activeField =
      fields.find((f) => f.base === 'yes_no' && f.name === (laid.activeField ?? 'active'))?.name ?? null;
    return {
      id,
      schema: table.schema,
      table: table.table,
      label: laid.label ?? words(table.table),
      comment: table.comment,
      key,
      nameField: laid.nameField ?? guessName(fields),
      ownerFields:
        laid.ownerFields ?? fields.filter((f) => f.kind === 'reference' && f.name === 'owner').map((f) => f.name),
      activeField,
      openWhen: laid.openWhen,
      newKeys: fields === own ? null : newKeys,
      onlyActive: laid.refusesInactive ? activeField : null,
      fields: inOrder(fields, laid.fieldOrder ?? []),
      unreadable: all
        .filter((c) => !c.readable && !settings.field(id, c.name)?.hidden)
        .map((c) => ({
          name: c.name,
          label: words(c.name),
          reason: 'the account Tantamos uses in the database may not read it.',
        })),
      isPartitioned: table.kind === 'p',
      hasPlaces: (table.kind === 'r' || table.kind === 'p') && table.wholly_readable,
      isLockable: table.wholly_updatable,
      shows: under,
      // What rests on values that cannot be read is left to the database to refuse.
      rules: [...rules.flatMap((c) => buildRule(c)), ...all.flatMap((c) => domainRules(c))].filter((r) =>
        r.fields.every((name) => isReadable(table.oid, name)),
      ),
      triggers: [
        ...(triggers.get(table.oid) ?? []).map((t) => ({ ...t, onFields: t.on_columns })),
        // What is changed through a view sets off the triggers of the table under it, whatever its columns are called there.
        ...(under === null ? [] : (triggers.get(under) ?? [])).map((t) => ({ ...t, onFields: null })),
      ].map(({ name, comment, at, onFields }) => ({ name, comment, at, onFields })),
      pointers: pointersAt(table.oid, read, idOf, isReadable),
      rowRules: table.row_rules && all.every((c) => c.readable) ? rowRules(policies.get(table.oid) ?? []) : null,
      limits: null,
      notChangeable:
        settings.readOnly ??
        whyNotChangeable(table, {
          staysIn: table.kind !== 'v' || holdsIn(table, read.tables),
          key,
          wholeKey: wholeKeyOf(table.oid),
          fields,
        }),
      hidden: laid.hidden,
      bounds: {
        mostRecords: laid.mostRecords,
        typedFrom: laid.typedFrom ?? defaultBounds.typedFrom,
        largestBatch: laid.largestBatch ?? defaultBounds.largestBatch,
        usualBatch: laid.usualBatch,
        usualAtOnce: laid.usualAtOnce,
        usualPace: laid.usualPace,
        mostAtOnce: laid.mostAtOnce,
        mostPace: laid.mostPace,
      },
      about: table.about,
    };
  });
  const unreadable = read.tables
    .filter((t) => !t.readable && !settings.type(typeId(t)).hidden)
    .map((t) => ({
      name: typeId(t),
      label: words(t.table),
      reason: 'The account Tantamos uses in the database may not read it.',
    }));
  return new Catalog(types, unreadable);
}

/** The table that a view shows, through however many views. */
function tableUnder(table: TableRow, tables: Read['tables']): number | null {
  const under = shownBy(table)?.table;
  const next = tables.find((t) => t.oid === under);
  return next?.kind === 'v' ? tableUnder(next, tables) : (under ?? null);
}

/** The same whatever the search path: tables of `public` by their names, others with their schema before it. */
function typeId({ schema, table }: TableRow): string {
  return dotted(schema === 'public' ? [table] : [schema, table]);
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
  const [precision, scale] = digitsOf(column.db_type);
  const kind = fieldKindOf(base, { isKey, isWholeKey: isOne(key, column.name), refersTo, choices });
  return {
    name: column.name,
    label: settings?.label ?? words(column.name),
    comment: column.comment,
    kind,
    base,
    dbType: column.db_type,
    declared: column.declared,
    maxLength: Number(/^character(?: varying)?\((\d+)\)/.exec(column.db_type)?.[1] ?? 0) || null,
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
    leftOut: settings?.leftOut ?? false,
    generated: column.generated,
    default: column.default,
  };
}

function isOne(key: readonly string[], column: string | undefined): boolean {
  return key.length === 1 && key[0] === column;
}

const actions: Readonly<Record<ConstraintRow['on_delete'], ReferenceAction>> = {
  a: 'refuse',
  r: 'refuse',
  ' ': 'refuse',
  c: 'cascade',
  n: 'set_null',
  d: 'set_default',
};

/** Every foreign key at a table, from types and from elsewhere; what points by fields that cannot be read is elsewhere too. */
function pointersAt(
  oid: number,
  read: Read,
  idOf: ReadonlyMap<number, string>,
  isReadable: (oid: number, name: string) => boolean,
): Pointer[] {
  const pointing = read.constraints.filter((c) => c.kind === 'f' && c.target === oid && idOf.has(c.oid));
  const isSeen = (c: ConstraintRow): boolean => c.columns.every((name) => isReadable(c.oid, name));
  const seen = pointing.filter(isSeen).map((c): Pointer => {
    const type = idOf.get(c.oid)!;
    return {
      type,
      label: words(type),
      schema: c.schema,
      table: c.table,
      fields: c.columns,
      at: c.target_columns ?? [],
      onDelete: actions[c.on_delete],
      onUpdate: actions[c.on_update],
    };
  });
  const elsewhere = [...pointing.filter((c) => !isSeen(c)), ...read.outsidePointers.filter((p) => p.target === oid)];
  const unseen = elsewhere.map((p): Pointer => ({
    type: null,
    label: p.table,
    schema: p.schema,
    table: p.table,
    fields: [],
    at: p.target_columns ?? [],
    onDelete: actions[p.on_delete],
    onUpdate: actions[p.on_update],
  }));
  return [...seen, ...unseen];
}

/** Row rules as one condition each: any of the permissive ones, and all of the restrictive. */
function rowRules(policies: readonly PolicyRow[]): RowRules {
  const together = (those: readonly PolicyRow[], text: (p: PolicyRow) => string | null): string => {
    const some = those.filter((p) => p.permissive).map((p) => text(p) ?? 'true');
    const all = those.filter((p) => !p.permissive).map((p) => text(p) ?? 'true');
    const any = some.length > 0 ? some.map((t) => `(${t})`).join(' or ') : 'false';
    return [`(${any})`, ...all.map((t) => `(${t})`)].join(' and ');
  };
  const of = (command: 'w' | 'd'): readonly PolicyRow[] =>
    policies.filter((p) => p.command === command || p.command === '*');
  const changing = of('w');
  return {
    using: together(changing, (p) => p.using),
    check: together(changing, (p) => p.check ?? p.using),
    deleting: together(of('d'), (p) => p.using),
  };
}

function baseOf({ known, is_list: isList, labels }: ColumnRow): Base {
  if (labels) return 'text';
  return isList ? 'list' : baseStoredAs(known ?? '');
}

function fieldKindOf(
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

/** May keys of this field be made so? */
export function takesNewKeys({ base, dbType, scale, maxLength }: Field, how: NewKeys): boolean {
  if (how === 'highest') return base === 'number' && (scale === 0 || /^(small|big)?int/.test(dbType));
  return base === 'uuid' || (base === 'text' && (maxLength === null || maxLength >= 36));
}

/** The key of a type, as it is made where the database makes none. */
function withNewKeys(field: Field, how: NewKeys, { schema, table }: TableRow): Field {
  if (field.default !== null || field.generated || !takesNewKeys(field, how)) return field;
  const named = (name: string): string => `"${name.replaceAll('"', '""')}"`;
  const highest = `(select coalesce(max(${named(field.name)}), 0) from ${named(schema)}.${named(table)})`;
  // Those of one batch are counted on from there.
  const made = how === 'uuid' ? 'gen_random_uuid()' : `${highest} + row_number() over ()`;
  return { ...field, default: `(${made})::${field.dbType}` };
}

/** From an enum, or from a CHECK that lists the texts it allows. */
function choicesOf(column: ColumnRow, constraints: readonly ConstraintRow[]): Choice[] | null {
  const check = constraints.find(
    (c) => c.kind === 'c' && c.columns.length === 1 && c.columns[0] === column.name && choiceTexts(c.condition),
  );
  const values = column.labels ?? (check ? choiceTexts(check.condition) : null);
  return values ? values.map((value) => ({ value, label: choiceLabel(value, values) })) : null;
}

/** In words, unless these would be those of another choice. */
function choiceLabel(value: string, values: readonly string[]): string {
  const label = words(value);
  return values.some((v) => v !== value && (v === label || words(v) === label)) ? value : label;
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
  return [
    { name: c.name, message, condition: c.condition, fields: c.columns, holdsForAll: c.validated, ofDomain: false },
  ];
}

/** What a domain asks of its values; the database prints the value as VALUE, which is read here as a column of that name. */
function domainRules({ name, domain_checks: checks }: ColumnRow): Rule[] {
  return (checks ?? []).map((check) => ({
    name: check.name,
    message: check.comment ?? `${words(name)} would break the rule ${check.name}: ${check.condition}`,
    condition: check.condition,
    fields: [name],
    holdsForAll: true,
    ofDomain: true,
  }));
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
  return ofBase(base).whyNotEditable(column.db_type);
}

function whyNotChangeable(
  table: TableRow,
  {
    staysIn,
    key,
    wholeKey,
    fields,
  }: {
    staysIn: boolean;
    key: readonly string[];
    wholeKey: readonly string[];
    fields: readonly Field[];
  },
): string | null {
  const label = words(table.table);
  const readOnly = 'records can be read and not changed.';
  const instead = table.rewrites?.[0];
  if (table.kind === 'm') return `${label} is a materialised view, worked out from other records: its ${readOnly}`;
  if (table.kind === 'f') return `${label} is a foreign table, kept by another server: its ${readOnly}`;
  if (table.kind === 'v' && table.view_tree === null)
    return `${label} is a view that the database itself cannot change: its ${readOnly}`;
  if (!staysIn)
    return `${label} is a view that a record can leave by being changed (it has a condition and no check option), out of sight and not to be taken back: its ${readOnly}`;
  if (instead)
    return `The database has a rule, ${instead.name}, that does something else ${instead.instead ? 'instead of' : 'beside'} a change of ${label.toLowerCase()}: their ${readOnly}`;
  if (table.has_children)
    return `Other tables inherit from ${label.toLowerCase()}, so that one key may name several records: they can be read and not changed.`;
  if (table.kind === 'v' && wholeKey.length === 0)
    return `${label} is a view that does not show a whole key of one table: its ${readOnly}`;
  if (wholeKey.length === 0)
    return `${label} have no primary key, and no unique key without nulls, so a record cannot be named: they can be read and not changed.`;
  if (key.length === 0)
    return `The account Tantamos uses in the database may not read the key of ${label.toLowerCase()} (${wholeKey.join(', ')}): they can be read and not changed.`;
  if (!key.every((name) => isUsableInKey(fields.find((f) => f.name === name)!)))
    return `${label} have a key of a kind that cannot be used here (${key.join(', ')}): they can be read and not changed.`;
  if (table.published_blind)
    return `Changes of ${label.toLowerCase()} are published to other servers, and they have no replica identity by which one could be told: the database refuses every change.`;
  if (!table.updatable) return `The account Tantamos uses in the database may not change ${label.toLowerCase()}.`;
  return null;
}

/** The field that names a record: `name` and the like, else the first unique text; no other text tells records apart. */
function guessName(fields: readonly Field[]): string | null {
  const texts = fields.filter((f) => f.base === 'text' && !f.choices);
  for (const name of ['name', 'title', 'subject', 'headline', 'label', 'reference', 'number', 'code'])
    if (texts.some((f) => f.name === name)) return name;
  return texts.find((f) => f.unique)?.name ?? null;
}

/** `price_per_hive` → `Price per hive`. */
function words(name: string): string {
  const text = name.replace(/[_\s]+/g, ' ').trim();
  return text === '' ? name : text[0]!.toUpperCase() + text.slice(1);
}
