import {
  checkSelection,
  clip,
  closest,
  fail,
  parse,
  ProblemError,
  quote,
  walkSyntax,
  type CheckedSelection,
  type Context,
  type Env,
  type RunMeant,
  type Selection,
  type WorkOrder,
} from '@tantamos/core';
import type { Connection, Database } from '../database/database';
import { isKnown } from '../journal/known';
import type { Seen } from '../rights/seen';
import { rulesFor, selectKeptRules, type KeptRule } from '../rules/context';

/** How many saved selections one may rest on. */
const mostSaved = 100;

interface Saved {
  readonly name: string;
  readonly type: string;
  readonly selection: Selection;
}

/**
 * What expressions in these selections may refer to: the clock, the person, and the saved selections that they name,
 * with those that these name in turn. Only what the person may see is found.
 */
export async function loadContext(
  database: Database,
  seen: Seen,
  env: Env,
  selections: readonly Selection[],
  connection?: Connection,
  /** Told how many characters of saved selections are compiled besides. */
  spent: (characters: number) => void = () => {},
): Promise<Context> {
  const ask = async <R extends object>(text: string, values: readonly unknown[]): Promise<R[]> =>
    connection
      ? (await connection.query<R & Record<string, unknown>>(text, [...values])).rows
      : database.rows<R & Record<string, unknown>>(text, [...values]);
  const { catalog, person } = seen;
  const saved = new Map<string, Saved>();
  for (let wanted = selections.flatMap(namesOfSaved); wanted.length > 0;) {
    const missing = [...new Set(wanted.map((n) => n.toLowerCase()))].filter((n) => !saved.has(n));
    if (missing.length === 0) break;
    const rows = await ask<Saved>(
      `select name, type, selection from tantamos.saved_selection where lower(name) = any($1) and (open or owner = $2)`,
      [missing, person.id],
    );
    const there = rows.filter((r) => !seen.withholds(r.type));
    for (const row of there) saved.set(row.name.toLowerCase(), row);
    if (saved.size > mostSaved) fail('over_limit', `A selection may rest on ${mostSaved} saved ones.`);
    spent(there.reduce((sum, r) => sum + (r.selection.filter?.length ?? 0), 0));
    wanted = there.flatMap((r) => namesOfSaved(r.selection));
  }
  // Where one is missing, the names there are, to offer the nearest.
  const missing = selections.flatMap(namesOfSaved).some((n) => !saved.has(n.toLowerCase()));
  const names = missing
    ? await ask<{ name: string; type: string }>(
        'select name, type from tantamos.saved_selection where open or owner = $1',
        [person.id],
      )
    : [];
  const kept = await ask<KeptRule>(selectKeptRules, []);
  const runs = await runsNamed([...selections, ...[...saved.values()].map((s) => s.selection)], seen, ask);
  const checked = new Map<string, CheckedSelection>();
  const open: string[] = [];
  const context: Context = {
    env,
    me: person.record,
    locale: person.locale,
    ...rulesFor(seen, env, kept),
    run(id, span) {
      const run = runs.get(id.toLowerCase());
      if (!run) return fail('not_found', `There is no run “${clip(id)}”, or more than one is called so.`, { span });
      if (run.isDropped)
        fail('journal_dropped', `The journal of run ${clip(id)} is kept no longer, so its records are not known.`, {
          span,
        });
      return run;
    },
    selected(name, span) {
      const row = saved.get(name.toLowerCase());
      if (!row)
        return fail('not_found', `There is no saved selection “${clip(name)}”.`, {
          span,
          suggestions: closest(
            name,
            names.filter((n) => !seen.withholds(n.type)).map((n) => n.name),
          ).map((n) => quote(n)),
        });
      if (open.includes(row.name))
        return fail('circle', `The selection “${clip(row.name)}” would rest on itself.`, { span });
      const known = checked.get(row.name);
      if (known) return known;
      open.push(row.name);
      try {
        const made = checkSelection(row.selection, catalog, context);
        checked.set(row.name, made);
        return made;
      } catch (error) {
        if (!(error instanceof ProblemError) || error.code === 'circle') throw error;
        // What is wrong with it may be that it names what the person may not see.
        const why = seen.isWhole ? `no longer works: ${error.message}` : 'does not work, or uses what you may not see.';
        return fail(error.code, `The saved selection “${clip(row.name)}” ${why}`, { span });
      } finally {
        open.pop();
      }
    },
  };
  return context;
}

/** Names of the saved selections that a selection mentions; what cannot be read mentions none. */
export function namesOfSaved(selection: Selection): string[] {
  return firstTexts(selection, 'in_selection');
}

/** The runs that these selections speak of, which the person may know of, by what they are called there. */
async function runsNamed(
  selections: readonly Selection[],
  seen: Seen,
  ask: <R extends object>(text: string, values: readonly unknown[]) => Promise<R[]>,
): Promise<Map<string, RunMeant & { readonly isDropped: boolean }>> {
  const named = [...new Set(selections.flatMap((s) => firstTexts(s, 'in_run')).map((n) => n.toLowerCase()))];
  const found = new Map<string, RunMeant & { readonly isDropped: boolean }>();
  for (const name of named.filter((n) => /^[0-9a-f-]{4,36}$/.test(n)).slice(0, mostSaved)) {
    const rows = await ask<{
      id: string;
      work_order: WorkOrder;
      made_by: string;
      started_by: string;
      row_limits: Readonly<Record<string, string>> | null;
      dropped: boolean;
    }>(runsCalled, [`${name}%`, `%${name}`]);
    const known = rows.filter((r) => isKnown(r, seen));
    const [run] = known;
    if (!run || known.length > 1) continue;
    const types = [...new Set(run.work_order.parts.map((part) => part.type))];
    found.set(name, { id: run.id, types, isDropped: run.dropped });
  }
  return found;
}

/** What stands first, as a text, in the calls of a function. */
function firstTexts(selection: Selection, name: string): string[] {
  const names: string[] = [];
  for (let s: Selection | undefined = selection; s; s = s.related?.of) {
    if (!s.filter?.trim() || !s.filter.toLowerCase().includes(name)) continue;
    try {
      walkSyntax(parse(s.filter), (e) => {
        const [first] = e.kind === 'call' && e.name === name ? e.args : [];
        if (first?.kind === 'literal') names.push(first.text);
      });
    } catch {
      // told when it is checked
    }
  }
  return names;
}

/** $1 and $2: how their ids begin, or end. */
const runsCalled = `
  select r.id, p.work_order, p.row_limits, p.made_by, r.started_by, r.journal_dropped_at is not null as dropped
  from tantamos.run r join tantamos.preview p on p.id = r.preview where r.id::text like $1 or r.id::text like $2 limit 5`;
