import {
  actWords,
  fail,
  isAboutTypes,
  isLimited,
  readingCatalog,
  seenCatalog,
  typeWords,
  type Catalog,
  type RecordType,
  type RightAct,
  type Rights,
  type Seeing,
} from '@tantamos/core';
import type { Person } from '../accounts/person';

/**
 * What one person may see and do at this moment: the gate that every answer passes. `catalog` is theirs: what is made from
 * it holds no type, field or record that they may not see.
 */
export class Seen {
  readonly catalog: Catalog;
  private read: Catalog | undefined;
  private wholly: boolean | undefined;
  private limited: Readonly<Record<string, string>> | undefined;

  constructor(
    readonly person: Person,
    readonly rights: Rights,
    /** Everything there is. */
    private readonly whole: Catalog,
    private readonly seeing: Seeing,
  ) {
    this.catalog = seenCatalog(whole, seeing);
  }

  /** For what was checked before and is done for this person: every type and field, but only the records they may see. */
  get reading(): Catalog {
    return (this.read ??= readingCatalog(this.whole, this.seeing));
  }

  /** Does `work` with everything there is: for what holds for everybody, seen or not. */
  withEverything<T>(work: (catalog: Catalog) => T): T {
    return work(this.whole);
  }

  /** Is nothing at all withheld from the person? */
  get isWhole(): boolean {
    return (this.wholly ??=
      this.catalog.types.length === this.whole.types.length &&
      this.catalog.types.every((t) => !t.limits?.source && t.fields.every((f) => !f.hidden)));
  }

  /** By type, which of its records the person sees, where that is not all of them: the limits as texts, to be compared. */
  get rowLimits(): Readonly<Record<string, string>> {
    return (this.limited ??= Object.fromEntries(
      this.whole.types.flatMap(({ id }) => {
        const limit = this.rights.seen(id);
        return isLimited(limit) ? [[id, JSON.stringify([limit, this.person.record])]] : [];
      }),
    ));
  }

  /** Is there a type of which the person sees only some records? */
  get isLimited(): boolean {
    return Object.keys(this.rowLimits).length > 0;
  }

  /** Is this a type that is there, but not for this person? */
  withholds(typeId: string): boolean {
    return this.whole.find(typeId) !== undefined && this.catalog.find(typeId) === undefined;
  }

  isThere(typeId: string): boolean {
    return this.whole.find(typeId) !== undefined;
  }

  /** Does a field point at records that the person may not know of? */
  losesReference(typeId: string, name: string): boolean {
    const of = (catalog: Catalog): string | null =>
      catalog.find(typeId)?.fields.find((f) => f.name === name)?.refersTo ?? null;
    return of(this.whole) !== null && of(this.catalog) === null;
  }

  may(act: RightAct): boolean {
    return this.rights.has(act);
  }

  /** Throws `not_permitted`, saying which right is missing and who can give it. */
  must(act: RightAct, type?: RecordType): void {
    if (type ? this.rights.may(act, type.id) : this.rights.has(act)) return;
    const of = isAboutTypes(act) ? ` ${type ? typeWords(type) : 'records'}` : '';
    this.refuse(`You may not ${actWords(act)}${of}: the right to do so is missing`);
  }

  /** Throws unless the person may change these fields of a type, on some records at least. */
  mustChange(type: RecordType, fields: readonly string[]): void {
    this.must('change', type);
    const missing = fields.find((name) => !this.rights.fields(type.id)(name).changes);
    if (missing === undefined) return;
    const field = type.fields.find((f) => f.name === missing);
    const label = field?.hidden === false ? field.label.toLowerCase() : 'a field that this writes';
    this.refuse(`You may not change ${label} of ${typeWords(type)}: the right to change it is missing`);
  }

  /** Throws unless one run of the person may change so many records of a type. */
  mustChangeMany(type: RecordType, count: number): void {
    const most = this.rights.most(type.id);
    if (most === null || count <= most) return;
    const number = (n: number): string => n.toLocaleString('en-US');
    this.refuse(
      `${number(count)} ${typeWords(type)} would change; without the right to change more at once, one run of yours may change ${number(most)}`,
    );
  }

  /** Throws unless the thing is the person's own, or they may steer those of others. */
  mustSteer(owner: string, what: 'preview' | 'run'): void {
    if (owner === this.person.id || this.may('steer')) return;
    this.refuse(
      `Only who ${what === 'preview' ? 'made' : 'started'} this ${what} may do that, and who may steer others’`,
    );
  }

  refuse(why: string): never {
    return fail('not_permitted', `${why}; ${this.seeing.whoGives}`);
  }
}
