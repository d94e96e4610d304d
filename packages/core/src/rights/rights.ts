import { fewRecords, type RightAct } from './acts';
import type { RightLine } from './line';

/** How much of an act a person may do, and the lines that decide it. */
export interface Grant {
  readonly may: 'all' | 'some' | 'none';
  readonly lines: readonly RightLine[];
}

/** Records for which the one is true and the other is not; empty `any`: none. Null `any`: all of them. */
export interface RecordLimit {
  readonly any: readonly string[] | null;
  readonly none: readonly string[];
}
export const noLimit: RecordLimit = { any: null, none: [] };
export function isLimited({ any, none }: RecordLimit): boolean {
  return any !== null || none.length > 0;
}

/** What may be done with one field of a type whose records may be seen. */
export interface OneField {
  readonly sees: boolean;
  /** On some record at least. */
  readonly changes: boolean;
  /** On which records. */
  readonly changed: RecordLimit;
}
export type FieldRights = (field: string) => OneField;

/** What the lines that speak of one person, by role or by name, come to. */
export class Rights {
  private readonly known = new Map<string, FieldRights>();
  constructor(readonly lines: readonly RightLine[]) {}

  /** A right that is not about types, or that is had for some type at least. */
  has(act: RightAct): boolean {
    const allowed = this.lines.filter((l) => l.effect === 'allow' && l.acts.includes(act));
    const denied = this.of(act, null, 'deny');
    return allowed.length > 0 && !denied.some((l) => l.types === null && isWhole(l));
  }

  /** How much of an act a person may do on a type; of acts that are not about types `null`. */
  on(act: RightAct, type: string | null): Grant {
    const allowed = this.of(act, type, 'allow');
    const denied = this.of(act, type, 'deny');
    const whole = denied.filter(isWhole);
    if (whole.length > 0) return { may: 'none', lines: whole };
    if (allowed.length === 0) return { may: 'none', lines: [] };
    const free = allowed.filter(isWhole);
    if (free.length > 0 && denied.length === 0) return { may: 'all', lines: free };
    return { may: 'some', lines: [...(free.length > 0 ? free : allowed), ...denied] };
  }

  may(act: RightAct, type: string): boolean {
    return this.on(act, type).may !== 'none';
  }

  /** What may be done with each field of a type: asked for every field there is, so what is the same for all is found once. */
  fields(type: string): FieldRights {
    const known = this.known.get(type);
    if (known) return known;
    const [see, change] = [this.lines.filter(isAbout('see', type)), this.lines.filter(isAbout('change', type))];
    const allows = (l: RightLine): boolean => l.effect === 'allow';
    const denies = (l: RightLine): boolean => l.effect === 'deny';
    const allowed = see.filter(allows);
    // Where all records are seen by some lines, lines on some of them add no field: it could not be kept to those.
    const every = allowed.filter((l) => l.filter === null);
    const seeing = every.length > 0 ? every : allowed;
    const mayChange = this.may('change', type);
    const of = (field: string): OneField => {
      const about = change.filter((l) => covers(l, field));
      return {
        sees:
          seeing.some((l) => covers(l, field)) && !see.some((l) => denies(l) && l.fields !== null && covers(l, field)),
        changes: mayChange && about.some(allows) && !about.some((l) => denies(l) && l.filter === null),
        changed: limitOf(about.filter(allows), about.filter(denies)),
      };
    };
    const named = new Set([...see, ...change].flatMap((l) => l.fields ?? []));
    const others = of('');
    const each = new Map([...named].map((field) => [field, of(field)]));
    const found = (field: string): OneField => each.get(field) ?? others;
    this.known.set(type, found);
    return found;
  }

  /** Which records may be seen. */
  seen(type: string): RecordLimit {
    return limitOf(this.of('see', type, 'allow'), this.of('see', type, 'deny'));
  }

  /** How many records of a type one run may change; null: any number. */
  most(type: string): number | null {
    const allowed = this.of('change_many', type, 'allow');
    const denied = this.of('change_many', type, 'deny');
    const isMany = allowed.length > 0 && !denied.some((l) => l.most === null);
    // What is allowed is never less than without it.
    const upTo = isMany ? Math.max(fewRecords, ...allowed.map((l) => l.most ?? Infinity)) : fewRecords;
    const least = Math.min(upTo, ...denied.map((l) => l.most ?? Infinity));
    return Number.isFinite(least) ? least : null;
  }

  private of(act: RightAct, type: string | null, effect: RightLine['effect']): RightLine[] {
    const about = type === null ? (l: RightLine) => l.acts.includes(act) : isAbout(act, type);
    return this.lines.filter((l) => l.effect === effect && about(l));
  }
}

const isAbout =
  (act: RightAct, type: string) =>
  (l: RightLine): boolean =>
    l.acts.includes(act) && (l.types === null || l.types.includes(type));

function isWhole(line: RightLine): boolean {
  return line.fields === null && line.filter === null && (line.most === null || line.effect === 'allow');
}

function covers(line: RightLine, field: string): boolean {
  return line.fields === null || line.fields.includes(field);
}

function limitOf(allowed: readonly RightLine[], denied: readonly RightLine[]): RecordLimit {
  const filters = allowed.map((l) => l.filter);
  return {
    any: filters.includes(null) ? null : filters.map((f) => f!),
    none: denied.flatMap((l) => (l.filter === null ? [] : [l.filter])),
  };
}
