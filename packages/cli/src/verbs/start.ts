import type { Client } from '@tantamos/client';
import type { PreviewView, RuleView, RunView } from '@tantamos/contract';
import { doneShort, shortId } from '@tantamos/core';
import { moment, out, print, readFormat, talk, printJson } from '../output';
import { client } from '../session';
import { stateText } from '../show';
import { brokenWords } from './rule';
import { acting, type Verb } from './verb';

export const start: Verb = (program) => {
  program
    .command('start')
    .description('what waits for me, what ran lately, my jobs, and rules with how many break them')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (o: { format: string }) => {
        const found = await look(client());
        if (readFormat(o.format) !== 'table') return printJson(readFormat(o.format), found);
        const { waits, previews, ran, jobs, rules } = found;
        part('Waits for you', [
          ...waits.map((r) => [shortId(r.id), stateText(r), r.sentence]),
          ...previews.map((p) => [shortId(p.id), `preview until ${moment(p.expiresAt)}`, p.sentence]),
        ]);
        part(
          'Ran lately',
          ran.map((r) => [shortId(r.id), `${doneShort(r.parts)} by ${r.startedBy}`, r.sentence]),
        );
        part(
          'Jobs',
          jobs.map((j) => [j.name, j.trouble === null ? (j.folder ?? '') : 'needs a look', j.sentence]),
        );
        part(
          'Rules',
          rules.map((r) => [r.name, r.trouble === null ? brokenText(r) : 'in trouble', r.words]),
        );
        if (Object.values(found).every((list) => list.length === 0))
          talk('Nothing yet. Begin with: tantamos types, then tantamos find TYPE -f …');
      }),
    );
};

const mostShown = 8;

async function look(api: Client) {
  const [runs, previews, jobs, rules] = await Promise.all([
    api.runs({ limit: 20 }),
    api.previews(),
    api.savedJobs(),
    api.rules({}),
  ]);
  const waits = runs.filter((r) => ['waiting_for_you', 'paused'].includes(r.state) && r.verbs.includes('continue'));
  return {
    waits: waits as readonly RunView[],
    previews: previews.filter((p): p is PreviewView => p.mine && p.state === 'ready' && !p.expired && p.run === null),
    ran: runs.filter((r) => !waits.includes(r)).slice(0, mostShown),
    jobs,
    rules: rules.filter((r) => r.source === 'own' && (r.isOn || r.broken !== 0 || r.trouble !== null)),
  };
}

function part(title: string, rows: (string | null)[][]): void {
  if (rows.length === 0) return;
  out(title);
  print({ columns: ['', ' ', '  '], rows }, 'table');
  out('');
}

function brokenText(rule: RuleView): string {
  if (rule.ofChange) return 'about changes';
  return rule.broken === null ? 'not counted' : brokenWords(rule);
}
