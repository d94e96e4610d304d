import type { Random } from './random';
import { hostileValues, textFor, Written } from './words';

export type Json = Readonly<Record<string, unknown>>;

/** What has been seen in answers, to be asked about in turn. */
export interface Seen {
  /** By noun, as it stands in paths: runs, previews … */
  readonly ids: Map<string, string[]>;
  readonly marks: string[];
}

/** How much of a request is put to something hostile: nothing, hardly anything, much. */
const share = { valid: 0, nearly: 0.06, hostile: 0.3 } as const;
export type Mood = keyof typeof share;

/** Makes values that a schema of an OpenAPI 3.1 document describes, and such as it nearly does. */
export class Generator {
  constructor(
    private readonly schemas: Readonly<Record<string, Json>>,
    private readonly random: Random,
    private readonly seen: Seen,
    private readonly mood: Mood,
    /** What an `id` by itself is one of. */
    private readonly noun: string,
  ) {}

  value(schema: Json, name: string, depth = 0): unknown {
    const { random } = this;
    if (random.chance(share[this.mood])) return random.pick(hostileValues);
    if (depth > 12) return null;
    if (typeof schema.$ref === 'string') return this.value(this.schemas[schema.$ref.split('/').at(-1)!]!, name, depth);
    const choices = (schema.anyOf ?? schema.oneOf) as Json[] | undefined;
    if (choices) return this.value(random.pick(choices), name, depth + 1);
    if (Array.isArray(schema.allOf))
      return Object.assign({}, ...(schema.allOf as Json[]).map((s) => this.value(s, name, depth + 1))) as unknown;
    if (schema.const !== undefined) return schema.const;
    if (Array.isArray(schema.enum)) return random.pick(schema.enum);
    const type = Array.isArray(schema.type) ? random.pick(schema.type as string[]) : schema.type;
    switch (type) {
      case 'object':
        return this.object(schema, name, depth);
      case 'array':
        return Array.from({ length: lengthOf(schema, random) }, () =>
          this.value((schema.items ?? {}) as Json, name, depth + 1),
        );
      case 'integer':
      case 'number':
        return this.number(schema);
      case 'boolean':
        return random.chance(0.5);
      case 'null':
        return null;
      default:
        return this.text(schema, name);
    }
  }

  private object(schema: Json, name: string, depth: number): unknown {
    const { random } = this;
    const properties = Object.entries((schema.properties ?? {}) as Record<string, Json>);
    if (properties.length === 0 && typeof schema.additionalProperties === 'object')
      return Object.fromEntries(
        [1, 2].map((i) => [String(i), this.value(schema.additionalProperties as Json, name, depth + 1)]),
      );
    const required = (schema.required ?? []) as string[];
    const made: Record<string, unknown> = {};
    for (const [key, of] of properties)
      // What is left out is more often right: each part has to go with the others.
      if (required.includes(key) ? !random.chance(share[this.mood] / 3) : random.chance(isSimple(of) ? 0.3 : 0.1))
        made[key] = this.value(of, key, depth + 1);
    if (random.chance(share[this.mood] / 3)) made.unheard = random.pick(hostileValues);
    return made;
  }

  private number(schema: Json): number {
    const low = Number(schema.minimum ?? 0);
    const high = Math.min(Number(schema.maximum ?? 1000), low + 1000);
    return low + this.random.below(high - low + 1);
  }

  private text(schema: Json, name: string): string {
    const { random, seen } = this;
    if (schema.format === 'uuid' || /^(id|preview|run|list|account|session|draft)$/.test(name)) {
      const known = seen.ids.get(name === 'id' ? this.noun : `${name}s`) ?? [];
      return known.length > 0 && random.chance(0.95) ? random.pick(known) : '00000000-0000-4000-8000-000000000000';
    }
    if (/^after$/.test(name) && seen.marks.length > 0) return random.pick(seen.marks);
    const said = textFor(name, random) ?? 'x'.repeat(random.below(12));
    return said.padEnd(Number(schema.minLength ?? 0), 'x');
  }
}

function lengthOf({ minItems = 1, maxItems = 3 }: Json, random: Random): number {
  if (random.chance(0.05)) return 0;
  return Number(minItems) + random.below(Math.max(1, Math.min(3, Number(maxItems)) - Number(minItems) + 1));
}

function isSimple(schema: Json): boolean {
  const of = (schema.anyOf ?? [schema]) as Json[];
  return of.every((s) => !('$ref' in s) && s.type !== 'array' && s.type !== 'object');
}

/** As JSON, with what is written as it stands. */
export function written(value: unknown): string {
  if (value instanceof Written) return value.json;
  if (Array.isArray(value)) return `[${value.map(written).join(',')}]`;
  if (typeof value === 'object' && value !== null)
    return `{${Object.entries(value)
      .map(([key, v]) => `${JSON.stringify(key)}:${written(v)}`)
      .join(',')}}`;
  return JSON.stringify(value) ?? 'null';
}
