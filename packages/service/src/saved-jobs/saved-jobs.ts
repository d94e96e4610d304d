import type { SavedJobBody, SavedJobVersionView, SavedJobView } from '@tantamos/contract';
import {
  askedOf,
  checkInputs,
  checkJob,
  checkSelection,
  clip,
  closest,
  editSentence,
  fail,
  filledIn,
  isOfOneTime,
  jobSentence,
  sentenceText,
  selectionsOf,
  ProblemError,
  whichWords,
  within,
  type AskedInput,
  type Catalog,
  type Context,
  type Job,
  type LookedUp,
} from '@tantamos/core';
import type { Accounts } from '../accounts/accounts';
import type { Connection, Database } from '../database/database';
import { codeOf } from '../database/refusal';
import type { Compiler } from '../jobs/compiler';
import type { Seen } from '../rights/seen';
import { mostVersions, mustHaveRoom } from '../storage/room';
import { rulesNamedIn } from '../rules/users';
import { allOrNone, keptName, mustBeNewest } from '../kept-by-name';
import { filedIn } from '../files/filed';
import { keptFile } from '../files/store';
import { matchList, type Target } from '../lists/match';
import { namesOfSaved } from '../selections/context';
import type { Alongside } from '../previews/previews';
import { plainJob } from '../selections/plain';
import { typesOf } from '../selections/visible';
import { turns } from '../turns';
import { boundJob, namesIn, type SavedJobSaid } from './bound';
import { fileAsked, withRowsOf, type FileAsked } from './filed';

interface Row {
  readonly id: string;
  readonly name: string;
  readonly owner: string;
  readonly owner_name: string;
  readonly open: boolean;
  readonly shared_with: readonly string[];
  readonly people: readonly string[];
  readonly folder: string | null;
  readonly note: string | null;
  readonly type: string;
  readonly version: number;
  readonly said: SavedJobSaid;
  readonly bound: SavedJobSaid;
  readonly changed_by_name: string;
  readonly changed_at: Date;
  readonly last_preview: string | null;
  readonly used_by_name: string | null;
  readonly used_at: Date | null;
}

/** Jobs saved under names, each with all its versions and what it asks for at use. */
export class SavedJobs {
  constructor(
    private readonly database: Database,
    private readonly compiler: Compiler,
    private readonly accounts: Accounts,
  ) {}

  /** The person's own, those shared with them and those open to all, but for what names something withheld from them. */
  async list(seen: Seen): Promise<SavedJobView[]> {
    const { person } = seen;
    const rows = await this.database.rows<Row & Record<string, unknown>>(
      `${selectJobs} where j.open or j.owner = $1 or $1 = any(j.shared_with) order by lower(j.folder) nulls first, lower(j.name)`,
      [person.id],
    );
    const { catalog, context } = await this.context(
      seen,
      rows.map((r) => r.bound.job),
    );
    const visible: SavedJobView[] = [];
    const turn = turns();
    for (const row of rows) {
      await turn();
      const shown = view(await this.namedAsSeen(row, seen), seen, catalog, context);
      if (shown) visible.push(shown);
    }
    return visible;
  }

  async get(seen: Seen, name: string): Promise<SavedJobView> {
    const all = await this.list(seen);
    return (
      all.find((j) => j.name.toLowerCase() === name.toLowerCase()) ??
      fail('not_found', `There is no saved job “${clip(name)}”.`, {
        suggestions: closest(
          name,
          all.map((j) => j.name),
        ),
      })
    );
  }

  async versions(seen: Seen, name: string): Promise<SavedJobVersionView[]> {
    const { id } = await this.get(seen, name);
    const rows = await this.database.rows<
      { version: number; said: SavedJobSaid; why: string | null; by: string; at: Date } & Record<string, unknown>
    >(
      `select v.version, v.said, v.why, a.name as by, v.changed_at as at
       from tantamos.saved_job_version v join tantamos.account a on a.id = v.changed_by
       where v.job = $1 order by v.version desc`,
      [id],
    );
    const { catalog, context } = await this.context(
      seen,
      rows.map((r) => r.said.job),
    );
    const shown = rows.filter(({ said }) => seen.isWhole || troubleOf(said, catalog, context) === null);
    return (await Promise.all(shown.map((row) => this.namedAsSeen(row, seen)))).map(
      ({ version, said, why, by, at }, i) => ({
        version,
        job: said.job,
        inputs: said.inputs,
        sentence: sentenceOf(said, catalog, context),
        changes: changesBetween(rows[i + 1]?.said, said, catalog, context),
        why,
        changedBy: by,
        changedAt: at.toISOString(),
      }),
    );
  }

