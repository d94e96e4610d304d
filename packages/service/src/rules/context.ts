import {
  checkRule,
  clip,
  closest,
  fail,
  ProblemError,
  quote,
  type Catalog,
  type Context,
  type Env,
  type OwnRule,
  type RuleSaid,
} from '@tantamos/core';
import type { Seen } from '../rights/seen';

/** A rule as it is kept, its names bound to keys. */
export interface KeptRule {
  readonly name: string;
  readonly type: string;
  readonly isOn: boolean;
  readonly bound: RuleSaid;
}

export const selectKeptRules = 'select name, type, is_on as "isOn", bound from tantamos.rule';

/** What conditions of rules may refer to: the clock alone, since they hold for everybody. */
export function ruleContext(env: Env): Context {
  const not = (what: string) => (): never =>
    fail('bad_value', `A rule cannot rest on ${what}, which people change by themselves.`);
  return {
    env,
    me: null,
    ofRule: true,
    selected: not('a saved selection'),
    run: not('a run'),
    rule: not('another rule'),
    rulesOf: () => [],
  };
}

/** What expressions and jobs of a person may know of rules. */
export function rulesFor(seen: Seen, env: Env, kept: readonly KeptRule[]): Pick<Context, 'rule' | 'rulesOf'> {
  const context = ruleContext(env);
  const visible = (rule: KeptRule): OwnRule | null => checkedOrNot(rule, seen.catalog, context);
  return {
    rule(name, span) {
      const found = kept.find((r) => r.name.toLowerCase() === name.toLowerCase());
      const rule = found && visible(found);
      if (rule) return { type: found.type, rule };
      if (found && seen.isWhole)
        return fail(
          'bad_value',
          `The rule “${clip(found.name)}” can no longer be asked: ${troubleOf(found, seen.catalog, env)}`,
          {
            span,
          },
        );
      const names = kept.filter((r) => visible(r) !== null).map((r) => r.name);
      return fail('not_found', `There is no rule “${clip(name)}”.`, {
        span,
        suggestions: closest(name, names).map((n) => quote(n)),
      });
    },
    rulesOf: (typeId) =>
      seen.withEverything((whole) =>
        kept.flatMap((r) => {
          const rule = r.isOn && r.type === typeId ? checkedOrNot(r, whole, context) : null;
          if (rule === null) return [];
          // It holds for all there is; a run looks again with the person's eyes.
          const { reads } = checkedOrNot(r, seen.reading, context) ?? rule;
          const message = visible(r) ? rule.message : 'A rule on fields that you may not see.';
          return [{ ...rule, reads, message }];
        }),
      ),
  };
}

/** Why a rule can no longer be asked; null where it can. */
export function troubleOf(
  { name, bound }: Pick<KeptRule, 'name' | 'bound'>,
  catalog: Catalog,
  env: Env,
): string | null {
  try {
    checkRule(name, bound, catalog, ruleContext(env));
    return null;
  } catch (error) {
    if (error instanceof ProblemError) return error.message;
    throw error;
  }
}

function checkedOrNot({ name, bound }: KeptRule, catalog: Catalog, context: Context): OwnRule | null {
  try {
    return checkRule(name, bound, catalog, context);
  } catch (error) {
    // It is told in the list of rules, and by every preview that it would have been asked in.
    if (error instanceof ProblemError) return null;
    throw error;
  }
}
