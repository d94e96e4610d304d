import {
  clip,
  countedWords,
  jobSentence,
  list,
  matchedOf,
  orderOf,
  ownPlaces,
  partsOfJob,
  partsSaid,
  sentenceText,
  typeWords,
  type Catalog,
  type CheckedPart,
  type CheckedJob,
  type CheckedJobPart,
  type Context,
  type Job,
  type JobPart,
  type Sentence,
  type WorkOrder,
} from '@tantamos/core';
import type { Accounts } from '../accounts/accounts';
import type { Database } from '../database/database';
import type { AlongLeft } from '../engine/along-back';
import type { Freezer, Frozen } from '../engine/freezer';
import type { Taken } from '../engine/statements/undo';
import { blanksLeftOut, type Asked } from '../exploring/blanks';
import type { Compiler } from '../jobs/compiler';
import { unusedGiven } from '../jobs/given';
import type { Gate } from '../rights/gate';
import type { Seen } from '../rights/seen';
import { returnedNotes } from '../rules/returned';
import { ruleNotes } from '../rules/notes';
import { alongNotes } from './along-notes';
import { inactiveNotes, ownNotes, perNotes, usesNotes } from './concerned';
import { figuresOf, type Figures } from './figures';
import { otherwiseNotes } from './otherwise';
import type { Note, PreviewRow, UndoWhich } from './preview-row';
import { countNotes, literalNotes, newValueNotes, passingNotes, selectionNotes } from './warnings';

/** What is to be worked out: parts of a job or, for an undo, what takes each part of a run back. */
export interface Work {
  readonly order: WorkOrder;
  freeze(freezer: Freezer): Promise<Frozen>;
  /** How many each part matches is said where it is known. */
  sentence(matched?: readonly number[]): KeptSentence;
  /** What is to be said of the preview once it is frozen. */
  notes(previewId: string): Promise<readonly Note[]>;
  figures(previewId: string): Promise<Figures>;
}

const noFigures = (): Promise<Figures> => Promise.resolve({ fields: [], loads: [] });

export interface Compiled {
  readonly job: Job;
  readonly checked: CheckedJob;
  readonly catalog: Catalog;
  readonly context: Context;
  readonly seen: Seen;
}

/** What the rows of previews stand for. */
export class Works {
  constructor(
    readonly database: Database,
    readonly compiler: Compiler,
    private readonly accounts: Accounts,
    private readonly gate: Gate,
  ) {}

  /** Throws where the account that made a preview may no longer act. */
  async mustStillAct(madeBy: string): Promise<void> {
    await this.accounts.acting(madeBy);
  }

  /** The work a preview's row stands for: the same whichever process takes it up. */
  async of(row: PreviewRow): Promise<Work> {
    if (row.kind === 'undo') {
      const seen = await this.gate.of(await this.accounts.acting(row.made_by));
      // Records that are withheld from the maker count as gone: their state is not shown.
      const catalog = seen.reading;
      const source = await this.database.one<KeptSentence & { type: string }>(
        'select p.sentence, p.named, p.type from tantamos.preview p join tantamos.run on run.preview = p.id where run.id = $1',
        [row.undo_of],
      );
      const taken = await this.taken(row, source!.type, seen);
      let left: readonly AlongLeft[] = [];
      return {
        order: row.work_order,
        freeze: async (freezer) => {
          const all = seen.withEverything((everything) => everything);
          const frozen = await freezer.freezeUndo(
            row.undo_of!,
            row.work_order,
            { catalog, seen: seen.catalog, all },
            taken,
          );
          ({ left } = frozen);
          return frozen;
        },
        sentence: (matched) =>
          undoSentence(
            row.work_order,
            source!,
            catalog,
            row.undo_which,
            matched?.reduce((n, m) => n + m, 0),
          ),
        notes: async (id) => [
          ...alongNotes(left, seen.catalog),
          ...(await returnedNotes(this, seen, id, row.work_order)),
        ],
        figures: noFigures,
      };
    }
    const seen = await this.gate.of(await this.accounts.acting(row.made_by));
    const { job, ...rest } = await this.compiler.job(seen, row.job, BigInt(row.work_order.env.now));
    return this.edit({ job: row.job, checked: job, seen, ...rest });
  }

  /** Which part of a run is taken back, its filter as whoever asked for it sees records now. */
  private async taken({ undo_which: which }: PreviewRow, ofRun: string, seen: Seen): Promise<Taken> {
    const { keys, filter, overwrite = false, leaveEdited = false } = which ?? {};
    const type = which?.type ?? ofRun;
    if (!keys && filter === undefined && which?.type === undefined) return { of: null, overwrite, leaveEdited };
    const found = filter === undefined ? null : (await this.compiler.selection(seen, { type, filter })).selection;
    return { of: { type, keys: keys ?? null, found }, overwrite, leaveEdited };
  }

