import type { LoadsView, PartView, PreviewView } from '@tantamos/contract';
import type { Loads } from './figures';
import { verdicts, verdictTotalsOf, type Field } from '@tantamos/core';
import { Labels } from '../catalog/labels';
import { toldOf, wordsAsSeen } from '../journal/gate';
import { alongViews, changeViews, fieldOf } from '../journal/records';
import { partsSeen } from '../journal/parts';
import { reportAsSeen } from '../lists/seen-report';
import type { Seen } from '../rights/seen';
import type { Services } from '../services';
import { mayStart } from './may-start';
import type { Note, PreviewRow } from './preview-row';

/** A preview as a person may see it, who may know of it (see `mustKnow`). */
export async function previewView(services: Services, p: PreviewRow, seen: Seen): Promise<PreviewView> {
  const { database } = services;
  const { catalog } = seen;
  const type = catalog.find(p.type);
  const labels = new Labels(database, catalog);
  const typeOf = (part: number): string => p.work_order.parts[part]?.type ?? p.type;
  for (const pair of p.pairs) {
    const field = fieldOf(catalog, typeOf(pair.part), pair.field);
    if (field && !field.hidden) [pair.old, pair.new].forEach((v) => labels.want(field, v));
  }
  const seenField = (name: string, part = 0): Field | undefined => {
    const field = fieldOf(catalog, typeOf(part), name);
    return field?.hidden ? undefined : field;
  };
  for (const { field: name, part, people } of [
    ...p.figures.loads,
    ...(p.figures.loadsInAll ? [p.figures.loadsInAll] : []),
  ]) {
    const field = seenField(name, part);
    if (field) people.forEach(({ key }) => labels.want(field, key));
  }
  await labels.load();
  const loadsShown = ({ field: name, part = 0, people, more }: Loads): LoadsView[] => {
    const field = seenField(name, part);
    if (!field) return [];
    const shown = people.map(({ key, before, after }) => ({ person: labels.show(field, key), before, after }));
    return [{ part, field: name, label: field.label, people: shown, more }];
  };
  const told = await toldOf(p, seen, services);
  const start = type ? mayStart(p, type, seen) : null;
  const parts = await partViews(services, p, seen);
  return {
    id: p.id,
    kind: p.kind,
    undoOf: p.undo_of,
    type: p.type,
    typeLabel: type?.label ?? p.type,
    ...told,
    why: p.why,
    state: p.state,
    trouble: wordsAsSeen(p.trouble, type),
    progress: p.progress,
    madeBy: p.made_by_name,
    mine: p.made_by === seen.person.id,
    madeAt: p.made_at.toISOString(),
    expiresAt: p.expires_at.toISOString(),
    expired: p.expired,
    batchSize: p.batch_size,
    batches: p.batches,
    totals: verdictTotalsOf(p),
    parts,
    pairs: p.pairs.flatMap((pair) =>
      changeViews(catalog, typeOf(pair.part), [pair], labels).map((change) => ({
        ...change,
        part: pair.part,
        count: pair.count,
      })),
    ),
    morePairs: p.more_pairs.filter((f) => fieldOf(catalog, p.type, f)?.hidden !== true),
    figures: p.figures.fields.flatMap((f) => {
      const field = seenField(f.field, f.part);
      return field ? [{ ...f, part: f.part ?? 0, label: field.label, kind: field.kind }] : [];
    }),
    loads: p.figures.loads.flatMap(loadsShown),
    // Summed, it would tell what is withheld of one of them.
    loadsInAll:
      p.figures.loadsInAll && p.figures.loads.every((l) => loadsShown(l).length > 0)
        ? loadsShown(p.figures.loadsInAll)[0]!
        : null,
    causes: p.causes.map(({ cause, count }) => ({ cause: wordsAsSeen(cause, type)!, count })),
    triggers: p.triggers,
    list: p.list_report && reportAsSeen(p.list_report, seen),
    along: alongViews(catalog, p.work_order, p.along),
    // Another job than theirs is nobody's to see.
    notes: p.notes
      .filter((n) => wordsAsSeen(n.message, type) === n.message && isFor(n, p, seen))
      .map(({ mend, ...n }) => (mend && told.job ? { ...n, mend } : n)),
    hindrance: start ? (start.hindrance?.message ?? null) : `The type “${p.type}” is no longer there.`,
    expectRequired: start?.sayNumber != null,
    run: p.run,
    after: p.job.after ?? null,
  };
}

/** Each part of its order, with what it comes to. */
async function partViews({ database }: Services, p: PreviewRow, { catalog }: Seen): Promise<PartView[]> {
  const rows =
    p.work_order.parts.length === 1
      ? []
      : await database.rows<{ part: number } & PartView['totals']>(
          `select part, sum(size)::int as matched, ${verdicts.map((v) => `sum(${v})::int as ${v}`).join(', ')}
           from tantamos.batch where preview = $1 group by part`,
          [p.id],
        );
  return partsSeen(catalog, p.kind, p.work_order, verdictTotalsOf(p), rows);
}

/** What names private selections is for their owner; what names people, for who may see everybody, too. */
function isFor({ code }: Note, { made_by: madeBy }: PreviewRow, seen: Seen): boolean {
  if (code !== 'field_used' && code !== 'inactive' && code !== 'own_record') return true;
  // Its names are as they were when it was made.
  if (code === 'inactive' && seen.isLimited) return false;
  return madeBy === seen.person.id || (code !== 'field_used' && seen.isWhole);
}
