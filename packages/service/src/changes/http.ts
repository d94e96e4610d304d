import type { changeRoutes, ChangesPage } from '@tantamos/contract';
import { canonicalKey, keyFields, within } from '@tantamos/core';
import type { Handlers } from '../http/handler';
import { isKnown } from '../journal/known';
import { rowsOfRun } from '../journal/journal';
import { journalRecords } from '../journal/records';
import { runView } from '../runs/view';
import { asksRecords, recordsThatFit, runsThatMayFit, wantedOf } from './search';

const usualLimit = 30;
const fewRecords = 3;
/** So many runs are looked into at once, and no more are begun after so many ms: the next page goes on from there. */
const runsAtOnce = 50;
const longestLook = 4000;

export const changeHandlers: Handlers<typeof changeRoutes> = {
  async changes({ services, seen, query }) {
    const { database } = services;
    const found = await wantedOf(database, seen, await services.catalogs.timeZone(), query);
    const { type, record } = found;
    if (type) keyFields(type);
    const wanted =
      type && record !== null ? { ...found, record: within('record', () => canonicalKey(type, record)) } : found;
    const limit = query.limit ?? usualLimit;
    const runs: ChangesPage['runs'][number][] = [];
    const until = Date.now() + longestLook;
    let after = query.after ?? null;
    for (;;) {
      const ids = await runsThatMayFit(database, wanted, after, runsAtOnce);
      for (const id of ids) {
        if (runs.length === limit) return { runs, next: after, lookedBackTo: null };
        const r = await services.runs.get(id);
        if (Date.now() > until) return { runs, next: after ?? id, lookedBackTo: r.started_at.toISOString() };
        after = id;
        if (!isKnown(r, seen)) continue;
        const view = await runView(services, r, seen);
        // What is not told is not found either.
        const { text } = wanted;
        if (text !== null && ![view.sentence, view.why ?? ''].some((w) => w.toLowerCase().includes(text.toLowerCase())))
          continue;
        if (!asksRecords(wanted)) {
          runs.push({ run: view, matching: null, records: [] });
          continue;
        }
        if (r.journal_dropped_at !== null) continue;
        const { count, places } = await recordsThatFit(database, id, wanted, fewRecords);
        if (count === 0) continue;
        const rows = await rowsOfRun(database, id, r.work_order, places);
        runs.push({
          run: view,
          matching: count,
          records: await journalRecords(database, seen.catalog, rows),
        });
      }
      if (ids.length < runsAtOnce) return { runs, next: null, lookedBackTo: null };
    }
  },
};
