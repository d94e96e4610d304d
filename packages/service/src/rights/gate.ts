import { fail, type Catalog, type Context, type Rights } from '@tantamos/core';
import type { Person } from '../accounts/person';
import type { CatalogStore } from '../catalog/catalog-store';
import { Seen } from './seen';
import type { RightsStore } from './store';

/** What filters in rights that speak of the time are worked out for is at most so old, in ms. */
const freshFor = 1000;
const mostKept = 200;

interface Kept {
  readonly seen: Seen;
  readonly catalog: Catalog;
  /** What the person and their rights were. */
  readonly of: string;
  readonly at: number;
}

/** Makes what each person sees, from the catalog and the rights of the moment. */
export class Gate {
  private readonly kept = new Map<string, Kept>();
  constructor(
    private readonly catalogs: CatalogStore,
    private readonly rights: RightsStore,
  ) {}

  async of(person: Person): Promise<Seen> {
    const [catalog, rights, whoGives, timeZone] = await Promise.all([
      this.catalogs.get(),
      this.rights.of(person),
      this.rights.whoGives(),
      this.catalogs.timeZone(),
    ]);
    const of = JSON.stringify([person, rights.lines, whoGives, timeZone]);
    const before = this.kept.get(person.id);
    if (before?.catalog === catalog && before.of === of && (!hasFilters(rights) || Date.now() - before.at < freshFor))
      return before.seen;
    const context = contextOf(person, timeZone);
    const seen = new Seen(person, rights, catalog, { rights, context, whoGives });
    if (this.kept.size >= mostKept) this.kept.clear();
    this.kept.set(person.id, { seen, catalog, of, at: Date.now() });
    return seen;
  }
}

/** What filters in rights may refer to: the time, and the person. */
export function contextOf(person: Pick<Person, 'record'>, timeZone: string): Context {
  return {
    env: { timeZone, now: BigInt(Date.now()) * 1000n },
    me: person.record,
    selected: (_, span) => fail('bad_value', 'Rights cannot rest on saved selections, which people change.', { span }),
    run: (_, span) => fail('bad_value', 'Rights cannot rest on runs, whose journals are not kept for good.', { span }),
    rule: (_, span) => fail('bad_value', 'Rights cannot rest on rules.', { span }),
    rulesOf: () => [],
  };
}

function hasFilters({ lines }: Rights): boolean {
  return lines.some((l) => l.filter !== null);
}
