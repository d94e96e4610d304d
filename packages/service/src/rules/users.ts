import { parse, ProblemError, walkSyntax, type Selection } from '@tantamos/core';
import type { Database } from '../database/database';

/** Names of the rules that a selection asks for; what cannot be read asks for none. */
export function rulesNamedIn(selection: Selection): string[] {
  const names: string[] = [];
  for (let s: Selection | undefined = selection; s; s = s.related?.of) {
    if (!s.filter || !/breaks_rule/i.test(s.filter)) continue;
    try {
      walkSyntax(parse(s.filter), (e) => {
        const [name] = e.kind === 'call' && e.name === 'breaks_rule' ? e.args : [];
        if (name?.kind === 'literal') names.push(name.text);
      });
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
    }
  }
  return names;
}

/** Saved selections and jobs that ask for what breaks a rule, in words. */
export async function restingOnRule(database: Database, name: string): Promise<string[]> {
  const rows = await database.rows<{ what: string; name: string; selection: Selection }>(
    `select 'the selection' as what, name, selection from tantamos.saved_selection where selection::text ilike '%breaks_rule%'
     union all
     select 'the job', name, bound -> 'job' -> 'selection' from tantamos.saved_job where bound::text ilike '%breaks_rule%'
     order by 1, 2`,
  );
  return rows
    .filter((r) => rulesNamedIn(r.selection).some((n) => n.toLowerCase() === name.toLowerCase()))
    .map((r) => `${r.what} “${r.name}”`);
}
