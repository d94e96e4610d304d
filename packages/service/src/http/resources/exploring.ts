import type { CrossBody, ExplainBody, FunctionView, SelectionParts, ValuesBody } from '@tantamos/contract';
import {
  checkSelection,
  functions as allFunctions,
  relatedForms,
  signatureOf,
  whichWords,
  type Catalog,
  type CheckedSelection,
  type Context,
  type Selection,
} from '@tantamos/core';
import { asProblem } from '../../database/problems';
import { explain as explained } from '../../exploring/explain';
import { crossed, fieldValues } from '../../exploring/values';
import type { Call, Handler } from '../handler';
import { gone } from '../patience';
import { seenSelection } from '../seen-type';
import { placed, plainSelection } from '../selection';

/** The selection a call asks about, if the person may see what it goes through. */
export async function compiled(
  call: Pick<Call, 'services' | 'person' | 'params'>,
  parts: SelectionParts,
): Promise<{ plain: Selection; selection: CheckedSelection; catalog: Catalog; context: Context }> {
  const { services, person, params } = call;
  const plain = plainSelection(params.type!, parts);
  await seenSelection(services, person, plain);
  return { plain, ...(await placed(parts, plain, () => services.compiler.selection(person, plain))) };
}

export const values: Handler<ValuesBody> = async (call) => {
  const { selection, catalog } = await compiled(call, call.body);
  return fieldValues(call.services.database, catalog, selection, call.body, gone(call.res)).catch(asProblem);
};

export const cross: Handler<CrossBody> = async (call) => {
  const { selection, catalog } = await compiled(call, call.body);
  return crossed(call.services.database, catalog, selection, call.body, gone(call.res)).catch(asProblem);
};

export const explain: Handler<ExplainBody> = async (call) => {
  const { plain, selection, catalog, context } = await compiled(call, call.body);
  // Said before names became keys.
  const said = checkSelection(plain, catalog, context);
  const sentence = (matched: number): string => whichWords(said, matched);
  const { database } = call.services;
  return explained(database, catalog, selection, sentence, call.body.near ?? false, gone(call.res)).catch(asProblem);
};

export const functions: Handler = async () => [
  ...allFunctions.map((f): FunctionView => {
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
