import {
  fieldKinds,
  outcomes,
  picks,
  verdicts,
  type JournalPick,
  type Mend,
  type Outcome,
  type Verdict,
} from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import { Type } from 'class-transformer';
import { IsIn, IsInt, IsOptional, IsString, Max, MaxLength, Min } from 'class-validator';
import { count, named, nullable, oneOf, text, type Answer } from './shape';

/** Outcomes of a run and verdicts of a preview, each once. */
export const journalOutcomes: readonly (Outcome | Verdict)[] = [...new Set([...verdicts, ...outcomes])];
export type { JournalPick } from '@tantamos/core';
export const journalFiles = ['text/csv', 'application/jsonl'] as const;

export class JournalQuery {
  @IsOptional() @IsIn([...journalOutcomes]) outcome?: Outcome | Verdict;
  /** Only what is so for this reason, in just these words. */
  @IsOptional() @IsString() @MaxLength(2000) cause?: string;
  @IsOptional() @Type(() => Number) @IsInt() @Min(1) @Max(500) limit?: number;
  @IsOptional() @IsString() @MaxLength(100) after?: string;
  /** `csv` (RFC 4180) and `jsonl` stream every record; `json` is one page. */
  @IsOptional() @IsIn(['json', 'csv', 'jsonl']) format?: 'json' | 'csv' | 'jsonl';
  /** With `format=csv`: control characters in values as they are, not as signs that can be seen. */
  @IsOptional() @IsIn(['true', 'false']) raw?: 'true' | 'false';
}

export class RunJournalQuery extends JournalQuery {
  /**
   * `before`, with `format=csv`: what the records that it changed or deleted were, by the key and the fields as the database
   * writes them, to be loaded by hand (`COPY … CSV HEADER`: nothing between two commas is NULL, `""` the empty text).
   */
  @IsOptional() @IsIn(['before']) image?: 'before';
}

export class PreviewJournalQuery extends JournalQuery {
  /** One record of each different from → to; those that change most, come to be longest, come to be blank. One page. */
  @IsOptional() @IsIn([...picks]) pick?: JournalPick;
  /** Of this field; the first one changed where nothing is said. */
  @IsOptional() @IsString() @MaxLength(200) field?: string;
}

export const Value = named('Value', {
  value: nullable(text, 'the database’s own text'),
  label: Of.Optional(Of.String({ description: 'the name behind it, where it is a key or a choice' })),
});
export type Value = Answer<typeof Value>;

export const ChangeView = named('ChangeView', {
  field: text,
  label: text,
  kind: oneOf(fieldKinds),
  old: Value,
  new: Value,
});
export type ChangeView = Answer<typeof ChangeView>;

export const JournalRecord = named('JournalRecord', {
  type: text,
  key: text,
  act: oneOf(['update', 'create', 'delete'], 'what is done: changed, made (with these values) or deleted'),
  makes: nullable(text, 'the type of what is to be made for it, whose fields these are'),
  name: nullable(text),
  outcome: oneOf(journalOutcomes, 'in a preview what it says beforehand, in a run what became of the record'),
  cause: nullable(text),
  changes: Of.Array(ChangeView),
});
export type JournalRecord = Answer<typeof JournalRecord>;

export const JournalPage = named('JournalPage', { records: Of.Array(JournalRecord), next: nullable(text) });
export type JournalPage = Answer<typeof JournalPage>;

export const AlongView = named('AlongView', {
  type: text,
  label: text,
  act: oneOf(['create', 'delete', 'blank', 'restore', 'default', 'follow']),
  count,
});
export type AlongView = Answer<typeof AlongView>;

/** Something to know of a preview or run. */
export const NoteView = named('NoteView', {
  code: text,
  message: text,
  count,
  examples: Of.Array(text, { description: 'some of those meant, as a person would read them' }),
  look: Of.Optional(
    Of.Object(
      { words: text, at: oneOf(['selection', ...verdicts]) },
      { description: 'where to look: what says which records, or the records of a verdict' },
    ),
  ),
  mend: Of.Optional(
    Of.Unsafe<Mend>(
      Of.Object({
        words: text,
        filter: Of.Optional(Of.String({ description: 'the filter instead' })),
        edit: Of.Optional(
          Of.Object({ at: count, edit: Of.Unknown() }, { description: 'an edit in the place of the one at `at`' }),
        ),
        drop: Of.Optional(Of.Array(text, { description: 'keys of records to leave out besides' })),
      }),
    ),
  ),
});
export type NoteView = Answer<typeof NoteView>;
