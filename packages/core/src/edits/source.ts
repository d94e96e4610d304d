import { clip, type Field } from '../catalog/catalog';
import { resolveColumn } from '../catalog/path';
import { typeOfBase } from '../language/types';
import { rebuild, type Checked, type FieldPath } from '../language/checked';
import { fieldKindWords } from '../language/types';
import { pathWords } from '../language/words';
import { fail, ProblemError, within } from '../problem';
import type { About } from './kind';
import { isFreeText } from './value';
import { readable } from './worked';

/** A field to take values from: the field itself, and what of it is written into another. */
export interface SourceField {
  readonly from: Checked;
  readonly value: Checked;
}

/** The field at the end of a path that a value for `field` is taken from; its problems are at `where`. */
export function sourceFor(where: string, path: string, field: Field, about: About): OwnSource {
  return within(where, () => {
    const source = taken(path, field, about);
    const { through, field: of } = source.from.at;
    if (through.length === 0 && of.name === field.name)
      fail('bad_value', `${field.label} is where the value goes; say another field to take it from.`);
    return source;
  });
}

/** The same of one chosen record: what it has when the job is previewed, for all. */
export function chosenSource(
  said: { readonly from: string; readonly record: string; readonly of?: string },
  field: Field,
  about: About,
): SourceField {
  const type = said.of === undefined ? about.type : within('of', () => about.catalog.type(said.of!));
  return within('from', () => {
    const { from, value } = taken(said.from, field, { ...about, type });
    const ofChosen = (tree: Checked): Checked =>
      rebuild(tree, (node) =>
        node.kind !== 'field'
          ? node
          : {
              kind: 'named',
              dbType: node.at.field.dbType,
              question: { typeId: type.id, text: said.record, where: 'record', at: node.at },
            },
      );
    return { from: ofChosen(from), value: ofChosen(value) };
  });
}

interface OwnSource extends SourceField {
  readonly from: Extract<Checked, { kind: 'field' }>;
}

function taken(path: string, field: Field, { catalog, type }: Pick<About, 'catalog' | 'type'>): OwnSource {
  const at = resolveColumn(catalog, type, path);
  const kind = typeOfBase(at.field.base);
  if (kind === null || kind === 'list')
    fail('type_mismatch', `“${clip(path)}” is ${fieldKindWords(at.field)}, which cannot be taken over.`);
  const from = { kind: 'field', at } as const;
  return { from, value: isSaidInWords(at, field) ? readable(from, catalog) : from };
}

/** A text takes what a person reads of a choice or reference; so does a choice of another list. */
function isSaidInWords({ field: source }: FieldPath, field: Field): boolean {
  if (field.refersTo !== null) return false;
  if (source.refersTo !== null) return isFreeText(field);
  if (source.choices === null) return false;
  return isFreeText(field) || JSON.stringify(source.choices) !== JSON.stringify(field.choices);
}

/** A path as it is said in a sentence; of one that is wrong, as it was written. */
export function sourceWords(path: string, of: Of): string {
  const at = pathAt(path, of);
  return at ? pathWords(at) : clip(path);
}

/** The field at the end of a path; none where the path is wrong. */
export function fieldAt(path: string, of: Of): Field | undefined {
  return pathAt(path, of)?.field;
}

type Of = Pick<About, 'type' | 'catalog'>;

function pathAt(path: string, { type, catalog }: Of): FieldPath | null {
  try {
    return resolveColumn(catalog, type, path);
  } catch (error) {
    if (error instanceof ProblemError) return null;
    throw error;
  }
}
