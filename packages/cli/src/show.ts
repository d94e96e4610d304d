import type { Explained, JournalRecord, PreviewDifferences, PreviewView, RunView } from '@tantamos/contract';
import {
  alike,
  alongWords,
  cameToNothing,
  doneWords,
  pairsShown,
  partWords,
  equation,
  isMoving,
  outcomeWords,
  stateWords,
  verdictEquation,
} from '@tantamos/core';
import color from 'picocolors';
import { shortId } from '@tantamos/core';
import { change, moment, number, out, print, talk } from './output';

/** A preview in a few lines: sentence, totals, what turns into what, what to mind, what to do next. */
export function showPreview(p: PreviewView): void {
  out(color.bold(p.sentence));
  if (p.why) out(`Why: ${p.why}`);
  if (p.list) out(color.dim(`${p.list.file ? 'File' : 'List'}: ${p.list.sentence}`));
  out(verdictEquation(p.totals, p.parts));
  out('');
  showParts(p);
  const pairs = shownPairs(p);
  print({ columns: ['field', 'from → to', 'records'], numbers: ['records'], rows: pairs }, 'table');
  for (const f of p.figures) {
    const words = figuresWords(f);
    if (words !== '') out(color.dim(`  ${p.parts.length > 1 ? `${p.parts[f.part]!.type}.` : ''}${f.field}: ${words}`));
  }
  if (p.loadsInAll) showLoads(p.loadsInAll, 'all these');
  for (const loads of p.loads) showLoads(loads, p.parts.length > 1 ? p.parts[loads.part]!.label.toLowerCase() : null);
  for (const { cause, count } of p.causes)
    out(color.yellow(`! ${number(count)} ${p.kind === 'undo' ? 'will not be undone' : 'not allowed'}: ${cause}`));
  for (const t of p.triggers) out(color.yellow(`! trigger ${t.name} will fire${t.comment ? `: ${t.comment}` : ''}`));
  for (const a of p.along) out(alongWords(a, false));
  showNotes(p.notes, p.run === null ? shortId(p.id) : undefined);
  if (p.hindrance && !p.run) out(color.yellow(`! ${p.hindrance}`));
  out('');
  out(`preview ${shortId(p.id)}, valid until ${moment(p.expiresAt)}`);
  if (p.run) talk(`It was started as run ${shortId(p.run)}.`);
  else if (p.hindrance === null && p.totals.will_change > 0 && !isOverMost(p))
    talk(
      `Look at records: tantamos look ${shortId(p.id)}\nRun it:          tantamos run ${shortId(p.id)}${p.expectRequired ? ` --expect ${p.totals.will_change}` : ''}`,
    );
}

const mostPairs = 20;

/** From → to, the usual ones; of a field whose values are nearly all different, a few. */
function shownPairs(p: PreviewView): string[][] {
  const fields = [...new Set(p.pairs.map((pair) => JSON.stringify([pair.part, pair.field])))];
  return fields.flatMap((one) => {
    const [part, field] = JSON.parse(one) as [number, string];
    const pairs = p.pairs.filter((pair) => pair.part === part && pair.field === field);
    const { shown, isMore } = pairsShown(pairs, p.morePairs.includes(field), mostPairs);
    const name = p.parts.length > 1 ? `${p.parts[part]!.type}.${field}` : field;
    const rows = shown.map((pair) => [
      name,
      change(pair.old.label ?? pair.old.value, pair.new.label ?? pair.new.value),
      number(pair.count),
    ]);
    return isMore ? [...rows, [name, '… more different values', '']] : rows;
  });
}

/** “sum 12040 → 13244, 3 to 120 → 4 to 126, 12 blanks filled” */
function figuresWords({ before, after, filled, emptied, longest }: PreviewView['figures'][number]): string {
  const range = (s: typeof before): string =>
    s.low === null ? 'none' : s.low === s.high ? s.low : `${s.low} to ${s.high!}`;
  return [
    before.sum !== null || after.sum !== null ? `sum ${before.sum ?? 'none'} → ${after.sum ?? 'none'}` : '',
    after.low === null ? '' : `${range(before)} → ${range(after)}`,
    longest ? `longest ${number(longest)} characters` : '',
    filled > 0 ? `${number(filled)} ${filled === 1 ? 'blank' : 'blanks'} filled` : '',
    emptied > 0 ? `${number(emptied)} newly blank` : '',
  ]
    .filter((w) => w !== '')
    .join(', ');
}

