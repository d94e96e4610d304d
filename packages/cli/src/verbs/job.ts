import { randomUUID } from 'node:crypto';
import type { Client } from '@tantamos/client';
import type {
  AskedInputView,
  ConstantView,
  JobInputBody,
  PreviewView,
  SavedJobBody,
  SavedJobsFileBody,
  SavedJobView,
} from '@tantamos/contract';
import { exitCodes } from '../exit';
import { sent } from '../file-options';
import { isOfOneTime } from '@tantamos/core';
import { commas, readFile, wholeNumber } from '../options';
import { moment, out, print, readFormat, talk, printJson } from '../output';
import { followPreview } from '../progress';
import { remember } from '../recent';
import { client } from '../session';
import { UsageError } from '../trouble';
import { finish } from './preview';
import { startRun, withFollowing, type RunOptions } from './run';
import { withFile } from './filed';
import { readValuesJob, withValuesOptions, type ValuesOptions } from '../values';
import { acting, type Verb } from './verb';

interface SaveOptions extends ValuesOptions {
  readonly askFor?: readonly string[];
  readonly label?: readonly string[];
  readonly usual?: readonly string[];
  readonly only?: readonly string[];
  readonly folder?: string;
  readonly note?: string;
  readonly open?: boolean;
  readonly share?: string;
  readonly because?: string;
}

const again = (text: string, all: readonly string[] = []): readonly string[] => [...all, text];

export const job: Verb = (program) => {
  const group = program.command('job').description('jobs saved under names, with what they ask for when they are used');
  group
    .command('list', { isDefault: true })
    .description('mine, those shared with me, and those open to all')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { format: string }) => {
        const all = await client().savedJobs();
        const rows = all.map((j) => [
          j.folder,
          j.name,
          j.type,
          j.inputs.map((i) => i.name).join(', '),
          j.trouble === null ? (j.usedAt === null ? null : moment(j.usedAt)) : 'needs a look',
          j.sentence,
        ]);
        print({ columns: ['folder', 'job', 'type', 'asks for', 'last used', 'does'], rows }, readFormat(o.format), all);
        if (all.length === 0) talk('None yet: tantamos job save NAME TYPE -f … --set …');
      }),
    );

  withValuesOptions(
    group.command('save').arguments('<name> [type]').description('save a job under a name, or a new version of it'),
  )
    .option('--ask-for <name=value>', 'ask for what stands in the job as this value (again for more)', again)
    .option('--label <name=words>', 'how it is called where it is asked for, such as leaver="Who leaves"', again)
    .option('--usual <name=expression>', 'what is taken where nothing is said, such as due=TODAY()+7', again)
    .option('--only <name=values>', 'what may be said: name=1..100, or name=one,another', again)
    .option('--folder <name>', 'where it is kept')
    .option('--note <text>', 'what it is for')
    .option('--open', 'open to all')
    .option('--share <logins>', 'shared with these people: a,b')
    .option('--because <text>', 'why this version')
    .action(
      acting(async (name: string, type: string | undefined, o: SaveOptions) => {
        const api = client();
        const read = await readValuesJob(api, type, o);
        if (read === null) return exitCodes.problems;
        const { after: _, ...said } = read;
        const inputs = inputsOf(await api.constants(said), o);
        const body: SavedJobBody = { name, job: said, ...(inputs.length > 0 ? { inputs } : {}) };
        if (o.folder !== undefined) body.folder = o.folder;
        if (o.note !== undefined) body.note = o.note;
        if (o.open) body.open = true;
        if (o.share !== undefined) body.people = commas(o.share);
        if (o.because !== undefined) body.why = o.because;
        const saved = await api.saveJob(body);
        talk(`Saved “${saved.name}”, version ${saved.version}: ${saved.sentence}`);
        return tellAsks(saved);
      }),
    );

  group
    .command('show')
    .argument('<name>')
    .description('what it does, what it asks for, what it uses, its versions')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (name: string, o: { format: string }) => {
        const api = client();
        const [j, versions] = await Promise.all([api.savedJob(name), api.savedJobVersions(name)]);
        if (readFormat(o.format) !== 'table') return printJson(readFormat(o.format), { ...j, versions });
        out(j.sentence);
        if (j.note) out(j.note);
        if (j.trouble) out(`Needs a look: ${j.trouble}`);
        out(`${opennessOf(j)}, saved by ${j.owner}`);
        if (j.uses.length > 0) out(`Uses ${j.uses.map((u) => `${u.what} ${u.name}`).join(', ')}`);
        if (j.asks.length > 0) {
          out('');
          const asks = j.asks.map((a) => [a.name, a.label, a.type ?? a.kind, usually(a)]);
          print({ columns: ['input', 'asks for', 'a', 'usually'], rows: asks }, 'table');
        }
        out('');
        const rows = versions.map((v) => [v.version, moment(v.changedAt), v.changedBy, v.changes.join('; '), v.why]);
        print({ columns: ['version', 'saved', 'by', 'changes', 'why'], rows }, 'table');
      }),
    );

  withUse(
    group.command('preview').argument('<name>').description('work it out with what it asks for; nothing is changed'),
  )
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (name: string, o: UseOptions & { format: string }) => {
        const api = client();
        return finish(api, await used(api, name, o), o.format);
      }),
    );

  withFollowing(withUse(group.command('run').argument('<name>').description('preview it, start it and watch it')))
    .option('--expect <n>', 'how many will change; needed where nobody can be asked', wholeNumber('--expect'))
    .option('--ask-after <n>', 'stop and ask after the first N', wholeNumber('--ask-after'))
    .option('--no-ask', 'do all of it, whatever the job says')
    .option('--detach', 'start it and do not watch')
    .action(
      acting(async (name: string, o: UseOptions & RunOptions) => {
        const api = client();
        remember('run', null);
        const p = await followPreview(api, await used(api, name, o));
        if (p.state !== 'ready' || p.totals.will_change === 0) return finish(api, p, o.format ?? 'table', o);
        remember('preview', p.id);
        return startRun(api, p, o);
      }),
    );

  withFile<{ name?: readonly string[] }>(group, {
    drop: (name) => client().dropSavedJob(name),
    about: 'all of them as a JSON file',
    read: () => client().files.savedJobsFile(),
    take: (file, taken, { name = [] }) => {
      const names = Object.fromEntries(name.map((text) => pairOf('--name', text)));
      return client().importJobs({ file: file as SavedJobsFileBody, taken, names });
    },
  }).option('--name <said=meant>', 'who is meant here by a name in the file, by name or key (again for more)', again);
};

