import { clip, type Base, type Catalog, type RecordType } from '../catalog/catalog';
import { resolvePath } from '../catalog/path';
import { fail, type Span } from '../problem';
import type { Checked, FieldPath } from './checked';
import type { Comparison, Expression, LiteralType } from './syntax';
import { canonical, choiceValue, numberType } from './value';

type Literal = Extract<Expression, { kind: 'literal' }>;

/** Values outside IN lists: beyond this a condition is a pasted list, not a filter. */
const mostValues = 10_000;

/**
 * Checks a condition against the catalog. Throws one problem with its span: unknown fields with the nearest names,
 * types that do not fit with both types named, labels that are no choice with the choices.
 */
export function checkCondition(tree: Expression, catalog: Catalog, type: RecordType): Checked {
  return new Checker(catalog, type).condition(tree);
}

class Checker {
  private values = 0;
  constructor(
    private readonly catalog: Catalog,
    private readonly type: RecordType,
  ) {}

  condition(e: Expression): Checked {
    switch (e.kind) {
      case 'and':
      case 'or':
        return { kind: e.kind, operands: e.operands.map((o) => this.condition(o)) };
      case 'not':
        return { kind: 'not', operand: this.condition(e.operand) };
      case 'compare':
        return this.compare(e);
      case 'in': {
        const path = this.fieldSide(e.operand);
        const list = e.list.map((item) => this.against(path, item, '='));
        return { kind: 'in', negated: e.negated, operand: { kind: 'field', at: path }, list };
      }
      case 'between': {
        const path = this.fieldSide(e.operand);
        return {
          kind: 'between',
          negated: e.negated,
          operand: { kind: 'field', at: path },
          low: this.against(path, e.low, '>='),
          high: this.against(path, e.high, '<='),
        };
      }
      case 'like':
        return this.like(e);
      case 'isNull':
        return { kind: 'isNull', negated: e.negated, operand: { kind: 'field', at: this.fieldSide(e.operand) } };
      case 'name': {
        const at = this.path(e);
        if (at.field.base === 'yes_no') return { kind: 'field', at };
        return fail(
          'type_mismatch',
          `“${at.field.name}” is ${article(at)}, so a condition must say what it is compared with.`,
          {
            span: e.span,
          },
        );
      }
      case 'literal':
        if (e.type === 'yes_no') return { kind: 'value', dbType: 'boolean', text: e.text };
        return fail('type_mismatch', 'A condition is expected here, not a value.', { span: e.span });
    }
  }

  private compare(e: Extract<Expression, { kind: 'compare' }>): Checked {
    const { left, right, op } = e;
    if (left.kind === 'name') {
      const at = this.path(left);
      return { kind: 'compare', op, left: { kind: 'field', at }, right: this.against(at, right, op) };
    }
    if (right.kind === 'name') {
      const at = this.path(right);
      return { kind: 'compare', op, left: this.against(at, left, mirrored[op]), right: { kind: 'field', at } };
    }
    return fail('type_mismatch', 'One side of a comparison must be a field.', { span: e.span });
  }

  private like(e: Extract<Expression, { kind: 'like' }>): Checked {
    const at = this.fieldSide(e.operand);
    if (at.field.base !== 'text')
      fail('type_mismatch', `LIKE compares texts; “${at.field.name}” is ${article(at)}.`, { span: e.operand.span });
    if (e.pattern.kind !== 'literal' || e.pattern.type !== 'text')
      return fail('type_mismatch', "LIKE needs a text such as 'north%'.", { span: e.pattern.span });
    if (/(^|[^\\])(\\\\)*\\$/.test(e.pattern.text))
      fail('bad_value', 'The pattern ends with a single \\, which has nothing to escape.', { span: e.pattern.span });
    this.count(e.pattern.span);
    const pattern: Checked = { kind: 'value', dbType: 'text', text: canonical('text', e.pattern.text, at.field.label) };
    return { kind: 'like', negated: e.negated, operand: { kind: 'field', at }, pattern };
  }

  private fieldSide(e: Expression): FieldPath {
    if (e.kind === 'name') return this.path(e);
    return fail('type_mismatch', 'A field is expected on the left here.', { span: e.span });
  }

  private path(e: Extract<Expression, { kind: 'name' }>): FieldPath {
    return resolvePath(this.catalog, this.type, e.path);
  }

  /** What stands opposite a field: a literal of its type, a name for a reference, or a field of a like type. */
  private against(at: FieldPath, other: Expression, op: Comparison): Checked {
    const { field } = at;
    if (field.base === 'list' || field.base === 'other')
      fail('type_mismatch', `“${field.name}” is ${article(at)} and cannot be compared yet.`, { span: other.span });
    if (field.base === 'yes_no' && op !== '=' && op !== '<>')
      fail('type_mismatch', `“${field.name}” is yes or no; it can only be equal or not.`, { span: other.span });
    if ((field.choices || field.kind === 'reference') && op !== '=' && op !== '<>')
      fail('type_mismatch', `“${field.name}” is ${article(at)}; it has no order, so only = and <> fit.`, {
        span: other.span,
      });
    if (other.kind === 'name') return this.otherField(at, other);
    if (other.kind !== 'literal')
      return fail('type_mismatch', 'A field or a value is expected here.', { span: other.span });
    this.count(other.span);
    return this.literal(at, other);
  }