  /** Saves a new job, or a new version where the name is the person's own, or open and theirs to change. */
  async save(seen: Seen, body: SavedJobBody): Promise<SavedJobView> {
    const [saved] = await this.saveAll(seen, [body]);
    return saved!;
  }

  /** Saves several, all or none; problems say in which. */
  async saveAll(seen: Seen, bodies: readonly SavedJobBody[]): Promise<SavedJobView[]> {
    const names = await allOrNone(this.database, bodies, (connection, body) => this.saveOn(connection, seen, body));
    const all = await this.list(seen);
    return names.map((name) => all.find((j) => j.name === name)!);
  }

  async drop(seen: Seen, name: string): Promise<void> {
    const job = await this.get(seen, name);
    if (!job.mine && !seen.may('administer')) seen.refuse('Only who saved a job, and administrators, may delete it');
    await this.database.rows('delete from tantamos.saved_job where id = $1', [job.id]);
  }

  /** The job with what was said for what it asks, ready to be previewed; it follows the last preview made of it. */
  async toUse(seen: Seen, name: string, said: Readonly<Record<string, string>>, why?: string) {
    const view = await this.get(seen, name);
    if (view.trouble !== null) fail('bad_value', `“${clip(view.name)}” needs a look first: ${view.trouble}`);
    const row = await this.database.one<Row & Record<string, unknown>>(`${selectJobs} where j.id = $1`, [view.id]);
    const { inputs } = row!.bound;
    const { catalog, context } = await this.context(seen, [row!.bound.job]);
    const job = await this.readable(row!, catalog, context);
    const taken = filledIn(job, inputs, await this.withLists(seen, view, said), catalog, context);
    const filled = await this.withFile(seen, view, row!.said.file, taken, said);
    return { id: view.id, job: why === undefined ? filled : { ...filled, why }, lastPreview: row!.last_preview };
  }

  /** A list that is said as a text is matched, as the one that was saved had been. */
  private async withLists(
    seen: Seen,
    { asks, job }: SavedJobView,
    said: Readonly<Record<string, string>>,
  ): Promise<Readonly<Record<string, string>>> {
    const names = asks.filter((a) => a.kind === 'list').map((a) => a.name.toLowerCase());
    const given = Object.entries(said).find(([name, text]) => names.includes(name.toLowerCase()) && !uuid.test(text));
    if (!given || given[1].trim() === '') return said;
    const row = await this.database.one<{ targets: readonly Target[] }>(
      'select targets from tantamos.list where id = $1',
      [job.selection.list!.id],
    );
    if (!row) fail('not_found', 'The list that was saved with this job is no longer there; save it again.');
    const id = await matchList(this.database, seen.catalog, seen.person.id, given[1], row.targets);
    return { ...said, [given[0]]: id };
  }

  /** The rows of the file that was said, where the job asks for one. */
  private async withFile(
    seen: Seen,
    { asks }: SavedJobView,
    asked: FileAsked | undefined,
    job: Job,
    said: Readonly<Record<string, string>>,
  ): Promise<Job> {
    const name = asks.find((a) => a.kind === 'file')?.name;
    if (name === undefined || !asked) return job;
    const [, id] = Object.entries(said).find(([of]) => of.toLowerCase() === name.toLowerCase())!;
    if (!uuid.test(id.trim()))
      fail('bad_value', `“${clip(id)}” is no id of a file: send the file first.`, { where: `inputs.${name}` });
    const { database, compiler, accounts } = this;
    return withRowsOf({ database, compiler, accounts }, seen, job, asked, { name, id: id.trim() });
  }

  /** What jobs that are kept may refer to, the files among it that they were saved with. */
  private async context(seen: Seen, jobs: readonly Job[]): Promise<{ catalog: Catalog; context: Context }> {
    const { catalog, context } = await this.compiler.context(seen, jobs.flatMap(selectionsOf));
    const filed = await filedIn((id) => keptFile(this.database, id), jobs, catalog, context);
    return { catalog, context: { ...context, filed } };
  }

  /** With the names of records as the person may see them now; where they see all records, as they were when it was saved. */
  private async namedAsSeen<R extends { readonly said: SavedJobSaid }>(row: R, seen: Seen): Promise<R> {
    if (!seen.isLimited) return row;
    const names = await namesIn(this.database, row.said.job, seen.catalog).catch((error: unknown) => {
      if (error instanceof ProblemError) return {};
      throw error;
    });
    return { ...row, said: { ...row.said, names } };
  }

