import { alongOf, fail, isEverything, ProblemError, type ProblemCode, type RecordType } from '@tantamos/core';
import { mustCarryOut } from '../rights/carry-out';
import type { Seen } from '../rights/seen';
import type { PreviewRow } from './preview-row';

/** May a preview be started, and what must be said to start it. */
export interface MayStart {
  /** Why it may not; null where it may. */
  readonly hindrance: { readonly code: ProblemCode; readonly message: string } | null;
  /** Why the number of records must be said; null where it need not be. */
  readonly sayNumber: string | null;
}

/** The one rule of starting: the preview shows it, the start obeys it. */
export function mayStart(p: PreviewRow, type: RecordType, seen: Seen): MayStart {
  const count = p.will_change;
  const number = count.toLocaleString('en-US');
  const gone = p.kind === 'edit' && p.work_order.parts.some((part) => part.act === 'delete');
  const whole = p.kind === 'edit' && isEverything(p.job.selection);
  const sayNumber =
    count === 0
      ? null
      : gone
        ? `${deletionWords(p)}: say the number to start.`
        : whole
          ? `${number} will change, which is every record of the type: say the number to start.`
          : ofTypes(p, seen).some((of) => of.count >= of.type.bounds.typedFrom)
            ? `${number} will change: say the number to start.`
            : null;
  return { hindrance: hindranceOf(p, type, seen) ?? rightMissing(p, seen), sayNumber };
}

/** “12 will be deleted, and 48 go with them” */
function deletionWords({ will_change: count, along, work_order: order }: PreviewRow): string {
  const number = (n: number): string => n.toLocaleString('en-US');
  const withThem = alongOf(order).reduce((n, { entry, at }) => n + (entry.act === 'delete' ? (along[at] ?? 0) : 0), 0);
  const all = order.parts.every((part) => part.act === 'delete');
  const what = all ? 'will be deleted' : 'will change or be deleted';
  return `${number(count)} ${what}${withThem > 0 ? `, and ${number(withThem)} go with ${count === 1 ? 'it' : 'them'}` : ''}`;
}

/** Throws what hinders the start, the number that was said among it. */
export function mustStart(p: PreviewRow, type: RecordType, seen: Seen, expect: number | null): void {
  const { hindrance, sayNumber } = mayStart(p, type, seen);
  if (hindrance) fail(hindrance.code, hindrance.message);
  const number = (n: number): string => n.toLocaleString('en-US');
  if (expect !== null && expect !== p.will_change)
    fail('expect_mismatch', `${number(p.will_change)} will change, not ${number(expect)}. Nothing was changed.`);
  if (expect === null && sayNumber !== null) fail('expect_required', sayNumber);
}

/** How many records of each of its types a preview would change. */
function ofTypes(p: PreviewRow, { catalog }: Seen): readonly { readonly type: RecordType; readonly count: number }[] {
  const counts = new Map<RecordType, number>();
  for (const [i, part] of p.work_order.parts.entries()) {
    const type = catalog.find(part.type);
    // Of what an earlier version froze nobody knows of which part they are.
    if (type) counts.set(type, (counts.get(type) ?? 0) + (p.part_changes ? (p.part_changes[i] ?? 0) : p.will_change));
  }
  return [...counts].map(([type, count]) => ({ type, count }));
}

/** The right that whoever starts it lacks by now, or would need for so many. */
function rightMissing(p: PreviewRow, seen: Seen): MayStart['hindrance'] {
  try {
    mustCarryOut(p.kind, p.work_order.parts, seen);
    for (const { type, count } of ofTypes(p, seen)) seen.mustChangeMany(type, count);
    return null;
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    return { code: error.code, message: error.message };
  }
}

function hindranceOf(p: PreviewRow, { notChangeable }: RecordType, seen: Seen): MayStart['hindrance'] {
  const { state, run, expired, will_change: count } = p;
  const no = (code: ProblemCode, message: string) => ({ code, message });
  const number = (n: number): string => n.toLocaleString('en-US');
  if (run) return no('preview_started', 'This preview has been started already; one preview starts one run.');
  if (state === 'working') return no('not_ready', 'The preview is still being worked out.');
  if (state === 'cancelled') return no('preview_cancelled', 'The preview was withdrawn; make it again.');
  if (state === 'failed') return no('not_ready', `The preview could not be worked out: ${p.trouble ?? ''}`);
  if (expired)
    return no(
      'preview_expired',
      'The preview is too old to be started; make it again to see the records as they are now.',
    );
  if (count === 0) return no('nothing_to_do', 'Nothing would change, so there is nothing to run.');
  if (notChangeable !== null) return no('not_changeable', notChangeable);
  if (p.kind === 'undo') return null;
  const { atMost, atLeast, atMostShare } = p.job.safety ?? {};
  if (atMost != null && count > atMost)
    return no(
      'over_limit',
      `The job says to stop if more than ${number(atMost)} would change; ${number(count)} would. Nothing was changed.`,
    );
  if (atLeast != null && count < atLeast)
    return no(
      'over_limit',
      `The job says to stop if fewer than ${number(atLeast)} would change; ${number(count)} would. Nothing was changed.`,
    );
  const wide = ofTypes(p, seen).find(
    (of) => atMostShare != null && of.type.about > 0 && (of.count / of.type.about) * 100 > atMostShare,
  );
  if (wide)
    return no(
      'over_limit',
      `The job says to stop if more than ${atMostShare} % of all ${wide.type.label.toLowerCase()} would change; ${number(wide.count)} of about ${number(wide.type.about)} would. Nothing was changed.`,
    );
  const over = ofTypes(p, seen).find(
    (of) => of.type.bounds.mostRecords !== null && of.count > of.type.bounds.mostRecords,
  );
  if (over)
    return no(
      'over_limit',
      `One run may change ${number(over.type.bounds.mostRecords!)} ${over.type.label.toLowerCase()}; ${number(over.count)} would change.`,
    );
  return null;
}
