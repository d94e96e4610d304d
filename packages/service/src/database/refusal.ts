import { clip, ProblemError, type RecordType, type RefusalKind } from '@tantamos/core';

/** What node-postgres gives of a database error (source: PostgreSQL, Error and Notice Message Fields). */
interface DatabaseError {
  readonly code?: string;
  readonly message: string;
  readonly severity?: string;
  readonly detail?: string;
  readonly where?: string;
  readonly routine?: string;
  readonly column?: string;
  readonly constraint?: string;
}

/**
 * Whose trouble an error is. `session`: the database cannot work for anybody now; `conflict`: trying again from a fresh
 * snapshot is the answer; `lock`: a lock was not to be had in time; `record`: something that a function of the database
 * says of the record; `unknown`: anything else the database says, a record's as far as leaving it out helps; `bug`: ours.
 */
export type Blame = 'session' | 'conflict' | 'lock' | 'record' | 'unknown' | 'bug';

export function blameOf(error: unknown): Blame {
  const code = codeOf(error);
  const { severity = '', routine, where = '' } = (error ?? {}) as DatabaseError;
  if (isCut(error) || isBusy(error) || severity === 'FATAL' || severity === 'PANIC') return 'session';
  // Said on purpose by a function, under whatever code it chose.
  if (routine === 'exec_stmt_raise') return 'record';
  if (code === '40001' || code === '40P01') return 'conflict';
  if (code === '55P03') return 'lock';
  // A full disk is the disk's, also where a function met it.
  if (/^(53|57P|58)/.test(code) || ['25006', 'XX001', 'XX002'].includes(code)) return 'session';
  if (/function/i.test(where)) return 'record';
  return /^[0-9A-Z]{5}$/.test(code) && severity !== '' ? 'unknown' : 'bug';
}

/** Our own schema is not there any more: somebody has taken Tantamos away. */
export function isTakenAway(error: unknown): boolean {
  return ['42P01', '3F000', '42883'].includes(codeOf(error)) && /tantamos/.test(messageOf(error));
}

/**
 * The tables are others than the catalog says: something has been altered, renamed or dropped since it was read, and what a
 * function of the database says is not meant. Reading the catalog anew and trying once more is the answer.
 */
export function isAboutShape(error: unknown): boolean {
  const { routine, where = '', message = '' } = (error ?? {}) as DatabaseError;
  if (routine === 'exec_stmt_raise' || /function/i.test(where) || isTakenAway(error)) return false;
  // 42703 column, 42P01 table, 3F000 schema, 42704 type, 42883 operator or function, 42804 and 42846 types that do not fit
  return (
    ['42703', '42P01', '3F000', '42704', '42883', '42804', '42846'].includes(codeOf(error)) ||
    /^cached plan must not change/.test(message)
  );
}

/** What a function, a view or another server behind the database says of what was asked, and no mistake of ours. */
export function isSaidByDatabase(error: unknown): boolean {
  return blameOf(error) === 'record' || (blameOf(error) === 'unknown' && /^(HV|22|55000|0A000)/.test(codeOf(error)));
}

/** Codes that values cause: nobody would expect the same of every record. */
export function isAboutValues(error: unknown): boolean {
  // Refused to the account altogether, or only for this record by a row rule?
  const byRowRule = codeOf(error) === '42501' && (error as DatabaseError).routine === 'ExecWithCheckOptions';
  return /^(22|23|44|54)/.test(codeOf(error)) || byRowRule;
}

/** Why the database cannot take changes for now; null for errors that are no trouble of the session. */
export function outage(error: unknown): string | null {
  if (blameOf(error) !== 'session') return null;
  const code = codeOf(error);
  if (code === '25006') return 'The database is read-only; the run goes on when it takes changes again.';
  if (code === '53100') return 'The disk of the database is full; the run goes on when there is room again.';
  if (/^53/.test(code)) return 'The database has no connection or memory left; the run goes on when it has.';
  if (/^(58|XX)/.test(code))
    return `The database is in trouble (${clip(messageOf(error), 200)}); the run goes on when it is not.`;
  return 'The database cannot be reached; the run goes on when it answers again.';
}

/** The database's own words about one record, made readable. */
export function refusalWords(error: unknown, type: RecordType): string {
  const { code, message, detail, column, constraint, routine } = error as DatabaseError;
  const label = (name?: string): string => type.fields.find((f) => f.name === name)?.label ?? name ?? 'a field';
  const rule = type.rules.find((r) => r.name === constraint);
  // What a function says on purpose is said as it is, whatever the code.
  switch (routine === 'exec_stmt_raise' ? null : code) {
    case '23505': {
      const found = /\((.+)\)=\((.*)\)/.exec(detail ?? '');
      return found
        ? `Another record already has ${label(found[1])} “${clip(found[2]!)}”.`
        : `Another record already has this value (${constraint}).`;
    }
    case '23503': {
      const found = /\((.+)\)=\((.*)\)/.exec(detail ?? '');
      return found
        ? `${label(found[1])} ${clip(found[2]!)} does not exist, or is still pointed at.`
        : clip(message, 200);
    }
    case '23502':
      return `${label(column)} is required.`;
    case '23514':
      return rule?.message ?? clip(message, 200);
    case '22001':
      return `A value is too long: ${clip(message, 200)}.`;
    case '54000':
      return `A value is too large for an index: ${clip(message, 200)}.`;
    default:
      return clip(message, 200);
  }
}

/** What the database said of one record, for whom its own words are of use. */
export interface Refusal {
  readonly kind: RefusalKind;
  readonly code: string;
  readonly said: string;
  /** Of a unique value that is taken: its fields and the value. */
  readonly taken: { readonly fields: readonly string[]; readonly value: string } | null;
}

const kindOfCode: Readonly<Record<string, RefusalKind>> = {
  '23505': 'unique',
  '23P01': 'unique',
  '23503': 'foreign_key',
  '23502': 'required',
  '23514': 'check',
  '22001': 'too_long',
  '54000': 'too_long',
  '22003': 'out_of_range',
  '22008': 'out_of_range',
  '57014': 'timeout',
  '42501': 'row_rule',
  '44000': 'row_rule',
};

export function refusalOf(error: unknown): Refusal {
  const { code = '', message, detail, where = '', routine } = error as DatabaseError;
  const isRaised = routine === 'exec_stmt_raise' || (/function/i.test(where) && !/^23/.test(code));
  const found = code === '23505' ? /\((.+)\)=\((.*)\)/.exec(detail ?? '') : null;
  return {
    kind: isRaised ? 'trigger' : (kindOfCode[code] ?? 'other'),
    code,
    said: clip([message, detail, where && where.split('\n')[0]].filter(Boolean).join(' — '), 500),
    taken: found ? { fields: found[1]!.split(', '), value: clip(found[2]!, 200) } : null,
  };
}

export function codeOf(error: unknown): string {
  const code = (error as { code?: unknown } | null)?.code;
  return typeof code === 'string' ? code : '';
}

/** The connection itself is gone, or was not to be had. */
/** All connections are taken: nobody's doing, and over in a moment. */
function isBusy(error: unknown): boolean {
  return error instanceof ProblemError && error.code === 'busy';
}

function isCut(error: unknown): boolean {
  return (
    /^08/.test(codeOf(error)) ||
    /^(ECONN|EPIPE|ETIMEDOUT|ENOTFOUND)/.test(codeOf(error)) ||
    /[Cc]onnection (terminated|ended)|not queryable|timeout exceeded/.test(messageOf(error))
  );
}

function messageOf(error: unknown): string {
  return error instanceof Error ? error.message : '';
}