  /** As it was said, where its names mean today what they meant then; with keys otherwise. */
  private async readable({ said, bound }: Row, catalog: Catalog, context: Context): Promise<Job> {
    const now = await boundJob(this.database, said.job, catalog, context).catch((error: unknown) => {
      if (error instanceof ProblemError) return null;
      throw error;
    });
    return JSON.stringify(sorted(now)) === JSON.stringify(sorted(bound.job)) ? said.job : bound.job;
  }

  /** Notes with a preview that it was made of a job. */
  used(id: string, account: string): Alongside {
    return async (connection, preview) => {
      await connection.query(
        'update tantamos.saved_job set last_preview = $2, used_by = $3, used_at = now() where id = $1',
        [id, preview, account],
      );
    };
  }

  private async saveOn(connection: Connection, seen: Seen, body: SavedJobBody): Promise<string> {
    const { person } = seen;
    const name = keptName(body.name);
    if (body.open || body.people?.length) seen.must('keep_open');
    const plain = plainSaid(body);
    const bound = await this.bound(seen, plain);
    const file = await fileAsked(connection, plain.job, plain.inputs);
    const names = await namesIn(this.database, plain.job, seen.catalog);
    const said: SavedJobSaid = { ...plain, names, ...(file ? { file } : {}) };
    const people = await accountsOf(connection, body.people ?? []);
    const { rows: found } = await connection.query<Row>(`${selectJobs} where lower(j.name) = lower($1)`, [name]);
    const before = found[0];
    if (before) mayChange(seen, before, body.version ?? null, name);
    else await mustHaveRoom(connection, 'jobs', person.id);
    const { open = before?.open ?? false, folder = before?.folder ?? null, note = before?.note ?? null } = body;
    const shared = body.people ? people : (before?.shared_with ?? []);
    const values = [name, person.id, open, shared, tidy(folder), tidy(note), said.job.selection.type, said, bound];
    const { rows } = before
      ? await connection.query<{ id: string; version: number }>(
          `update tantamos.saved_job set name = $1, changed_by = $2, open = $3, shared_with = $4, folder = $5, note = $6,
             type = $7, said = $8, bound = $9, version = version + 1, changed_at = now()
           where id = $10 and version = $11 returning id, version`,
          [...values, before.id, before.version],
        )
      : await connection
          .query<{ id: string; version: number }>(
            `insert into tantamos.saved_job (name, owner, changed_by, open, shared_with, folder, note, type, said, bound)
             values ($1, $2, $2, $3, $4, $5, $6, $7, $8, $9) returning id, version`,
            values,
          )
          .catch((error: unknown) => {
            if (codeOf(error) !== '23505') throw error;
            return fail('name_taken', `The name “${clip(name)}” is taken.`, { where: 'name' });
          });
    const saved = rows[0] ?? fail('stale_version', 'Somebody changed this job just now; look at it again.');
    await connection.query(
      'insert into tantamos.saved_job_version (job, version, said, why, changed_by) values ($1, $2, $3, $4, $5)',
      [saved.id, saved.version, said, body.why?.trim() || null, person.id],
    );
    await connection.query('delete from tantamos.saved_job_version where job = $1 and version <= $2', [
      saved.id,
      saved.version - mostVersions,
    ]);
    return name;
  }

  /** Checked as a job of its own would be, with names as keys. */
  private async bound(seen: Seen, said: SavedJobSaid): Promise<SavedJobSaid> {
    const { catalog, context } = await within('job', () => this.compiler.job(seen, said.job));
    checkInputs(said.job, said.inputs, catalog, context);
    return { ...said, job: await boundJob(this.database, said.job, catalog, context) };
  }
}

const uuid = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

const selectJobs = `
  select j.*, o.name as owner_name, c.name as changed_by_name, u.name as used_by_name,
    array(select a.name from tantamos.account a where a.id = any(j.shared_with) order by a.name) as people
  from tantamos.saved_job j
  join tantamos.account o on o.id = j.owner join tantamos.account c on c.id = j.changed_by
  left join tantamos.account u on u.id = j.used_by`;

