import { Catalog, type Field, type Limits, type RecordType } from '../catalog/catalog';
import { keyColumns } from '../catalog/key';
import { namesIn } from '../language/bind';
import type { Context } from '../language/context';
import { emit } from '../language/emit';
import { Scope } from '../language/scope';
import { ProblemError } from '../problem';
import { identifier, join, raw, sql, type Sql } from '../sql/sql';
import { lineCondition } from './line';
import { isLimited, type RecordLimit, type Rights } from './rights';

/** What a person sees of a catalog, and what each refusal says of who can give more. */
export interface Seeing {
  readonly rights: Rights;
  readonly context: Context;
  /** Ends a refusal: “Sorrel Haldane can give it.” */
  readonly whoGives: string;
}

/**
 * The catalog as a person has it: types they may not see are not in it, fields they may not see are hidden, records they
 * may not see are in no statement made from it, and what they may not change says so. Everything that is answered to a
 * person is made from theirs.
 */
export function seenCatalog(catalog: Catalog, seeing: Seeing): Catalog {
  const { rights } = seeing;
  const isThere = (id: string): boolean => {
    const type = catalog.find(id);
    return rights.may('see', id) && (!type?.hidden || rights.has('administer'));
  };
  const types = catalog.types.filter((t) => isThere(t.id)).map((type) => seenType(type, catalog, seeing, isThere));
  return new Catalog(
    types,
    catalog.unreadable.filter((u) => rights.may('see', u.name)),
  );
}

/** The same with every type and field, for what was checked before: only records that may not be seen are left out. */
export function readingCatalog(catalog: Catalog, { rights, context }: Seeing): Catalog {
  const types = catalog.types.map((type) => {
    const source = sourceOf(type, rights.seen(type.id), catalog, context);
    return source ? { ...type, limits: { source, changed: () => null } } : type;
  });
  return new Catalog(types, catalog.unreadable);
}

function seenType(type: RecordType, catalog: Catalog, seeing: Seeing, isThere: (id: string) => boolean): RecordType {
  const { rights, whoGives } = seeing;
  const { id } = type;
  const sees = (name: string): boolean => type.key.includes(name) || rights.fields(id)(name).sees;
  const mayChange = type.fields.some((f) => rights.fields(id)(f.name).changes);
  const refusal = (what: string): string => `the right to change ${what} is missing; ${whoGives}`;
  const fields = type.fields.map((f): Field => {
    const hidden = (f.hidden && !type.key.includes(f.name)) || !sees(f.name);
    const lost = f.refersTo !== null && !isThere(f.refersTo);
    const notEditable =
      f.notEditable ?? (!mayChange || rights.fields(id)(f.name).changes ? null : refusal(`${f.label.toLowerCase()}`));
    if (hidden === f.hidden && notEditable === f.notEditable && !lost) return f;
    return {
      ...f,
      hidden,
      notEditable,
      ...(lost ? { refersTo: null, kind: f.kind === 'key' ? 'key' : plainKind(f) } : {}),
    };
  });
  const shown = new Set(fields.filter((f) => !f.hidden).map((f) => f.name));
  return {
    ...type,
    fields,
    nameField: type.nameField !== null && shown.has(type.nameField) ? type.nameField : null,
    ownerFields: type.ownerFields.filter((f) => shown.has(f)),
    activeField: type.activeField !== null && shown.has(type.activeField) ? type.activeField : null,
    openWhen: isPlainly(type.openWhen, fields) ? type.openWhen : null,
    unreadable: type.unreadable.filter((u) => rights.fields(id)(u.name).sees),
    rules: type.rules.map((r) =>
      r.fields.every((f) => shown.has(f)) ? r : { ...r, message: 'A rule on fields that you may not see.' },
    ),
    pointers: type.pointers.map((p) =>
      p.type === null || isThere(p.type)
        ? p
        : { ...p, type: null, withheld: true as const, label: 'Records that you may not see' },
    ),
    notChangeable:
      type.notChangeable ?? (mayChange ? null : `You may not change ${type.label.toLowerCase()}: ${refusal('them')}`),
    limits: limitsOf(type, catalog, seeing),
  };
}

