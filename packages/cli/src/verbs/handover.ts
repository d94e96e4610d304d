import { randomUUID } from 'node:crypto';
import type { Client } from '@tantamos/client';
import type { HandoverBody, HandoverView } from '@tantamos/contract';
import { handoverRests, isTicked, shortId, stateWords, type RunState } from '@tantamos/core';
import { exitCodes } from '../exit';
import { commas } from '../options';
import { listed, moment, number, print, readFormat, talk } from '../output';
import { remember } from '../recent';
import { client } from '../session';
import { UsageError } from '../trouble';
import { finish } from './preview';
import { acting, type Verb } from './verb';

interface Options {
  readonly type?: string;
  readonly to?: readonly string[];
  readonly level?: true;
  readonly all?: true;
  readonly only?: string;
  readonly with?: string;
  readonly without?: string;
  readonly follow?: readonly string[];
  readonly rest?: string;
  readonly why?: string;
  readonly format: string;
}

const again = (text: string, before: readonly string[] = []): string[] => [...before, text];

/** Everything that points at a person, and a job that gives it to others. */
export const handover: Verb = (program) => {
  program
    .command('handover')
    .argument('<person>', 'name or key')
    .description('everything that points at a person, counted; with --to a preview that gives it to others')
    .option('--type <type>', 'the type of person; the owners of records where nothing is said')
    .option('--to <person>', 'to whom, as name, key or NAME:WEIGHT (again for several)', again)
    .option('--level', 'whoever has fewest gets the next')
    .option('--all', 'also what is not open')
    .option('--only <fields>', 'only these: bookings.owner,tasks.owner')
    .option('--with <fields>', 'these too, which are not ticked by themselves: remarks.author')
    .option('--without <fields>', 'but for these')
    .option(
      '--follow <field>',
      'each gets whom the record it points at will have: bookings.grower (again for more)',
      again,
    )
    .option(
      '--rest <how>',
      `with --follow, where that has none of those who receive: ${listed(handoverRests)} (theirs)`,
    )
    .option('--why <text>', 'the reason; it stays with the preview, run, undo and history')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (person: string, o: Options) => {
        const api = client();
        const type = o.type ?? (await typeOfOwners(api));
        const view = await api.handover(type, person);
        if (o.to === undefined && o.follow === undefined) return show(view, o.format);
        const body = bodyOf(view, o);
        remember('preview', null);
        return finish(api, await api.makeHandover(view.type, view.key, body, { once: randomUUID() }), o.format);
      }),
    );
};

/** What owners are records of. */
async function typeOfOwners(api: Client): Promise<string> {
  for (const { id, ownerFields } of await api.types()) {
    if (ownerFields.length === 0) continue;
    const { fields } = await api.type(id);
    const owner = fields.find((f) => f.name === ownerFields[0]);
    if (owner?.refersTo) return owner.refersTo;
  }
  throw new UsageError('No type has an owner here: say what the person is a record of (--type).');
}

function show(view: HandoverView, format: string): number {
  const { lines, last, name } = view;
  const isAfter = last !== null;
  const rows = lines.map((l) => [
    `${l.type}.${l.field}`,
    ...(isAfter ? [l.before ? number(l.before.open) : null, l.before ? number(l.before.total) : null] : []),
    number(l.open),
    number(l.total),
    l.not ?? (isAfter ? l.why.join('; ') : l.isOwner ? '' : 'says who did something: --with'),
  ]);
  const before = isAfter ? ['open before', 'all before'] : [];
  const columns = ['what', ...before, isAfter ? 'open now' : 'open', isAfter ? 'all now' : 'all', isAfter ? 'why' : ''];
  if (readFormat(format) === 'table') {
    talk(`${name} (${view.key})${view.isActive === false ? ', not active any more' : ''}`);
    if (last)
      talk(
        `handed over by run ${shortId(last.run)}, ${moment(last.at)} by ${last.by}: ${stateWords(last.state as RunState).toLowerCase()}`,
      );
  }
  print({ columns, numbers: columns.slice(1, -1), rows }, readFormat(format), view);
  const open = lines.reduce((n, l) => n + (l.isOwner ? l.open : 0), 0);
  if (lines.length === 0) talk(`Nothing points at ${name}.`);
  else if (!last && open > 0) talk(`To hand over what is open: tantamos handover "${name}" --to NAME`);
  return lines.length === 0 ? exitCodes.nothingToDo : exitCodes.done;
}

function bodyOf(view: HandoverView, o: Options): HandoverBody {
  const nameOf = (l: HandoverView['lines'][number]): string => `${l.type}.${l.field}`;
  const named = (option: string, text: string | undefined): string[] =>
    commas(text ?? '').map((said) => {
      if (view.lines.some((l) => nameOf(l) === said)) return said;
      throw new UsageError(
        `${option}: nothing points at ${view.name} by ${said}; what does: ${view.lines.map(nameOf).join(', ')}.`,
      );
    });
  const follows = new Map(
    (o.follow ?? []).map((said): [string, string] => {
      const [type = '', field = ''] = said.split('.');
      const line = view.lines.find((l) => l.type === type && l.follows.some((f) => f.field === field));
      if (!line)
        throw new UsageError(
          `--follow ${said}: what can be followed is ${view.lines.flatMap((l) => l.follows.map((f) => `${l.type}.${f.field}`)).join(', ') || 'nothing'}.`,
        );
      return [nameOf(line), field];
    }),
  );
  const only = named('--only', o.only);
  const more = named('--with', o.with);
  const without = named('--without', o.without);
  const which: 'open' | 'all' = o.all ? 'all' : 'open';
  const chosen = view.lines.filter((l) => {
    if (without.includes(nameOf(l))) return false;
    if (only.length > 0) return only.includes(nameOf(l)) || more.includes(nameOf(l));
    return more.includes(nameOf(l)) || isTicked(l, which);
  });
  if (chosen.length === 0) throw new UsageError(`Nothing${o.all ? '' : ' open'} of ${view.name} is left to hand over.`);
  const rest = handoverRests.find((r) => r === o.rest);
  if (o.rest !== undefined && !rest) throw new UsageError(`--rest is ${listed(handoverRests)}, not “${o.rest}”.`);
  const lines = chosen.map((l) => {
    const follow = follows.get(nameOf(l));
    return {
      type: l.type,
      field: l.field,
      which,
      ...(follow ? { follow, ...(rest ? { rest } : {}) } : {}),
    };
  });
  return {
    lines,
    among: (o.to ?? []).map(shareOf),
    ...(o.level ? { level: true } : {}),
    ...(o.why === undefined ? {} : { why: o.why }),
  };
}

/** `Ines Calloway`, `Ines Calloway:2` */
function shareOf(text: string): HandoverBody['among'][number] {
  const [, to, weight] = /^(.*?)(?::(\d+(?:\.\d+)?))?$/.exec(text.trim()) ?? [];
  return { to: to!, ...(weight === undefined ? {} : { weight: Number(weight) }) };
}
