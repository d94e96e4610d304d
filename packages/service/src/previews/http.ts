import type { JournalQuery, JournalPage, previewRoutes, PreviewView } from '@tantamos/contract';
import { fail, shortId } from '@tantamos/core';
import { sent, type Call, type Handlers } from '../http/handler';
import { sendEvents } from '../http/sse';
import { sendExport } from '../journal/file';
import { wordsAsSeen } from '../journal/gate';
import { isKnown, mustKnow } from '../journal/known';
import { journalPage, parseMark, type Source } from '../journal/journal';
import { journalRecords } from '../journal/records';
import type { Seen } from '../rights/seen';
import { mustHaveJournal } from '../runs/runs';
import { pickedRows } from '../journal/picks';
import { differencesOf } from './differences';
import { placed, plainJob } from '../selections/plain';
import type { PreviewRow } from './preview-row';
import { previewView } from './view';

/** Small previews are ready within the request that makes them, in ms. */
const waitFor = 1500;

export const previewHandlers: Handlers<typeof previewRoutes> = {
  async previews({ services, seen, query }) {
    const rows = await services.previews.list(query.limit ?? 20, (p) => isKnown(p, seen));
    return Promise.all(rows.map((p) => previewView(services, p, seen)));
  },

  async makePreview(call) {
    const { services, seen, body, madeAs } = call;
    const job = plainJob(body);
    if (job.after !== undefined) await knownPreview({ ...call, params: { id: job.after } });
    const id = await placed(body.selection, job.selection, () => services.previews.begin(job, seen, madeAs));
    return settledView(call, id);
  },

  async preview(call) {
    return previewView(call.services, await knownPreview(call), call.seen);
  },

  async previewEvents(call) {
    const { services, params, req, res } = call;
    await sendEvents(req, res, {
      events: services.events,
      topic: `preview ${params.id!}`,
      look: async () => {
        const now = await stillThere(call);
        return previewView(services, await knownPreview(now), now.seen);
      },
      isLast: (p) => p.state !== 'working',
    });
    return sent;
  },

  async previewRecords(call) {
    const p = await knownPreview(call);
    const { pick, field, limit = 50 } = call.query;
    if (pick === undefined) return sendJournal(call, p, { preview: p.id }, `preview-${shortId(p.id)}`);
    mustBeReady(p);
    const { database } = call.services;
    const rows = await pickedRows(database, p.id, p.work_order, call.seen.catalog, { pick, field }, limit);
    return { records: await journalRecords(database, call.seen.catalog, rows), next: null };
  },

  async previewDifferences(call) {
    const { services, seen, query } = call;
    const later = await knownPreview(call);
    const earlier = await knownPreview({ ...call, params: { id: query.with } });
    [earlier, later].forEach(mustBeReady);
    return differencesOf(services.database, earlier, later, seen);
  },

  async dropPreview(call) {
    const p = await knownPreview(call);
    call.seen.mustSteer(p.made_by, 'preview');
    await call.services.previews.cancel(p.id);
  },
};

/** What is said of a whole preview is not said of half of one. */
function mustBeReady({ state }: PreviewRow): void {
  if (state !== 'ready') fail('not_ready', 'The preview is not ready: all of it is there, or none.');
}

type Asking = Pick<Call, 'services' | 'seen' | 'params'>;

/** The preview that a call names, if the person may know of it. */
export async function knownPreview({ services, seen, params }: Asking): Promise<PreviewRow> {
  const p = await services.previews.get(params.id!);
  mustKnow(p, seen, 'preview');
  return p;
}

/** The call as it would be made now: what is watched for long is watched with the rights of each moment. */
export async function stillThere<C extends Asking>(call: C): Promise<C> {
  const { services, seen } = call;
  return { ...call, seen: await services.gate.of(await services.accounts.acting(seen.person.id)) };
}

export async function settledView({ services, seen }: Asking, id: string): Promise<PreviewView> {
  await services.previews.settled(id, waitFor);
  return previewView(services, await services.previews.get(id), seen);
}

/** A page of a journal as JSON, or all of it as a file. */
export async function sendJournal(
  call: Call<unknown, JournalQuery>,
  p: PreviewRow,
  source: Source,
  fileName: string,
): Promise<JournalPage | typeof sent> {
  const { services, seen, query, res } = call;
  if (p.run) mustHaveJournal(await services.runs.get(p.run));
  const { database } = services;
  const causes = query.cause === undefined ? null : causesMeant(query.cause, p, seen);
  const wanted = { outcome: query.outcome ?? null, causes, after: query.after ?? null };
  parseMark(wanted.after);
  if (query.format === 'csv' || query.format === 'jsonl') {
    const raw = query.raw === 'true';
    const file = { source, order: p.work_order, wanted, format: query.format, fileName, raw };
    await sendExport(database, seen.catalog, res, file);
    return sent;
  }
  const { rows, next } = await journalPage(database, source, p.work_order, wanted, query.limit ?? 50);
  return { records: await journalRecords(database, seen.catalog, rows), next };
}

/** The reasons that are kept, by the words that the person was told; what they are not told they do not find either. */
function causesMeant(told: string, p: PreviewRow, { catalog }: Seen): string[] {
  const type = catalog.find(p.type);
  const kept = [told, ...p.causes.map((c) => c.cause)];
  return kept.filter((cause) => wordsAsSeen(cause, type) === told);
}