function plainSaid({ job, inputs = [], look = {} }: SavedJobBody): SavedJobSaid {
  const { after: _, ...plain } = plainJob(job);
  const { keys, list, drop } = plain.selection;
  const isAsked = inputs.some((i) => i.spots.some(isOfOneTime));
  const isFiled = plain.from !== undefined && 'file' in plain.from;
  if (keys || drop || ((list || isFiled) && !isAsked))
    fail(
      'bad_value',
      'Records picked or dropped by hand are of one time, and so are a pasted list and the rows of a file: save the job without them, or ask for the list or the file at use.',
      {
        where: 'job.selection',
      },
    );
  // Members that were left out are not there, whatever class they came in.
  return JSON.parse(JSON.stringify({ job: plain, inputs, look })) as SavedJobSaid;
}

/** The same with its members in one order: the database keeps them in its own. */
function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([k, v]) => [k, sorted(v)]),
  );
}

const tidy = (text: string | null): string | null => text?.trim() || null;

async function accountsOf(connection: Connection, logins: readonly string[]): Promise<string[]> {
  const { rows } = await connection.query<{ id: string; login: string }>(
    'select id, login from tantamos.account where lower(login) = any($1)',
    [logins.map((l) => l.toLowerCase())],
  );
  const missing = logins.find((l) => !rows.some((r) => r.login.toLowerCase() === l.toLowerCase()));
  if (missing !== undefined) fail('not_found', `There is no account “${clip(missing)}”.`, { where: 'people' });
  return rows.map((r) => r.id);
}

const isTheirs = (r: Pick<Row, 'owner' | 'open'>, seen: Seen): boolean =>
  r.owner === seen.person.id || (r.open && seen.may('administer'));

function mayChange(seen: Seen, before: Row, version: number | null, name: string): void {
  // A name that somebody keeps to themselves is not told of.
  if (!isTheirs(before, seen))
    fail('name_taken', `The name “${clip(name)}” is taken; save it under another.`, { where: 'name' });
  mustBeNewest(before.version, version);
}

/** Null where the person may not see what it is about. */
function view(r: Row, seen: Seen, catalog: Catalog, context: Context): SavedJobView | null {
  const made = [r.said.job, ...(r.said.job.then ?? [])].flatMap((part) => (part.also ?? []).map((a) => a.type));
  if ([...selectionsOf(r.said.job).flatMap(typesOf), ...made].some((t) => seen.withholds(t))) return null;
  const trouble = troubleOf(r.bound, catalog, context);
  // What no longer works may name anything: it is shown only where nothing is withheld.
  if (trouble !== null && !seen.isWhole) return null;
  const { job, inputs, look } = r.said;
  const asks = trouble === null ? askedOf(job, inputs, catalog, context) : [];
  return {
    id: r.id,
    name: r.name,
    folder: r.folder,
    note: r.note,
    open: r.open,
    mine: r.owner === seen.person.id,
    mayChange: isTheirs(r, seen),
    owner: r.owner_name,
    people: r.people,
    type: r.type,
    typeLabel: catalog.find(r.type)?.label ?? r.type,
    sentence: sentenceOf({ ...r.said, job: leftOpen(r.said, asks, catalog, context) }, catalog, context),
    job,
    inputs,
    asks,
    schema: schemaOf(asks),
    look: look,
    uses: usesOf(job),
    trouble,
    version: r.version,
    changedBy: r.changed_by_name,
    changedAt: r.changed_at.toISOString(),
    lastPreview: r.last_preview,
    usedBy: r.used_by_name,
    usedAt: r.used_at?.toISOString() ?? null,
  };
}

/** The job with the names of what it asks for in their places, where a name may stand: “owner is ‹leaver›”. */
function leftOpen({ job, inputs }: SavedJobSaid, asks: readonly AskedInput[], catalog: Catalog, context: Context): Job {
  const open = asks.filter((a) => ['record', 'text'].includes(a.kind) && !a.among);
  const file = asks.find((a) => a.kind === 'file');
  const others = inputs.filter((i) => i.name !== file?.name);
  try {
    const filled = filledIn(
      job,
      others,
      Object.fromEntries(open.map((a) => [a.name, `‹${a.name}›`])),
      catalog,
      context,
    );
    return file ? leftForFile(filled, file.name) : filled;
  } catch (error) {
    // A name that does not fit into its field: then it is said as it stands.
    if (error instanceof ProblemError) return job;
    throw error;
  }
}

/** The same, of a file that is not known yet. */
function leftForFile(job: Job, name: string): Job {
  const { list } = job.selection;
  const edits = job.edits.map((e) => (e.kind === 'put' && e.given ? { ...e, given: { ...e.given, count: 0 } } : e));
  return {
    ...job,
    edits,
    ...(list ? { selection: { ...job.selection, list: { ...list, file: `‹${name}›` } } } : {}),
  };
}

