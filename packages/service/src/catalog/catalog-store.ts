import {
  checkCondition,
  clip,
  fail,
  fieldOf,
  keyFields,
  namesIn,
  noContext,
  parse,
  walkSyntax,
  within,
  type Catalog,
  type NewKeys,
  type RecordType,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { buildCatalog, takesNewKeys } from './build';
import { introspect } from './introspect';
import { noSettings, type FieldSettings, type TypeSettings } from './settings';

/** How old the catalog may be before it is read again, in ms: a new column is seen within this time. */
const keepFor = 15_000;

/** The catalog of the moment, read from the database and kept for a short time. */
export class CatalogStore {
  /** Called when it is to be read again. */
  onRefresh: () => void = () => {};
  private kept: { catalog: Promise<Catalog>; at: number } | undefined;
  private zone: { name: string; at: number } | undefined;
  constructor(
    private readonly database: Database,
    /** Why nothing can be changed at all; null where it can. */
    private readonly readOnly: () => string | null,
  ) {}

  async get(): Promise<Catalog> {
    if (!this.kept || Date.now() - this.kept.at > keepFor) {
      const catalog = this.read();
      const kept = { catalog, at: Date.now() };
      this.kept = kept;
      catalog.catch(() => this.kept === kept && (this.kept = undefined));
    }
    return this.kept.catalog;
  }

  /** The workspace's time zone (IANA name), kept as long as the catalog. */
  async timeZone(): Promise<string> {
    if (this.zone && Date.now() - this.zone.at <= keepFor) return this.zone.name;
    const row = await this.database.one<{ time_zone: string }>('select time_zone from tantamos.workspace');
    this.zone = { name: row!.time_zone, at: Date.now() };
    return this.zone.name;
  }

  /** Reads the database again at the next look: its tables or settings have changed. */
  refresh(): void {
    this.kept = undefined;
    this.zone = undefined;
    this.onRefresh();
  }

  /** Lays settings of a person over a type; what is absent stays as it is, null goes back to the database's own. */
  async setType(typeId: string, change: Partial<TypeSettings>, account: string): Promise<void> {
    const whole = await this.get();
    const type = whole.type(typeId);
    if (change.nameField) fieldOf(type, change.nameField);
    for (const name of change.ownerFields ?? []) {
      const field = fieldOf(type, name);
      if (field.kind !== 'reference')
        fail('type_mismatch', `${field.label} is not a reference, so it cannot say who answers for the record.`, {
          where: 'ownerFields',
        });
    }
    for (const name of change.fieldOrder ?? []) if (!type.fields.some((f) => f.name === name)) fieldOf(type, name);
    const active = change.activeField ? fieldOf(type, change.activeField) : null;
    if (active && active.base !== 'yes_no')
      fail('type_mismatch', `${active.label} is not yes or no, so it cannot say who is active.`, {
        where: 'activeField',
      });
    if (change.openWhen) within('openWhen', () => mustBePlain(change.openWhen!, whole, type));
    if (change.newKeys) mustTakeNewKeys(type, change.newKeys);
    const now = (await this.typeSettings()).get(typeId) ?? noSettings;
    const { hidden = now.hidden, refusesInactive = now.refusesInactive } = change;
    const next = { ...now, ...change, hidden, refusesInactive };
    await this.database.rows(
      `insert into tantamos.type_setting (type, label, name_field, owner_fields, hidden, most_records, typed_from,
         largest_batch, changed_by, active_field, refuses_inactive, field_order, open_when, new_keys,
         usual_batch, usual_at_once, usual_pace, most_at_once, most_pace)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19)
       on conflict (type) do update set label = excluded.label, name_field = excluded.name_field,
         owner_fields = excluded.owner_fields, hidden = excluded.hidden, most_records = excluded.most_records,
         typed_from = excluded.typed_from, largest_batch = excluded.largest_batch, changed_by = excluded.changed_by,
         active_field = excluded.active_field, refuses_inactive = excluded.refuses_inactive, field_order = excluded.field_order, open_when = excluded.open_when,
         new_keys = excluded.new_keys, usual_batch = excluded.usual_batch, usual_at_once = excluded.usual_at_once,
         usual_pace = excluded.usual_pace, most_at_once = excluded.most_at_once, most_pace = excluded.most_pace, changed_at = now()`,
      [
        type.id,
        next.label,
        next.nameField,
        next.ownerFields,
        next.hidden,
        next.mostRecords,
        next.typedFrom,
        next.largestBatch,
        account,
        active?.name ?? next.activeField,
        refusesInactive,
        next.fieldOrder,
        next.openWhen,
        next.newKeys,
        next.usualBatch,
        next.usualAtOnce,
        next.usualPace,
        next.mostAtOnce,
        next.mostPace,
      ],
    );
    this.refresh();
  }

  async setField(typeId: string, name: string, change: Partial<FieldSettings>, account: string): Promise<void> {
    const type = (await this.get()).type(typeId);
    // A hidden field is found too: hiding must be possible to take back.
    const field = type.fields.find((f) => f.name === name) ?? fieldOf(type, name);
    const { label = null, hidden, protected: kept, leftOut } = change;
    const next = {
      label,
      hidden: hidden ?? field.hidden,
      protected: kept ?? field.protected,
      leftOut: leftOut ?? field.leftOut ?? false,
    };
    const keep = change.label === undefined;
    await this.database.rows(
      `insert into tantamos.field_setting (type, field, label, hidden, protected, changed_by, left_out)
       values ($1, $2, $3, $4, $5, $6, $8)
       on conflict (type, field) do update set label = case when $7 then field_setting.label else excluded.label end,
         hidden = excluded.hidden, protected = excluded.protected, left_out = excluded.left_out, changed_by = excluded.changed_by, changed_at = now()`,
      [type.id, field.name, next.label, next.hidden, next.protected, account, keep, next.leftOut],
    );
    this.refresh();
  }

  private async read(): Promise<Catalog> {
    const [read, types, fields] = await Promise.all([
      introspect(this.database),
      this.typeSettings(),
      this.fieldSettings(),
    ]);
    return buildCatalog(read, {
      readOnly: this.readOnly(),
      type: (id) => types.get(id) ?? noSettings,
      field: (type, name) => fields.get(JSON.stringify([type, name])),
    });
  }

  private async typeSettings(): Promise<Map<string, TypeSettings>> {
    const rows = await this.database.rows<TypeSettings & { type: string }>(
      `select type, label, name_field as "nameField", owner_fields as "ownerFields", active_field as "activeField",
         field_order as "fieldOrder", open_when as "openWhen", new_keys as "newKeys",
         refuses_inactive as "refusesInactive", hidden,
         most_records as "mostRecords", typed_from as "typedFrom", largest_batch as "largestBatch",
         usual_batch as "usualBatch", usual_at_once as "usualAtOnce", usual_pace as "usualPace",
         most_at_once as "mostAtOnce", most_pace as "mostPace"
       from tantamos.type_setting`,
    );
    return new Map(rows.map(({ type, ...settings }) => [type, settings]));
  }

  private async fieldSettings(): Promise<Map<string, FieldSettings>> {
    const rows = await this.database.rows<FieldSettings & { type: string; field: string }>(
      'select type, field, label, hidden, protected, left_out as "leftOut" from tantamos.field_setting',
    );
    return new Map(rows.map(({ type, field, ...settings }) => [JSON.stringify([type, field]), settings]));
  }
}

/** Throws where keys cannot be made so. */
function mustTakeNewKeys(type: RecordType, how: NewKeys): void {
  const [field] = within('newKeys', () => keyFields(type));
  if (type.key.length > 1)
    fail('bad_value', `${type.label} have a key of ${type.key.length} fields; one is needed for keys to be made.`, {
      where: 'newKeys',
    });
  if (!takesNewKeys(field!, how))
    fail(
      'type_mismatch',
      how === 'uuid'
        ? `${field!.label} takes no UUID: it is ${field!.dbType}.`
        : `${field!.label} is no whole number, so there is no next one.`,
      { where: 'newKeys' },
    );
}

/** A condition that holds for everybody alike: of the record's own values, naming no other record, person or saved selection. */
function mustBePlain(condition: string, catalog: Catalog, type: RecordType): void {
  const tree = parse(condition);
  walkSyntax(tree, (e) => {
    if (e.kind === 'call' && ['in_selection', 'in_run', 'breaks_rule', 'me'].includes(e.name))
      fail('bad_value', `What counts as open holds for everybody: it cannot ask ${e.name}().`, { span: e.span });
  });
  const [name] = namesIn(checkCondition(tree, catalog, type, noContext));
  if (name)
    fail('bad_value', `What counts as open names no record, such as “${clip(name.text)}”.`, { span: name.span });
}