interface UseOptions {
  readonly input?: readonly string[];
  readonly why?: string;
}

function withUse(command: ReturnType<Parameters<Verb>[0]['command']>) {
  return command
    .option(
      '--input <name=value>',
      'what it asks for (again for more); @FILE reads a list out of a file, or sends a file of values; as usual where nothing is said',
      again,
    )
    .option('--why <text>', 'the reason; it stays with the preview, run, undo and history');
}

async function used(api: Client, name: string, { input = [], why }: UseOptions): Promise<PreviewView> {
  const inputs: Record<string, string> = {};
  const read = input.map((text) => pairOf('--input', text));
  const asks = read.length > 0 ? (await api.savedJob(name)).asks : [];
  for (const [of, value] of read) {
    const path = value.replace(/^@/, '');
    // Of a file of values nothing but a file is meant.
    if (asks.some((a) => a.kind === 'file' && a.name.toLowerCase() === of.toLowerCase()))
      inputs[of] = (await sent(api, path)).id;
    else inputs[of] = value === path ? value : readFile(path);
  }
  remember('preview', null);
  return api.useJob(name, { inputs, ...(why === undefined ? {} : { why }) }, { once: randomUUID() });
}

function pairOf(option: string, text: string): [string, string] {
  const at = text.indexOf('=');
  if (at <= 0) throw new UsageError(`${option} is NAME=…, not “${text}”.`);
  return [text.slice(0, at).trim(), text.slice(at + 1).trim()];
}

/** What is asked for in the places of these values; every value of that kind that stands there so is meant. */
function inputsOf(
  constants: readonly ConstantView[],
  { askFor = [], label = [], usual = [], only = [] }: SaveOptions,
): JobInputBody[] {
  const usuals = new Map(usual.map((text) => pairOf('--usual', text)));
  const labels = new Map(label.map((text) => pairOf('--label', text)));
  const limits = new Map(only.map((text) => pairOf('--only', text)));
  const inputs = askFor.map((text): JobInputBody => {
    const [name, value] = pairOf('--ask-for', text);
    const isIt = (text: string): boolean => text.toLowerCase() === value.toLowerCase();
    const named = constants.filter((c) => isIt(c.text) || isIt(c.shown) || isIt(isOfOneTime(c.spot) ? c.kind : ''));
    const [first] = named;
    if (!first)
      throw new UsageError(
        `--ask-for: “${value}” is no value of this job. Its values: ${constants.map((c) => (isOfOneTime(c.spot) ? `${c.kind} (${c.label})` : `${c.shown} (${c.label})`)).join(', ') || 'none'}.`,
      );
    const alike = named.filter((c) => c.kind === first.kind && c.type === first.type);
    const taken = (from: Map<string, string>): string | undefined => {
      const text = from.get(name);
      from.delete(name);
      return text;
    };
    const [words, by, limit] = [labels, usuals, limits].map(taken);
    return {
      name,
      label: words ?? first.label,
      spots: alike.map((c) => ({ ...c.spot })),
      ...(by === undefined ? {} : { usual: by }),
      ...(limit === undefined ? {} : limitsOf(limit)),
    };
  });
  const [left] = [...labels.keys(), ...usuals.keys(), ...limits.keys()];
  if (left !== undefined) throw new UsageError(`--label, --usual, --only: nothing called “${left}” is asked for.`);
  return inputs;
}

/** `1..100`, `..2026-12-31`, or values with commas between. */
function limitsOf(text: string): Pick<JobInputBody, 'from' | 'to' | 'among'> {
  const range = /^(.*)\.\.(.*)$/.exec(text);
  if (!range) return { among: commas(text) };
  const [from, to] = [range[1]!.trim(), range[2]!.trim()];
  return { ...(from ? { from } : {}), ...(to ? { to } : {}) };
}

function tellAsks({ name, asks }: SavedJobView): void {
  if (asks.length === 0) return talk(`Use it: tantamos job run "${name}"`);
  const usual = (a: AskedInputView): string => (a.kind === 'file' ? 'each time' : `usually ${usually(a)}`);
  talk(`It asks for ${asks.map((a) => `${a.name} (${a.label}, ${usual(a)})`).join(', ')}.`);
  talk(`Use it: tantamos job run "${name}" --input ${asks[0]!.name}=…`);
}

const usually = ({ kind, usual }: SavedJobView['asks'][number]): string =>
  kind === 'list' ? 'the list that was saved' : kind === 'file' ? 'nothing: a file is said each time' : usual;

function opennessOf({ open, people }: SavedJobView): string {
  if (open) return 'Open to all';
  return people.length > 0 ? `Shared with ${people.join(', ')}` : 'Private';
}
