import { randomUUID } from 'node:crypto';
import type { Draft, draftRoutes, DraftSummary } from '@tantamos/contract';
import { countedWords, fail, typeWords } from '@tantamos/core';
import type { Handlers } from '../http/handler';
import type { Seen } from '../rights/seen';
import type { Services } from '../services';
import type { DraftRow } from './drafts';

export const draftHandlers: Handlers<typeof draftRoutes> = {
  async drafts({ services, seen }) {
    return (await services.drafts.list(seen.person.id)).map((row) => summaryOf(row, seen));
  },

  async beginDraft({ services, seen, body }) {
    if (isLocked(services)) return passing(body.job);
    return draftView(await services.drafts.begin(seen.person.id, body.job));
  },

  async draft({ services, seen, params }) {
    return draftView(await services.drafts.get(seen.person.id, params.id!));
  },

  async keepDraft({ services, seen, params, body }) {
    if (isLocked(services)) return { ...passing(body.job), id: params.id! };
    return draftView(await services.drafts.keep(seen.person.id, params.id!, body.job, body.version));
  },

  async dropDraft({ services, seen, params }) {
    if (isLocked(services)) fail('not_found', 'There is no such unfinished job.');
    await services.drafts.drop(seen.person.id, params.id!);
  },
};

/** Where nothing can be written a draft lasts as long as the page. */
function isLocked({ readOnly, isCopy }: Services): boolean {
  return readOnly !== null && !isCopy;
}

function passing(job: Record<string, unknown>): Draft {
  return { id: randomUUID(), version: 1, job, savedAt: new Date().toISOString() };
}

function draftView({ id, version, job, saved_at }: DraftRow): Draft {
  return { id, version, job, savedAt: saved_at.toISOString() };
}

/** What it would do so far, as far as the person may see what it is about by now. */
function summaryOf({ id, version, job, saved_at }: DraftRow, { catalog }: Seen): DraftSummary {
  const said = job as { type?: unknown; filter?: unknown; edits?: unknown; picked?: unknown };
  const type = typeof said.type === 'string' ? catalog.find(said.type) : undefined;
  const edits = Array.isArray(said.edits) ? said.edits.length : 0;
  const picked = Array.isArray(said.picked) ? said.picked.length : 0;
  const filter = typeof said.filter === 'string' ? said.filter.trim() : '';
  const title = !type
    ? 'Nothing chosen yet'
    : [
        picked > 0 ? countedWords(picked, type, 'picked ') : typeWords(type),
        filter ? `where ${filter.length > 200 ? `${filter.slice(0, 200)}…` : filter}` : '',
        edits > 0 ? `· ${edits} ${edits === 1 ? 'edit' : 'edits'}` : '· no edit yet',
      ]
        .filter(Boolean)
        .join(' ');
  return {
    id,
    version,
    savedAt: saved_at.toISOString(),
    type: type?.id ?? null,
    typeLabel: type?.label ?? null,
    title,
  };
}
