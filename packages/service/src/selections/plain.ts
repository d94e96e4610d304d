import type { FromBody, JobBody, JobPartBody, LaterPartBody, SelectionParts } from '@tantamos/contract';
import {
  fail,
  ProblemError,
  textOfJson,
  within,
  type Job,
  type JobPart,
  type LaterPart,
  type MadeFrom,
  type Problem,
  type Selection,
} from '@tantamos/core';

/** A selection whose filter is CQL2 text, whatever it came as. */
export function plainSelection(type: string, parts: SelectionParts): Selection {
  const { related, list, take, keys, drop } = parts;
  const filter = plainFilter(parts);
  return {
    type,
    ...(related ? { related: { ...related, of: plainSelection(related.of.type, related.of) } } : {}),
    ...(filter === undefined ? {} : { filter }),
    ...(list ? { list } : {}),
    ...(take ? { take } : {}),
    ...(keys ? { keys } : {}),
    ...(drop?.length ? { drop } : {}),
  };
}

export function plainJob(body: JobBody): Job {
  const { then, from: _, ...first } = body;
  return {
    ...first,
    ...plainPart(body),
    ...(then?.length ? { then: then.map((part, i) => within(`then[${i}]`, () => plainLater(part))) } : {}),
  };
}

function plainLater(part: LaterPartBody): LaterPart {
  const { from: _, ...rest } = part;
  return { ...rest, ...plainPart(part) };
}

function plainPart({ selection, edits, also, from }: JobPartBody): JobPart {
  // Members that were left out are not there, whatever class they came in.
  return {
    edits: edits.map((edit) => ({ ...edit })),
    selection: plainSelection(selection.type, selection),
    ...(from ? { from: plainFrom(from) } : {}),
    ...(also ? { also: also.map((a) => ({ ...a, values: a.values.map((v) => ({ ...v })) })) } : {}),
  };
}

function plainFrom({ file, rows }: FromBody): MadeFrom {
  if ((file === undefined) === (rows === undefined))
    fail('bad_value', 'Records are made of the rows of a file, or of nothing, so many: say one of them.', {
      where: 'from',
    });
  return file === undefined ? { rows: rows! } : { file };
}

/** True where the filter came as JSON, so that places in it are places in a text the sender has not seen. */
export function isJson({ filter, 'filter-lang': lang }: SelectionParts): boolean {
  return filter !== undefined && (typeof filter !== 'string' || lang === 'cql2-json');
}

/** Does `work`; problems with a place in the filter say in which text, where that is not the one that was sent. */
export async function placed<T>(parts: SelectionParts, selection: Selection, work: () => Promise<T>): Promise<T> {
  if (!isJson(parts)) return work();
  try {
    return await work();
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const [first, ...more] = error.problems.map((p): Problem =>
      p.span && (p.where ?? 'filter') === 'filter' ? { ...p, text: selection.filter } : p,
    );
    throw new ProblemError(first!, ...more);
  }
}

function plainFilter(parts: SelectionParts): string | undefined {
  const { filter } = parts;
  if (filter === undefined) return undefined;
  if (!isJson(parts)) return filter as string;
  if (parts['filter-lang'] === 'cql2-text')
    return fail('bad_request', 'The filter is JSON, but filter-lang says cql2-text.', { where: 'filter' });
  return within('filter', () => textOfJson(filter));
}