/** What each person has, before and after. */
function showLoads({ label, people, more }: PreviewView['loads'][number], of: string | null): void {
  out('');
  const rows = people.map(({ person, before, after }) => [
    person.label ?? person.value ?? '',
    number(before),
    number(after),
    `${after > before ? '+' : ''}${number(after - before)}`,
  ]);
  const what = `${label.toLowerCase()}${of === null ? '' : ` of ${of}`}`;
  print({ columns: [what, 'before', 'after', '±'], numbers: ['before', 'after', '±'], rows }, 'table');
  if (more > 0) out(color.dim(`  and ${number(more)} others`));
}

/** More would change than the job itself allows: it is never started. */
export function isOverMost({ kind, job, totals }: PreviewView): boolean {
  const most = job?.safety?.atMost ?? null;
  return kind === 'edit' && most !== null && totals.will_change > most;
}

/** A run in a few lines: state, why, the equation, what to do next. */
export function showRun(r: RunView): void {
  out(color.bold(r.sentence));
  if (r.why) out(`Why: ${r.why}`);
  if (r.list) out(color.dim(`${r.list.file ? 'File' : 'List'}: ${r.list.sentence}`));
  out(`${stateText(r)}: ${doneWords(r.parts)}${r.reason ? ` — ${r.reason}` : ''}`);
  if (r.wakesAt && !isMoving(r.state)) out(`It goes on by itself on ${moment(r.wakesAt)}.`);
  if (r.givesWay) out('Others are at work, so it gives way to them.');
  if (r.exceeded) out('To continue is to go on without that limit.');
  out(equation(r.totals, r.parts));
  showRunParts(r);
  for (const a of r.along) out(alongWords(a, true));
  showNotes(r.notes);
  for (const u of r.undoneBy) out(`${number(u.changed)} undone by run ${shortId(u.run)}`);
  out('');
  out(
    `run ${shortId(r.id)}, ${number(r.batchesDone)} of ${number(r.batches)} batches, started ${moment(r.startedAt)} by ${r.startedBy}${r.previewBy === r.startedBy ? '' : `, worked out by ${r.previewBy}`}`,
  );
  for (const verb of r.verbs)
    if (verb !== 'change') talk(`  tantamos ${verb} ${shortId(r.id)}`);
    else if (isMoving(r.state)) talk(`  tantamos pace ${shortId(r.id)} --pace 100`);
}

/** `again`: the preview that can be made again with what a note offers. */
function showNotes(notes: PreviewView['notes'], again?: string): void {
  const shown = 5;
  for (const { code, message, count, examples, mend, look } of notes) {
    out(color.yellow(`! ${message}${code === 'blanks_left_out' ? ' --with-blanks takes them in.' : ''}`));
    if (mend && again && code !== 'blanks_left_out')
      out(color.dim(`  ${mend.words}: tantamos preview --again ${again} --mend ${code}`));
    if (look && look.at !== 'selection' && again)
      out(color.dim(`  ${look.words}: tantamos look ${again} --outcome ${look.at}`));
    if (examples.length > 0)
      out(
        color.dim(
          `  ${examples.slice(0, shown).join(' · ')}${count > shown ? ` · and ${number(count - shown)} more` : ''}`,
        ),
      );
  }
}

export function stateText(r: Pick<RunView, 'state'>): string {
  const text = stateWords(r.state);
  if (r.state === 'finished') return color.green(text);
  return isMoving(r.state) ? text : color.yellow(text);
}

/** Records one after another; where they are of several types or parts, each with a heading and fields of its own. */
export function showRecords(records: readonly JournalRecord[]): void {
  const groups = alike(records);
  for (const [i, { of, records: group }] of groups.entries()) {
    if (i > 0) out('');
    if (groups.length > 1 || group[0]!.makes !== null) out(color.bold(of));
    showAlike(group);
  }
}