/** Why a job needs a look before it is used; null where it does not. */
function troubleOf({ job, inputs }: SavedJobSaid, catalog: Catalog, context: Context): string | null {
  try {
    checkJob(job, catalog, context);
    checkInputs(job, inputs, catalog, context);
    return null;
  } catch (error) {
    if (error instanceof ProblemError) return error.message;
    throw error;
  }
}

function sentenceOf({ job, names }: SavedJobSaid, catalog: Catalog, context: Context): string {
  const find: LookedUp['find'] = (type, text) => {
    const name = names?.[type]?.[text];
    return name === undefined ? undefined : { key: text, name };
  };
  try {
    return sentenceText(jobSentence(job, catalog, context, undefined, { questions: [], find }));
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    return `${job.selection.filter ?? 'all'}: ${job.edits.map((e) => `${e.kind} ${e.field}`).join(', ')}`;
  }
}

/** JSON Schema (2020-12) of what is said for what it asks. */
function schemaOf(asks: readonly AskedInput[]): object {
  const one = ({ label, kind, choices, among, usual, from, to }: AskedInput): object => ({
    type: 'string',
    title: label,
    ...(kind === 'file' ? {} : { default: usual }),
    ...(kind === 'file' ? { format: 'uuid', description: 'the id of a file of values that was sent' } : {}),
    ...(kind === 'date' ? { format: 'date' } : kind === 'moment' ? { format: 'date-time' } : {}),
    ...(kind === 'number' ? { pattern: '^-?\\d+(\\.\\d+)?$' } : {}),
    ...(choices ? { enum: choices.map((c) => c.value) } : among ? { enum: among } : {}),
    ...(from === undefined && to === undefined ? {} : { description: `from ${from ?? '…'} to ${to ?? '…'}` }),
  });
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    type: 'object',
    additionalProperties: false,
    properties: Object.fromEntries(asks.map((a) => [a.name, one(a)])),
  };
}

/** Saved selections, rules and fields that a job names. */
function usesOf(job: Job): SavedJobView['uses'] {
  const all = selectionsOf(job);
  const selections = all.flatMap(namesOfSaved).map((name) => ({ what: 'selection' as const, name }));
  const rules = all.flatMap(rulesNamedIn).map((name) => ({ what: 'rule' as const, name }));
  const edits = [job, ...(job.then ?? [])].flatMap((part) => part.edits);
  const fields = edits.map((e) => ({ what: 'field' as const, name: e.field }));
  return [...selections, ...rules, ...fields];
}

function otherRecords(before: SavedJobSaid, now: SavedJobSaid, catalog: Catalog, context: Context): string[] {
  try {
    const [was, is] = [before, now].map(({ job }) => whichWords(checkSelection(job.selection, catalog, context)));
    if (was !== is) return [`now: ${is!}`, `no longer: ${was!}`];
  } catch (error) {
    // What one of them names has gone since.
    if (!(error instanceof ProblemError)) throw error;
  }
  return ['other records'];
}

/** What differs from the version before, in words. */
function changesBetween(
  before: SavedJobSaid | undefined,
  now: SavedJobSaid,
  catalog: Catalog,
  context: Context,
): string[] {
  if (!before) return ['saved'];
  const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);
  const type = catalog.find(now.job.selection.type);
  const said = (of: SavedJobSaid): string[] =>
    of.job.edits.map((e) =>
      type ? editSentence(e, { type, catalog, nameOf: () => undefined }) : `${e.kind} ${e.field}`,
    );
  const [old, fresh] = [said(before), said(now)];
  return [
    ...(same(before.job.selection, now.job.selection) ? [] : otherRecords(before, now, catalog, context)),
    ...(same([before.job.act, before.job.also], [now.job.act, now.job.also]) ? [] : ['other things made or deleted']),
    ...(same(before.job.then, now.job.then) ? [] : ['other further parts']),
    ...fresh.filter((s) => !old.includes(s)).map((s) => `now: ${s}`),
    ...old.filter((s) => !fresh.includes(s)).map((s) => `no longer: ${s}`),
    ...(same(before.job.safety ?? {}, now.job.safety ?? {}) ? [] : ['other safety']),
    ...(same(before.inputs, now.inputs) ? [] : ['asks for something else']),
    ...(same(before.look, now.look) ? [] : ['other columns or order']),
  ];
}
