import { fieldNamed, type Catalog, type RecordType } from '../catalog/catalog';
import { lowerEdit, type Edit } from '../edits/edit';
import type { Literal } from '../edits/literal';
import { givenField } from '../edits/value';
import { noContext } from '../language/context';
import { piecesOf } from '../language/text-with-fields';
import { fail, Gathered, inside, ProblemError, within, type ProblemCode } from '../problem';
import { giving } from './also';

/** What new records of a type are often given, kept under a name: edits that set or compute. */
export interface Preset {
  readonly name: string;
  readonly type: string;
  readonly edits: readonly Edit[];
}

/**
 * Throws everything that is wrong with its values, at `edits[0].value` and so on. What is worked out is only read: for which
 * records it will be is not known yet.
 */
export function checkPreset({ type: id, edits }: Omit<Preset, 'name'>, catalog: Catalog): RecordType {
  const type = within('type', () => catalog.type(id));
  const problems = new Gathered();
  if (edits.length === 0) fail('bad_value', 'A preset gives at least one value.', { where: 'edits' });
  const taken = new Set<string>();
  edits.forEach((edit, i) =>
    problems.gather(() =>
      inside(`edits[${i}]`, () => {
        if (!giving.includes(edit.kind))
          fail('bad_value', 'What a new record gets is set or computed.', { where: 'kind' });
        if (edit.where !== undefined)
          fail('bad_value', 'A new record has no value that a condition could leave as it is.', { where: 'where' });
        const field = givenField({ type, into: type }, edit.field);
        if (taken.has(field.name)) fail('same_field_twice', `${field.name} is given twice.`, { where: 'field' });
        taken.add(field.name);
        const isWorkedOut = edit.kind === 'compute' || (edit.kind === 'set' && piecesIn(edit.value));
        const about = { type, catalog, context: noContext, into: type };
        if (isWorkedOut) butForNames(() => lowerEdit(edit, about));
        else lowerEdit(edit, about);
      }),
    ),
  );
  problems.raise();
  return type;
}

const piecesIn = (value: Literal): boolean =>
  typeof value === 'string' && within('value', () => piecesOf(value)) !== null;

/** Mistakes that are none only over the records that it will be worked out for. */
const ofNames: readonly ProblemCode[] = [
  'unknown_field',
  'unknown_type',
  'unknown_name',
  'ambiguous_name',
  'type_mismatch',
];

function butForNames(work: () => unknown): void {
  try {
    work();
  } catch (error) {
    if (!(error instanceof ProblemError) || error.problems.some((p) => !ofNames.includes(p.code))) throw error;
  }
}

/** Does it give only what the person may see? */
export function isPresetSeen({ type: id, edits }: Preset, catalog: Catalog): boolean {
  const type = catalog.find(id);
  if (!type) return false;
  // A field that is gone hides nothing: whoever uses the preset is told.
  return edits.every((e) => fieldNamed(type, e.field)?.hidden !== true);
}
