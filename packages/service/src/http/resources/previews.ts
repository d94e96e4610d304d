import type { JobBody, JournalQuery, ListQuery } from '@tantamos/contract';
import { shortId } from '@tantamos/core';
import { mustBeAllowed } from '../../accounts/rights';
import { journalPage, type Source } from '../../journal/journal';
import type { Call, Handler } from '../handler';
import { sent } from '../handler';
import { sendExport } from '../export';
import { mayReadJournal, seenSelection } from '../seen-type';
import { placed, plainJob } from '../selection';
import { sendEvents } from '../sse';
import { journalRecords, previewView } from '../views';
import type { PreviewRow } from '../../engine/preview-row';
import { mustHaveJournal } from '../../engine/runs';

/** Small previews are ready within the request that makes them, in ms. */
const waitFor = 1500;

export const previews: Handler<never, ListQuery> = async ({ services, person, query }) => {
  const rows = await services.previews.list(query.limit ?? 20);
  return Promise.all(rows.map((p) => previewView(services, p, person)));
};

export const makePreview: Handler<JobBody> = async ({ services, person, body }) => {
  mustBeAllowed(person, { act: 'preview' });
  const job = plainJob(body);
  await seenSelection(services, person, job.selection);
  const id = await placed(body.selection, job.selection, () => services.previews.begin(job, person));
  return settledView({ services, person }, id);
};

export const preview: Handler = async ({ services, person, params }) =>
  previewView(services, await services.previews.get(params.id!), person);

export const previewEvents: Handler = async ({ services, person, params, req, res }) => {
  const look = async () => previewView(services, await services.previews.get(params.id!), person);
  await sendEvents(req, res, {
    events: services.events,
    topic: `preview ${params.id!}`,
    look,
    isLast: (p) => p.state !== 'working',
  });
  return sent;
};

export const previewRecords: Handler<never, JournalQuery> = async (call) => {
  const p = await call.services.previews.get(call.params.id!);
  return sendJournal(call, p, { preview: p.id }, `preview-${shortId(p.id)}`);
};

export const dropPreview: Handler = async ({ services, person, params }) => {
  const p = await services.previews.get(params.id!);
  mustBeAllowed(person, { act: 'withdraw preview', owner: p.made_by });
  await services.previews.cancel(p.id);
};

export async function settledView({ services, person }: Pick<Call, 'services' | 'person'>, id: string) {
  await services.previews.settled(id, waitFor);
  return previewView(services, await services.previews.get(id), person);
}

/** A page of a journal as JSON, or all of it as a file. */
export async function sendJournal(call: Call<never, JournalQuery>, p: PreviewRow, source: Source, fileName: string) {
  const { services, person, query, res } = call;
  await mayReadJournal(services, person, p);
  if (p.run) mustHaveJournal(await services.runs.get(p.run));
  const { database } = services;
  const catalog = await services.catalogs.get();
  const outcome = query.outcome === 'will_change' ? 'not_yet' : (query.outcome ?? null);
  const wanted = { outcome, after: query.after ?? null };
  if (query.format === 'csv' || query.format === 'jsonl') {
    await sendExport(database, catalog, res, {
      source,
      order: p.work_order,
      wanted,
      format: query.format,
      fileName,
    });
    return sent;
  }
  const { rows, next } = await journalPage(database, source, p.work_order, wanted, query.limit ?? 50);
  return { records: await journalRecords(database, catalog, rows), next };
}