/** Does a condition ask only for fields that are seen? What it asks of other records is not looked into. */
function isPlainly(condition: string | null, fields: readonly Field[]): boolean {
  if (condition === null) return true;
  const words = new Set(condition.toLowerCase().match(/[\p{L}\p{N}_]+/gu) ?? []);
  const withheld = fields.filter((f) => f.hidden);
  return withheld.length === 0 || (!condition.includes('.') && !withheld.some((f) => words.has(f.name.toLowerCase())));
}

/** A reference whose other side is not there is a plain value. */
function plainKind(field: Field): Field['kind'] {
  return field.base === 'uuid' ? 'other' : field.base;
}

function limitsOf(type: RecordType, catalog: Catalog, { rights, context, whoGives }: Seeing): Limits | null {
  const seen = rights.seen(type.id);
  const source = sourceOf(type, seen, catalog, context);
  const byField = new Map(
    type.fields
      .map((f) => [f.name, rights.fields(type.id)(f.name).changed] as const)
      .filter(([, limit]) => isLimited(limit)),
  );
  if (!source && byField.size === 0) return null;
  return {
    source,
    changed(fields, alias) {
      // What is not to be seen is not to be changed.
      const limits = [...(isLimited(seen) ? [seen] : []), ...fields.flatMap((f) => byField.get(f) ?? [])];
      const different = [...new Map(limits.map((l) => [JSON.stringify(l), l])).values()];
      if (different.length === 0) return null;
      const allowed = different.map((limit) => among(type, limit, catalog, context, alias));
      const words = `The right to change this record is missing; ${whoGives}`;
      return { allowed: join(allowed, ' and '), words };
    },
  };
}

/** The records that may be seen, to stand where the table would; null where that is all of them. */
function sourceOf(type: RecordType, limit: RecordLimit, catalog: Catalog, context: Context): Sql | null {
  if (!isLimited(limit)) return null;
  const scope = new Scope(type, context.env);
  const test = testOf(type, limit, catalog, context, scope);
  const place = type.hasPlaces ? sql`${scope.root}.ctid, ` : raw('');
  return sql`(select ${place}${scope.root}.* from ${scope.from()} where ${test})`;
}

/** The record at `alias` is within the limit. */
function among(type: RecordType, limit: RecordLimit, catalog: Catalog, context: Context, alias: Sql): Sql {
  const scope = new Scope(type, context.env);
  const test = testOf(type, limit, catalog, context, scope);
  const inner = raw('within_rights');
  const columns = join(
    type.key.map((k) => sql`${scope.root}.${identifier(k)}`),
    ', ',
  );
  const same = keyColumns(type, alias).map((c, i) => sql`${inner}.${identifier(type.key[i]!)} = ${c}`);
  return sql`exists (select from (select ${columns} from ${scope.from()} where ${test}) ${inner} where ${join(same, ' and ')})`;
}

/** What can no longer be understood allows nothing, and denies everything. */
function testOf(type: RecordType, limit: RecordLimit, catalog: Catalog, context: Context, scope: Scope): Sql {
  const test = (filter: string): Sql | null => {
    try {
      const condition = lineCondition(filter, type, catalog, context);
      // Records are named by their keys in a line that is kept.
      return namesIn(condition).length > 0 ? null : emit(condition, scope);
    } catch (error) {
      if (error instanceof ProblemError) return null;
      throw error;
    }
  };
  const any = limit.any?.map((f) => test(f) ?? raw('false'));
  const none = limit.none.map((f) => test(f) ?? raw('true'));
  const tests = [
    ...(any ? [sql`(${any.length > 0 ? join(any, ' or ') : raw('false')}) is true`] : []),
    ...none.map((t) => sql`(${t}) is not true`),
  ];
  return join(tests, ' and ');
}
