import { AnswerError, type Client } from '@tantamos/client';
import { mostMapped, type Edit, type KeptValues } from '@tantamos/core';
import { number, talk } from './output';

/**
 * The edit, the job's `index`th, as it can be said in one request: values beyond what that holds are sent before, piece by
 * piece, and named.
 */
export async function sentAhead(api: Client, type: string, edit: Edit, index: number): Promise<Edit> {
  if (edit.kind === 'map' && edit.pairs && edit.pairs.length > mostMapped) {
    const { pairs, ...rest } = edit;
    const lines = pairs.map((p): Line => [String(p.old), String(p.new)]);
    return { ...rest, given: await send(api, { type, field: edit.field, by: edit.from ?? edit.field }, lines, index) };
  }
  const values = edit.kind === 'put' ? Object.entries(edit.values ?? {}) : [];
  // What is left blank is said with the edit itself.
  if (edit.kind === 'put' && values.length > mostMapped && values.every(([, to]) => to !== null)) {
    const { values: _, ...rest } = edit;
    const lines = values.map(([key, to]): Line => [key, String(to)]);
    return { ...rest, given: await send(api, { type, field: edit.field }, lines, index) };
  }
  return edit;
}

type Line = readonly [key: string, value: string];

async function send(
  api: Client,
  about: { readonly type: string; readonly field: string; readonly by?: string },
  lines: readonly Line[],
  index: number,
): Promise<KeptValues> {
  let given: KeptValues | undefined;
  for (let at = 0; at < lines.length; at += mostMapped) {
    const some = lines.slice(at, at + mostMapped);
    const piece = { ...about, keys: some.map(([key]) => key), values: some.map(([, to]) => to) };
    const asked = api.keepValues(given ? { ...piece, into: given.id } : piece);
    given = await asked.catch((error: unknown) => {
      throw error instanceof AnswerError ? toldAt(error, at, index) : error;
    });
    talk(`sent ${number(given.count)} of ${number(lines.length)} values`);
  }
  return given!;
}

/** What is wrong with a piece, told of the edit and of the line among all of them. */
function toldAt({ details }: AnswerError, at: number, index: number): AnswerError {
  const problems = details.problems.map((problem) => {
    const line = /^(?:keys|values)\[(\d+)\]$/.exec(problem.where ?? '')?.[1];
    const message = line === undefined ? problem.message : `Line ${number(at + Number(line) + 1)}: ${problem.message}`;
    return { ...problem, message, where: `edits[${index}]` };
  });
  return new AnswerError({ ...details, problems });
}