function showAlike(records: readonly JournalRecord[]): void {
  const fields = records[0]?.changes.map((c) => c.field) ?? [];
  print(
    {
      columns: ['key', 'name', 'outcome', ...fields, 'cause'],
      rows: records.map((r) => [
        r.key,
        r.name,
        outcomeWords(r.outcome),
        ...r.changes.map(({ old, new: now }) => {
          const isNothing = cameToNothing(r, now.value);
          // Of what is made only what it gets, of what is deleted only what it held.
          if (r.act !== 'update' && !isNothing)
            return r.act === 'create' ? (now.label ?? now.value) : (old.label ?? old.value);
          const shown = isNothing ? old : now;
          return change(old.label ?? old.value, shown.label ?? shown.value);
        }),
        r.cause,
      ]),
    },
    'table',
  );
}

/** What each part comes to, where that is not said by the totals alone. */
function showParts({ parts }: PreviewView): void {
  if (parts.length === 1 && parts[0]!.act === 'update') return;
  const rows = parts.map((part, i) => [
    number(i + 1),
    partWords(part),
    number(part.totals.matched),
    number(part.totals.will_change),
    number(part.totals.already_right),
    number(part.totals.not_allowed),
  ]);
  const numbers = ['matched', 'will be done', 'already right', 'not allowed'];
  print({ columns: ['part', 'what', ...numbers], numbers, rows }, 'table');
  out('');
}

/** What each part of a run has come to, where it has several. */
function showRunParts({ parts }: RunView): void {
  if (parts.length < 2) return;
  const rows = parts.map((part, i) => [
    number(i + 1),
    part.label,
    `${number(part.totals.changed)} ${part.done}`,
    number(part.totals.matched),
    number(part.totals.not_yet),
  ]);
  print(
    { columns: ['part', 'type', 'done', 'matched', 'not yet'], numbers: ['done', 'matched', 'not yet'], rows },
    'table',
  );
}

/** What differs from another preview, each with its first records. */
export function showDifferences(d: PreviewDifferences, mostRecords: number): void {
  out(
    `${number(d.same)} as before, ${number(d.more.count)} more, ${number(d.fewer.count)} no longer, ${number(d.otherwise.count)} otherwise`,
  );
  const parts = [
    ['more', d.more],
    ['no longer', d.fewer],
    ['otherwise: from what it was to be', d.otherwise],
  ] as const;
  for (const [words, { count, records }] of parts) {
    if (count === 0) continue;
    out('');
    out(color.bold(words));
    showRecords(records.slice(0, mostRecords));
  }
}

/** How each part of a selection narrows it, and what to try where nothing is left. */
export function showExplained(e: Explained, typeLabel: string): void {
  const rows: (string | number | null)[][] = [[`all ${typeLabel.toLowerCase()}`, number(e.all), null, null]];
  if (e.base !== e.all) rows.push(['related', number(e.base), null, null]);
  e.conditions.forEach((c, i) => {
    const before = i === 0 ? e.base : e.conditions[i - 1]!.after;
    const note = c.alone === 0 ? 'no record at all' : c.after === before && before > 0 ? 'leaves nothing out' : null;
    rows.push([c.text, number(c.after), number(c.without), note]);
  });
  if (e.afterList !== null) rows.push(['on the list', number(e.afterList), null, null]);
  if (e.afterTake !== null) rows.push(['first or at random', number(e.afterTake), null, null]);
  if (e.afterPicks !== null) rows.push(['picked and dropped', number(e.afterPicks), null, null]);
  print({ columns: ['stage', 'left', 'without it', ''], numbers: ['left', 'without it'], rows }, 'table');
  for (const c of e.conditions)
    if (c.nearest.length > 0)
      out(color.yellow(`! ${c.text}: what does occur: ${c.nearest.map((n) => n.text).join(', ')}`));
  if (e.circles > 0) out(color.yellow(`! ${number(e.circles)} records are in a circle; each was taken once`));
}
