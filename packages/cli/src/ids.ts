import type { Client } from '@tantamos/client';
import type { PreviewView, RunView } from '@tantamos/contract';
import { isMeant } from '@tantamos/core';
import { last } from './recent';
import { UsageError } from './trouble';

// Ids are shown short, and taken by six or more characters of them, or as `last`: what was made last from this terminal.

export async function findRun(api: Client, said: string): Promise<RunView> {
  if (said === 'last') return api.run(last('run'));
  if (isWhole(said)) return api.run(said);
  return pick(await api.runs({ limit: 200 }), said, 'run');
}

export async function findPreview(api: Client, said: string): Promise<PreviewView> {
  if (said === 'last') return api.preview(last('preview'));
  if (isWhole(said)) return api.preview(said);
  const [waiting, runs] = await Promise.all([api.previews(), api.runs({ limit: 200 })]);
  // One that was started is no longer among those that wait.
  const started = runs.map((r) => ({ id: r.preview })).filter((p) => !waiting.some((w) => w.id === p.id));
  return api.preview(pick([...waiting, ...started], said, 'preview').id);
}

function isWhole(said: string): boolean {
  return said.length === 36;
}

function pick<T extends { id: string }>(all: readonly T[], said: string, what: string): T {
  if (said.length < 6) throw new UsageError(`A ${what} is named by at least six characters of its id, or as “last”.`);
  const found = all.filter((item) => isMeant(item.id, said));
  if (found.length === 1) return found[0]!;
  throw new UsageError(
    found.length === 0
      ? `There is no ${what} “${said}” among the newest; its whole id finds any.`
      : `“${said}” fits ${found.length} ${what}s; say more of the id.`,
  );
}
