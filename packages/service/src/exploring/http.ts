import type { exploringRoutes, FunctionView, SelectionParts } from '@tantamos/contract';
import {
  checkSelection,
  functions,
  relatedForms,
  signatureOf,
  whichWords,
  type Catalog,
  type CheckedSelection,
  type Context,
  type Selection,
} from '@tantamos/core';
import { asProblem } from '../database/problems';
import { gone } from '../http/gone';
import type { Call, Handlers } from '../http/handler';
import { reportAsSeen } from '../lists/seen-report';
import { placed, plainSelection } from '../selections/plain';
import { blanksLeftOut } from './blanks';
import { explain } from './explain';
import { crossed, fieldValues } from './values';

/** The selection that a call asks about, as the person sees it. */
export async function compiled(
  { services, seen, params }: Pick<Call, 'services' | 'seen' | 'params'>,
  parts: SelectionParts,
): Promise<{ plain: Selection; selection: CheckedSelection; catalog: Catalog; context: Context }> {
  const plain = plainSelection(params.type!, parts);
  return { plain, ...(await placed(parts, plain, () => services.compiler.selection(seen, plain))) };
}

export const exploringHandlers: Handlers<typeof exploringRoutes> = {
  async values(call) {
    const { selection, catalog } = await compiled(call, call.body);
    return fieldValues(call.services.database, catalog, selection, call.body, gone(call.res)).catch(asProblem);
  },

  async cross(call) {
    const { selection, catalog } = await compiled(call, call.body);
    return crossed(call.services.database, catalog, selection, call.body, gone(call.res)).catch(asProblem);
  },

  async explain(call) {
    const asked = await compiled(call, call.body);
    const { plain, selection, catalog, context } = asked;
    // Said before names became keys.
    const said = checkSelection(plain, catalog, context);
    const sentence = (matched: number): string => whichWords(said, matched);
    const { database } = call.services;
    const near = call.body.near ?? false;
    const signal = gone(call.res);
    const [made, blanks] = await Promise.all([
      explain(database, catalog, selection, sentence, near, signal),
      blanksLeftOut(call.services, call.seen, asked, signal),
    ]).catch(asProblem);
    return { ...made, blanks, list: made.list && reportAsSeen(made.list, call.seen) };
  },

  async functions() {
    return [
      ...functions.map((f): FunctionView => {
        const { name, group, source, doc, example } = f;
        return { name, signature: signatureOf(f), group, source, doc, example };
      }),
      ...relatedForms.map(({ name, source, doc, example }): FunctionView => ({
        name: name.replace(/\(.*/, ''),
        signature: name,
        group: 'Related records',
        source,
        doc,
        example,
      })),
    ];
  },
};
