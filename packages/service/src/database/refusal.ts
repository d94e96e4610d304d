import { clip, type RecordType } from '@tantamos/core';

/** What node-postgres gives of a database error (source: PostgreSQL, Error and Notice Message Fields). */
interface DatabaseError {
  readonly code?: string;
  readonly message: string;
  readonly detail?: string;
  readonly column?: string;
  readonly constraint?: string;
}

/** True for errors that one record's values cause, so that leaving the record out lets the rest of the batch pass. */
export function isRefusal(error: unknown): boolean {
  const code = codeOf(error);
  // 22 data exception, 23 integrity constraint, 44 with check option, P0 raised by a trigger, 42501 row security
  return /^(22|23|44|P0)/.test(code) || code === '42501' || code === '09000' || code === '27000';
}

/** True where trying again from a fresh snapshot is the answer. */
export function isConflict(error: unknown): boolean {
  return ['40001', '40P01'].includes(codeOf(error));
}

/** True where a lock was not to be had in time. */
export function isLocked(error: unknown): boolean {
  return codeOf(error) === '55P03';
}

/** Why the database cannot take changes for now; null for errors that are bugs. */
export function outage(error: unknown): string | null {
  const code = codeOf(error);
  if (code === '25006') return 'The database is read-only; the run goes on when it takes changes again.';
  if (code === '53100') return 'The disk of the database is full; the run goes on when there is room again.';
  if (/^53/.test(code)) return 'The database has no connection or memory left; the run goes on when it has.';
  if (
    /^(08|57P)/.test(code) ||
    /^(ECONN|EPIPE|ETIMEDOUT|ENOTFOUND)/.test(code) ||
    /[Cc]onnection (terminated|ended)|not queryable|timeout exceeded/.test(messageOf(error))
  )
    return 'The database cannot be reached; the run goes on when it answers again.';
  return null;
}

/** The database's own words about one record, made readable. */
export function refusalWords(error: unknown, type: RecordType): string {
  const { code, message, detail, column, constraint } = error as DatabaseError;
  const label = (name?: string): string => type.fields.find((f) => f.name === name)?.label ?? name ?? 'a field';
  const rule = type.rules.find((r) => r.name === constraint);
  switch (code) {
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
    default:
      return clip(message, 200);
  }
}

export function codeOf(error: unknown): string {
  const code = (error as { code?: unknown } | null)?.code;
  return typeof code === 'string' ? code : '';
}

function messageOf(error: unknown): string {
  return error instanceof Error ? error.message : '';
}
