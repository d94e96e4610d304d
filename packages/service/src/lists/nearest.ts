import { closest, distinctValues, everyRecord, pathText, resolveColumn, type Catalog } from '@tantamos/core';
import type { Database } from '../database/database';

/** Values compared with every unknown entry of a page. */
const mostCompared = 50_000;
/** Candidates whose letters are compared one by one, after pairs of letters have been. */
const mostClose = 200;

/** For each text the nearest values of the fields that the list was matched with; never taken by themselves. */
export async function nearestNames(
  database: Database,
  catalog: Catalog,
  list: string,
  texts: readonly string[],
): Promise<Map<string, string[]>> {
  const row = await database.one<{ targets: { type: string; fields: string[] }[] }>(
    'select targets from tantamos.list where id = $1',
    [list],
  );
  const values: string[] = [];
  for (const target of row?.targets ?? []) {
    const type = catalog.find(target.type);
    if (!type) continue;
    for (const field of target.fields) {
      const path = resolveColumn(catalog, type, field);
      if (path.field.base !== 'text') continue;
      const found = await database.ask<{ v: string }>(
        distinctValues(everyRecord(type), pathText(path), catalog, mostCompared),
      );
      values.push(...found.map((f) => f.v));
    }
  }
  const pairs = new PairIndex(values);
  return new Map(texts.map((text) => [text, closest(text, pairs.near(text))]));
}

/** Texts that differ more in length are not near. */
const mostLonger = 4;

/** Texts by the pairs of letters in them. */
class PairIndex {
  private readonly byPair = new Map<string, number[]>();
  constructor(private readonly texts: readonly string[]) {
    texts.forEach((text, i) => {
      for (const pair of pairsOf(text)) {
        const known = this.byPair.get(pair);
        if (known) known.push(i);
        else this.byPair.set(pair, [i]);
      }
    });
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

function pairsOf(text: string): Set<string> {
  const small = text.toLowerCase();
  return new Set(Array.from({ length: Math.max(0, small.length - 1) }, (_, i) => small.slice(i, i + 2)));
}