  edit({ job, checked, catalog, context, seen }: Compiled): Work {
    const parts = partsOfJob(checked);
    const order = orderOf(parts);
    return {
      order,
      freeze: (freezer) => freezer.freeze(parts, order),
      sentence: (matched) =>
        keptSentence(jobSentence(job, catalog, context, matched && matchedOf(checked, matched), checked.names)),
      // What is said besides the set itself is not worth failing it for.
      figures: (id) => figuresOf(this.database, id, parts).catch(noFigures),
      notes: async (id) => {
        const [first, ...later] = await this.notesOfParts(id, { job, checked, catalog, context, seen });
        return [
          ...(await countNotes(this.database, id)),
          ...first!,
          ...(checked.act === 'create' ? [] : await perNotes(this.database, checked, catalog)),
          ...(checked.act === 'create'
            ? []
            : await this.blanks(seen, { plain: job.selection, selection: checked.selection, catalog, context })),
          ...later.flat(),
        ];
      },
    };
  }

  /** What is to be said of each part by itself. What is offered to be done is of the first: the others are not opened by a note. */
  private async notesOfParts(id: string, of: Compiled): Promise<Note[][]> {
    const places = ownPlaces(of.checked);
    const said = partsSaid(of.job);
    const notes: Note[][] = [];
    for (const [i, part] of [of.checked, ...of.checked.then].entries()) {
      const at = places[i];
      const told = part.act === 'create' ? [] : await this.notesOfPart(id, said[i]!, part, at ?? null, of);
      const label = part.type.label;
      notes.push(
        i === 0
          ? told
          : told.map(({ mend: _, look: __, ...note }) => ({ ...note, message: `${label}: ${note.message}` })),
      );
    }
    return notes;
  }

  /** `at`: the place of the part in the order; null where only others have one, along with its records. */
  private async notesOfPart(
    id: string,
    said: JobPart,
    part: CheckedJobPart,
    at: number | null,
    { catalog, context, seen }: Compiled,
  ): Promise<Note[]> {
    const { database } = this;
    // What a copy takes over is nothing that anybody changes.
    const told = part.act === 'copy' ? { ...part, changes: [] } : part;
    const ofSelection = selectionNotes(told);
    if (at === null) return ofSelection;
    const concerned = [...ofSelection, ...(await inactiveNotes(database, id, told, at, catalog))];
    if (part.act !== 'update') return concerned;
    return [
      ...concerned,
      ...literalNotes(said, part),
      ...(await passingNotes(database, id, part, at)),
      ...(await ruleNotes(database, seen, part)),
      ...(await newValueNotes(database, said, part)),
      ...(await otherwiseNotes(database, said, part)),
      ...(await ownNotes(database, id, part, at, context, seen)),
      ...(await usesNotes(database, seen, part)),
      ...(await unusedGiven(database, id, part, at)),
    ];
  }

  private async blanks(seen: Seen, asked: Asked): Promise<Note[]> {
    // What is said besides the set itself is not worth failing it for.
    const left = await blanksLeftOut({ compiler: this.compiler, database: this.database }, seen, asked).catch(
      () => null,
    );
    if (!left) return [];
    const { count, sentence, filter } = left;
    return [
      {
        code: 'blanks_left_out',
        count,
        message: `${sentence}.`,
        examples: [],
        mend: { words: 'Take them in', filter },
      },
    ];
  }

  parts(parts: readonly CheckedPart[], order: WorkOrder, sentence: string): Work {
    return {
      order,
      freeze: (freezer) => freezer.freeze(parts, order),
      sentence: () => keptSentence([sentence]),
      notes: async () => [],
      figures: noFigures,
    };
  }
}

/** A sentence as it stands in the database. */
export interface KeptSentence {
  readonly sentence: string;
  /** Its text and the records it names; null where an earlier version made it, which kept only the text. */
  readonly named: Sentence | null;
}

export const keptSentence = (named: Sentence): KeptSentence => ({ sentence: sentenceText(named), named });

export function undoSentence(
  order: WorkOrder,
  source: KeptSentence,
  catalog: Catalog,
  only: UndoWhich | null,
  count?: number,
): KeptSentence {
  const part = order.parts[0]!;
  const type = catalog.find(part.type);
  const one = order.parts.length === 1;
  const counted = count === undefined ? '' : `${count.toLocaleString('en-US')} `;
  const which =
    one && type
      ? count === undefined
        ? typeWords(type)
        : countedWords(count, type)
      : `${counted}${one ? part.type : 'records'}`;
  const ofType = only?.type === undefined ? undefined : catalog.find(only.type);
  const narrow = [
    ...(ofType ? [`the ${typeWords(ofType)}`] : []),
    ...(only?.keys ? [`of the ${only.keys.length.toLocaleString('en-US')} picked`] : []),
    ...(only?.filter === undefined ? [] : [`where ${clip(only.filter, 200)}`]),
    ...(only?.overwrite ? ['also where others changed them since'] : []),
    ...(only?.leaveEdited ? ['also where a related record was edited since, which stays'] : []),
  ];
  const but = narrow.length > 0 ? ` (only ${narrow.join(', ')})`.replace('(only also', '(also') : '';
  const of = (undo: string): KeptSentence => ({
    sentence: `${undo}: ${source.sentence}`,
    named: source.named && [`${undo}: `, ...source.named],
  });
  if (!one || part.act !== 'update') return of(`Take back what was done to the ${which}${but} by`);
  const fields = part.writes.map((name) => type?.fields.find((f) => f.name === name)?.label.toLowerCase() ?? name);
  return of(`Put ${list(fields, 'and')} back on the ${which}${but} changed by`);
}