  private otherField(at: FieldPath, other: Extract<Expression, { kind: 'name' }>): Checked {
    const right = this.path(other);
    const alike = family[at.field.base] === family[right.field.base] && at.field.refersTo === right.field.refersTo;
    if (!alike)
      fail(
        'type_mismatch',
        `“${at.field.name}” is ${article(at)} and “${right.field.name}” is ${article(right)}; they cannot be compared.`,
        {
          span: other.span,
        },
      );
    return { kind: 'field', at: right };
  }

  private literal(at: FieldPath, literal: Literal): Checked {
    const { field } = at;
    const { text, span } = literal;
    if (field.kind === 'reference' && field.refersTo !== null) {
      const dbType = field.dbType;
      if (literal.type === 'text') return { kind: 'named', question: { typeId: field.refersTo, text, span }, dbType };
      if (literal.type === 'number' && field.base === 'number')
        return { kind: 'value', dbType: numberType(text), text };
      return mismatch(at, literal);
    }
    if (field.choices) {
      if (literal.type !== 'text') return mismatch(at, literal);
      return { kind: 'value', dbType: field.dbType, text: choiceValue(field, text, span) };
    }
    switch (field.base) {
      case 'text':
        if (literal.type !== 'text') return mismatch(at, literal, `'${text}'`);
        return { kind: 'value', dbType: 'text', text: canonical('text', text, field.label, span) };
      case 'uuid':
        if (literal.type !== 'text') return mismatch(at, literal);
        return { kind: 'value', dbType: 'uuid', text: canonical('uuid', text, field.label, span) };
      case 'number':
        if (literal.type !== 'number') return mismatch(at, literal, /^-?\d+(\.\d+)?$/.test(text) ? text : undefined);
        return { kind: 'value', dbType: numberType(text), text: canonical('number', text, field.label, span) };
      case 'yes_no':
        if (literal.type !== 'yes_no') return mismatch(at, literal, yesNoFor(text));
        return { kind: 'value', dbType: 'boolean', text };
      case 'date':
        if (literal.type === 'moment')
          return { kind: 'value', dbType: 'timestamptz', text: canonical('moment', text, field.label, span) };
        if (literal.type !== 'date')
          return mismatch(at, literal, literal.type === 'text' ? `DATE('${text}')` : undefined);
        return { kind: 'value', dbType: 'date', text: canonical('date', text, field.label, span) };
      default:
        if (literal.type !== 'moment' && literal.type !== 'date')
          return mismatch(at, literal, literal.type === 'text' ? `TIMESTAMP('${text}')` : undefined);
        return {
          kind: 'value',
          dbType: field.dbType.startsWith('timestamp with') ? 'timestamptz' : 'timestamp',
          text: canonical('moment', text, field.label, span),
        };
    }
  }

  private count(span: Span): void {
    if (++this.values > mostValues)
      fail('too_long', `A filter may hold ${mostValues} values; this has more.`, { span });
  }
}

const mirrored: Record<Comparison, Comparison> = { '=': '=', '<>': '<>', '<': '>', '<=': '>=', '>': '<', '>=': '<=' };

/** Bases whose values can meet in a comparison share a family. */
const family: Record<Base, string> = {
  text: 'text',
  number: 'number',
  yes_no: 'yes_no',
  date: 'time',
  moment: 'time',
  uuid: 'uuid',
  list: 'list',
  other: 'other',
};

const baseWords: Record<Base, string> = {
  text: 'a text',
  number: 'a number',
  yes_no: 'yes or no',
  date: 'a date',
  moment: 'a moment',
  uuid: 'a UUID',
  list: 'a list',
  other: 'of a kind without order',
};
const literalWords: Record<LiteralType, string> = {
  text: 'a text',
  number: 'a number',
  yes_no: 'yes or no',
  date: 'a date',
  moment: 'a moment',
};

function article(at: FieldPath): string {
  if (at.field.kind === 'reference') return 'a reference';
  if (at.field.choices) return 'a choice';
  return baseWords[at.field.base];
}

function mismatch(at: FieldPath, literal: Literal, suggestion?: string): never {
  return fail(
    'type_mismatch',
    `“${at.field.name}” is ${article(at)}, but “${clip(literal.text)}” is ${literalWords[literal.type]}.`,
    { span: literal.span, suggestions: suggestion === undefined ? [] : [suggestion] },
  );
}

function yesNoFor(text: string): string | undefined {
  if (/^(true|yes|1)$/i.test(text)) return 'TRUE';
  return /^(false|no|0)$/i.test(text) ? 'FALSE' : undefined;
}
