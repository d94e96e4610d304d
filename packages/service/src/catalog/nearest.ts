import { closest, render, type Sql } from '@tantamos/core';
import type { Database } from '../database/database';
import { turns } from '../turns';

/** Texts in one index; what is beyond is not compared. */
export const mostCompared = 50_000;
/** Texts whose letters are compared one by one, after pairs of letters have been. */
const mostClose = 200;
/** Texts that differ more in length are not near. */
const mostLonger = 4;
/** An index is used again for so long, in ms, and so many are kept. */
const keptFor = 60_000;
const mostKept = 8;
/** The statement that reads the texts, and all comparing of one request, take so long at most, in ms. */
const longestReading = 2000;
const longestComparing = 300;

const kept = new WeakMap<Database, Map<string, { index: Promise<PairIndex>; until: number }>>();

/**
 * For each of `asked` the nearest of the texts that `texts` reads (a column `v`, at most `mostCompared`), best first.
 * They come from an index in memory, kept for a minute. Within its limits of time: what is not found by then has none.
 */
export async function nearestOf(
  database: Database,
  texts: Sql,
  asked: readonly string[],
): Promise<Map<string, string[]>> {
  const index = await indexOf(database, texts);
  const until = performance.now() + longestComparing;
  const turn = turns();
  const near = new Map<string, string[]>();
  for (const text of new Set(asked)) {
    if (performance.now() > until) break;
    await turn();
    near.set(text, closest(text, index.near(text)));
  }
  return near;
}

async function indexOf(database: Database, texts: Sql): Promise<PairIndex> {
  const { text, values } = render(texts);
  const key = JSON.stringify([text, values]);
  const indexes = kept.get(database) ?? new Map<string, { index: Promise<PairIndex>; until: number }>();
  kept.set(database, indexes);
  const known = indexes.get(key);
  if (known && known.until > Date.now()) return known.index;
  const index = readIndex(database, texts);
  indexes.delete(key);
  indexes.set(key, { index, until: Date.now() + keptFor });
  if (indexes.size > mostKept) indexes.delete([...indexes.keys()][0]!);
  return index;
}

/** A near name is a kindness: where the texts cannot be read in time, there is none. */
async function readIndex(database: Database, texts: Sql): Promise<PairIndex> {
  const rows = await database.askWithin<{ v: string | null }>(texts, longestReading).catch(() => []);
  const index = new PairIndex();
  const turn = turns();
  for (const { v } of rows) {
    await turn();
    if (v !== null) index.add(v);
  }
  return index;
}

/** Texts by the pairs of letters in them. */
class PairIndex {
  private readonly texts: string[] = [];
  private readonly byPair = new Map<string, number[]>();

  add(text: string): void {
    const i = this.texts.push(text) - 1;
    for (const pair of pairsOf(text)) {
      const known = this.byPair.get(pair);
      if (known) known.push(i);
      else this.byPair.set(pair, [i]);
    }
  }

  near(text: string): string[] {
    const hits = new Uint16Array(this.texts.length);
    const touched: number[] = [];
    // A pair that a quarter of all texts have tells nothing apart.
    const most = Math.max(1000, this.texts.length / 4);
    for (const pair of pairsOf(text)) {
      const having = this.byPair.get(pair);
      if (!having || having.length > most) continue;
      for (const i of having)
        if (Math.abs(this.texts[i]!.length - text.length) <= mostLonger && hits[i]!++ === 0) touched.push(i);
    }
    const best: number[][] = [];
    for (const i of touched) (best[hits[i]!] ??= []).push(i);
    const near: string[] = [];
    for (let n = best.length - 1; n > 0 && near.length < mostClose; n--)
      for (const i of best[n] ?? []) {
        near.push(this.texts[i]!);
        if (near.length === mostClose) break;
      }
    return near;
  }
}

/** Pairs of letters, of the beginning of a text that is long. */
function pairsOf(text: string): Set<string> {
  const small = text.slice(0, 200).toLowerCase();
  return new Set(Array.from({ length: Math.max(0, small.length - 1) }, (_, i) => small.slice(i, i + 2)));
}
