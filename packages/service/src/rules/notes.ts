import type { CheckedJobPart } from '@tantamos/core';
import type { Database } from '../database/database';
import type { Note } from '../previews/preview-row';
import type { Seen } from '../rights/seen';
import { selectKeptRules, troubleOf, type KeptRule } from './context';

/** The rules that are switched on and could not be asked, so that nobody believes they were. */
export async function ruleNotes(database: Database, seen: Seen, { selection }: CheckedJobPart): Promise<Note[]> {
  const { type, env } = selection;
  const kept = await database.rows<KeptRule & Record<string, unknown>>(`${selectKeptRules} where is_on and type = $1`, [
    type.id,
  ]);
  return seen.withEverything((whole) =>
    kept.flatMap((rule): Note[] => {
      const trouble = troubleOf(rule, whole, env);
      if (trouble === null) return [];
      const which = seen.isWhole ? `The rule “${rule.name}”` : 'A rule';
      const why = seen.isWhole ? `: ${trouble}` : '; an administrator can say why.';
      return [
        {
          code: 'rule_in_trouble',
          message: `${which} could not be asked, so it stops nothing here${why}`,
          count: 0,
          examples: [],
        },
      ];
    }),
  );
}
