import { editKinds, editMembers, type Edit } from '@tantamos/core';
import { ArrayMaxSize, IsIn, IsOptional } from 'class-validator';
import { JSONSchema } from 'class-validator-jsonschema';
import { Fits, NestedList } from './body';

// One request class an edit kind, each made from what the kind says that its edits hold.

type EditClass = new () => object;

function editClass(kind: Edit['kind']): EditClass {
  // The class is known by its name in the document.
  const name = `${kind[0]!.toUpperCase()}${kind.slice(1)}Edit`;
  const made = { [name]: class {} }[name]!;
  IsIn([kind])(made.prototype, 'kind');
  for (const [member, { schema, fits, must, optional }] of Object.entries(editMembers(kind))) {
    if (optional) IsOptional()(made.prototype, member);
    Fits(`fits_${member}`, schema, fits, must)(made.prototype, member);
  }
  return made;
}

/** The request classes by kind. */
export const editClasses = Object.fromEntries(editKinds.map((kind) => [kind, editClass(kind)])) as Readonly<
  Record<Edit['kind'], EditClass>
>;

/** An edit of no kind there is: refused, with those there are. */
export class AnyEdit {
  @IsIn(editKinds) kind!: string;
}

/** A list of edits, each of its kind. */
export const Edits =
  (most: number): PropertyDecorator =>
  (target, key) => {
    ArrayMaxSize(most)(target, key);
    NestedList(() => AnyEdit, {
      keepDiscriminatorProperty: true,
      discriminator: {
        property: 'kind',
        subTypes: Object.entries(editClasses).map(([name, value]) => ({ name, value })),
      },
    })(target, key);
    JSONSchema(
      () =>
        ({
          type: 'array',
          maxItems: most,
          items: { oneOf: Object.values(editClasses).map((c) => ({ $ref: `#/components/schemas/${c.name}` })) },
        }) as never,
    )(target, key as string);
  };
