import { clip, type Catalog, type Field, type RecordType } from '../catalog/catalog';
import { closest } from '../catalog/closest';
import { ofBase } from '../catalog/kinds';
import { canonicalMoment, isDay } from '../catalog/kinds/clock';
import { resolvePath } from '../catalog/path';
import { fail, Gathered, ProblemError, type Span } from '../problem';
import { typeOf, folds, type Checked, type FieldPath, type Fold } from './checked';
import type { Context, Me } from './context';
import { outcomes, type Outcome } from '../job/outcome';
import { signatureOf, spread, type FunctionEntry, type Parameter, type ParameterType } from './functions/entry';
import { functionNamed, functions } from './functions';
import { conversion, mismatch, timeLiteral, yesNoFor, type Literal } from './mismatch';
import { print, quote } from './print';
import { relationOf } from './relation';
import { pathText } from '../catalog/path';
import type { Arithmetic, Comparison, Expression } from './syntax';
import { fieldKindWords, valueTypeWords, typeOfBase, type ValueType } from './types';
import { canonical, choiceValue, numberType } from './value';

type Call = Extract<Expression, { kind: 'call' }>;

/** Beyond this a condition is a pasted list, not a filter: its values, and what is done with them. */
const mostValues = 10_000;
const mostOperations = 3000;
/** Mistakes of one filter that are told at once. */
const mostProblems = 10;

/**
 * Checks a condition against the catalog. Throws one problem with its span: unknown fields with the nearest names,
 * types that do not fit with both types named, labels that are no choice with the choices.
 */
export function checkCondition(tree: Expression, catalog: Catalog, type: RecordType, context: Context): Checked {
  return new Checker(catalog, type, context, { values: 0, operations: 0 }).condition(tree);
}

/** The same for an expression of any type. */
export function checkExpression(tree: Expression, catalog: Catalog, type: RecordType, context: Context): Checked {
  return new Checker(catalog, type, context, { values: 0, operations: 0 }).value(tree);
}

class Checker {
  constructor(
    private readonly catalog: Catalog,
    private readonly type: RecordType,
    private readonly context: Context,
    /** Shared with the checkers of conditions on children. */
    private readonly counted: { values: number; operations: number },
  ) {}

  condition(e: Expression): Checked {
    if (e.kind === 'name') {
      const at = this.path(e);
      if (at.field.base === 'yes_no') return { kind: 'field', at };
      const message = `“${at.field.name}” is ${fieldKindWords(at.field)}, so a condition must say what it is compared with.`;
      return fail('type_mismatch', message, { span: e.span });
    }
    const tree = this.value(e);
    const type = typeOf(tree);
    if (type === 'yes_no') return tree;
    if (e.kind === 'literal')
      return fail('type_mismatch', 'A condition is expected here, not a value.', { span: e.span });
    const message = `A condition is expected here, but this is ${valueTypeWords[type]}; say what it is compared with.`;
    return fail('type_mismatch', message, { span: e.span });
  }

  /** Any expression, with the type it has by itself. */
  value(e: Expression): Checked {
    if (e.kind !== 'literal' && e.kind !== 'name' && ++this.counted.operations > mostOperations)
      fail(
        'too_long',
        `A filter may hold ${mostOperations} comparisons and calculations; put values into IN ( … ), or paste them as a list.`,
        { span: e.span },
      );
    switch (e.kind) {
      case 'and':
      case 'or':
        return { kind: e.kind, operands: this.conditions(e.operands) };
      case 'not':
        return { kind: 'not', operand: this.condition(e.operand) };
      case 'compare':
        return this.compare(e);
      case 'in':
        return { kind: 'in', ...this.against(e.operand, e.list, '=') };
      case 'between': {
        const { operand, list } = this.against(e.operand, [e.low, e.high], '>=');
        return { kind: 'between', operand, low: list[0]!, high: list[1]! };
      }
      case 'like':
        return this.like(e);
      case 'isNull':
        return { kind: 'isNull', operand: e.operand.kind === 'name' ? this.field(e.operand) : this.value(e.operand) };
      case 'name': {
        const field = this.field(e);
        if (typeOfBase(field.at.field.base) === null)
          fail('type_mismatch', `“${field.at.field.name}” is ${fieldKindWords(field.at.field)}.`, { span: e.span });
        return field;
      }
      case 'literal':
        return this.literal(e);
      case 'arithmetic':
        return this.arithmetic(e);
      case 'call':
        return this.call(e);
      case 'list':
        return this.list(e.items, null);
      case 'interval':
        return this.interval(e);
    }
  }

  /** Each of them, and everything that is wrong with any, up to so many. */
  private conditions(all: readonly Expression[]): Checked[] {
    const problems = new Gathered();
    const checked: Checked[] = [];
    for (const one of all) {
      const made = problems.gather(() => this.condition(one));
      if (made) checked.push(made);
      if (problems.problems.length >= mostProblems || problems.problems.some((p) => p.code === 'too_long')) break;
    }
    problems.raise();
    return checked;
  }

  private compare(e: Extract<Expression, { kind: 'compare' }>): Checked {
    for (const side of [e.left, e.right]) if (isNull(side)) this.noNull(side);
    // A field says what the other side means: names, choices, dates.
    const turned = e.left.kind !== 'name' && e.right.kind === 'name';
    if (turned) {
      const { operand, list } = this.against(e.right, [e.left], mirrored[e.op]);
      return { kind: 'compare', op: e.op, left: list[0]!, right: operand };
    }
    const { operand, list } = this.against(e.left, [e.right], e.op);
    return { kind: 'compare', op: e.op, left: operand, right: list[0]! };
  }

  /** An operand and what it is compared with, all brought to one type. */
  private against(
    left: Expression,
    others: readonly Expression[],
    op: Comparison,
  ): { operand: Checked; list: readonly Checked[] } {
    const nulls = others.find(isNull);
    if (nulls) this.noNull(nulls);
    const operand: Checked = left.kind === 'name' ? this.field(left) : this.value(left);
    const at = fieldIn(operand);
    if (at && others[0]) this.ordered(at, op, others[0].span);
    const list = others.map((other) => this.beside(operand, left, other, op));
    // A date beside a moment means the whole day.
    const types = new Set([operand, ...list].map(typeOf));
    if (types.has('blank')) {
      const type = [...types].find((t) => t !== 'blank') ?? 'text';
      const typed = (tree: Checked): Checked => (typeOf(tree) === 'blank' ? blank(type) : tree);
      return { operand: typed(operand), list: list.map(typed) };
    }
    if (!types.has('date') || !types.has('moment')) return { operand, list };
    const toDay = (tree: Checked): Checked =>
      typeOf(tree) === 'moment' ? { kind: 'convert', type: 'date', operand: tree } : tree;
    return { operand: toDay(operand), list: list.map(toDay) };
  }

  private noNull(e: Expression): never {
    return fail('syntax', 'NULL is not compared with; write IS NULL or IS NOT NULL.', { span: e.span });
  }

  private ordered({ field }: FieldPath, op: Comparison, span: Span): void {
    if (field.base === 'list')
      fail('type_mismatch', `“${field.name}” is a list; A_CONTAINS, A_OVERLAPS and A_EQUALS compare lists.`, {
        span,
        suggestions: [],
      });
    const { compares } = ofBase(field.base);
    if (compares === 'nothing')
      fail('type_mismatch', `“${field.name}” is ${fieldKindWords(field)} and cannot be compared.`, { span });
    if (op === '=' || op === '<>') return;
    if (compares === 'equality')
      fail('type_mismatch', `“${field.name}” is ${fieldKindWords(field)}; it can only be equal or not.`, { span });
    if (field.choices || field.kind === 'reference')
      fail('type_mismatch', `“${field.name}” is ${fieldKindWords(field)}; it has no order, so only = and <> fit.`, {
        span,
      });
  }

  /** What stands opposite an operand: a literal of its type, a name for a reference, a field or expression of a like type. */
  private beside(operand: Checked, left: Expression, other: Expression, op: Comparison): Checked {
    const at = fieldIn(operand);
    if (at) {
      if (other.kind === 'literal') return this.literalFor(at, other);
      if (other.kind === 'name') return this.orQuoted(at, other, () => this.otherField(at, other, op));
      if (isMe(other) && at.field.refersTo !== null) return this.meFor(at.field, other);
    }
    const right = this.value(other);
    this.alike(operand, right, left, other);
    return right;
  }

  private alike(a: Checked, b: Checked, left: Expression, right: Expression): void {
    const [x, y] = [typeOf(a), typeOf(b)];
    const time = (t: ValueType): boolean => t === 'date' || t === 'moment';
    if (x === y || x === 'blank' || y === 'blank' || (time(x) && time(y))) {
      if (x === 'list' || x === 'interval')
        fail('type_mismatch', `${x === 'list' ? 'Lists' : 'Intervals'} are compared by functions: A_… and T_….`, {
          span: right.span,
        });
      return;
    }
    fail(
      'type_mismatch',
      `“${clip(print(left))}” is ${valueTypeWords[x]} and “${clip(print(right))}” is ${valueTypeWords[y]}; they cannot be compared.`,
      { span: right.span, suggestions: conversion(right, y, x) },
    );
  }

  private like(e: Extract<Expression, { kind: 'like' }>): Checked {
    const operand = this.value(e.operand);
    if (typeOf(operand) !== 'text')
      fail('type_mismatch', `LIKE compares texts; “${clip(print(e.operand))}” is ${this.words(operand)}.`, {
        span: e.operand.span,
      });
    const literal = patternOf(e.pattern);
    if (!literal) return fail('type_mismatch', "LIKE needs a text such as 'north%'.", { span: e.pattern.span });
    if (/(^|[^\\])(\\\\)*\\$/.test(literal.text))
      fail('bad_value', 'The pattern ends with a single \\, which has nothing to escape.', { span: literal.span });
    return { kind: 'like', operand, pattern: this.value(e.pattern) };
  }

  private words(tree: Checked): string {
    return tree.kind === 'field' ? fieldKindWords(tree.at.field) : valueTypeWords[typeOf(tree)];
  }

  private field(e: Extract<Expression, { kind: 'name' }>): Extract<Checked, { kind: 'field' }> {
    return { kind: 'field', at: this.path(e) };
  }

  private path(e: Extract<Expression, { kind: 'name' }>): FieldPath {
    const column = this.context.column?.(e.path);
    if (column) {
      if (e.isOld || e.isNew) fail('syntax', 'What a file says is neither old nor new.', { span: e.span });
      return column;
    }
    const at = resolvePath(this.catalog, this.type, e.path);
    if (e.isOld) return this.pathBefore(at, e.span);
    if (!e.isNew) return at;
    if (!this.context.ofEdit)
      fail('syntax', 'new(…) is what a job makes of a field: only the formulas and conditions of its edits know it.', {
        span: e.span,
      });
    if (at.through.length > 0)
      fail('syntax', `new(…) takes a field of the record itself, not “${clip(pathText(at))}”.`, { span: e.span });
    return { ...at, isNew: true };
  }

  private pathBefore(at: FieldPath, span: Span): FieldPath {
    // Edits read the record as it was in any case.
    if (this.context.ofEdit) return at;
    if (!this.context.ofRule)
      fail('syntax', 'old(…) is what a field was before it is changed: only rules, and edits, know it.', { span });
    if (at.through.length > 0)
      fail('syntax', `old(…) takes a field of the record itself, not “${clip(pathText(at))}”.`, { span });
    return { ...at, isOld: true };
  }

  private otherField(at: FieldPath, other: Extract<Expression, { kind: 'name' }>, op: Comparison): Checked {
    const right = this.path(other);
    this.ordered(right, op, other.span);
    const [x, y] = [typeOfBase(at.field.base), typeOfBase(right.field.base)];
    const time = (t: ValueType | null): boolean => t === 'date' || t === 'moment';
    const pointsAt = (p: FieldPath): string | null => p.field.refersTo ?? (p.field.kind === 'key' ? p.type.id : null);
    const keys = pointsAt(at) !== null && pointsAt(right) !== null && pointsAt(at) !== pointsAt(right);
    if ((x !== y && !(time(x) && time(y))) || keys)
      fail(
        'type_mismatch',
        `“${at.field.name}” is ${fieldKindWords(at.field)} and “${right.field.name}” is ${fieldKindWords(right.field)}; they cannot be compared.`,
        { span: other.span },
      );
    return { kind: 'field', at: right };
  }

  /** A word that is no field was most likely meant as a text: `status = draft`. */
  private orQuoted(at: FieldPath, other: Extract<Expression, { kind: 'name' }>, work: () => Checked): Checked {
    try {
      return work();
    } catch (error) {
      if (!(error instanceof ProblemError) || error.code !== 'unknown_field' || other.path.length > 1) throw error;
      const [first, ...more] = error.problems;
      const text = other.path[0]!.name;
      const { choices, base, refersTo } = at.field;
      const truth = base === 'yes_no' ? yesNoFor(text) : undefined;
      if (truth)
        throw new ProblemError(
          { ...first, message: `Yes and no are written TRUE and FALSE.`, suggestions: [truth] },
          ...more,
        );
      const known = choices
        ? choices.some((c) => [c.value, c.label].includes(text))
        : base === 'text' || refersTo !== null;
      if (!known) throw error;
      const suggestions = [quote(text), ...(first.suggestions ?? [])];
      throw new ProblemError({ ...first, message: `${first.message} A text stands in quotes.`, suggestions }, ...more);
    }
  }

  /** Neither what the job writes nor what a file says is said of the children. */
  private contextOfChildren(): Context {
    const { column: _, ...context } = this.context;
    return { ...context, ofEdit: false };
  }

  private named({ field }: FieldPath, text: string, span: Span): Checked {
    if (field.base === 'uuid' && uuid.test(text)) return { kind: 'value', dbType: 'uuid', text: text.toLowerCase() };
    return { kind: 'named', question: { typeId: field.refersTo!, text, span }, dbType: field.dbType };
  }

  /** A literal that meets no field. */
  private literal(e: Literal): Checked {
    this.count(e.span);
    const { text, span } = e;
    switch (e.type) {
      case 'null':
        return blank('blank');
      case 'text':
        return { kind: 'value', dbType: 'text', text: canonical('text', text, 'This', span) };
      case 'number':
        return { kind: 'value', dbType: numberType(text), text: canonical('number', text, 'This', span) };
      case 'yes_no':
        return { kind: 'value', dbType: 'boolean', text };
      case 'date':
        return { kind: 'value', dbType: 'date', text: dayOf(text, 'This', span) };
      case 'moment':
        return this.moment(text, 'This', span);
    }
  }

  private moment(text: string, what: string, span: Span): Checked {
    const found = canonicalMoment(text.trim(), this.context.env.timeZone);
    if (found !== undefined) return { kind: 'value', dbType: 'timestamptz', text: found };
    return fail('bad_value', `${what} is a moment such as 2026-05-01T08:00:00Z; “${clip(text)}” is not.`, { span });
  }

  private literalFor(at: FieldPath, literal: Literal): Checked {
    const { field } = at;
    const { text, span } = literal;
    this.count(span);
    if (field.kind === 'reference' && field.refersTo !== null) {
      if (literal.type === 'text') return this.named(at, text, span);
      if (literal.type === 'number' && field.base === 'number')
        return { kind: 'value', dbType: numberType(text), text };
      return mismatch(at, literal);
    }
    if (field.choices) {
      if (literal.type !== 'text') return mismatch(at, literal);
      return { kind: 'value', dbType: field.dbType, text: choiceValue(field, text, span) };
    }
    const kind = ofBase(field.base).literal;
    if (kind === 'time') {
      if (literal.type === 'moment') return this.moment(text, field.label, span);
      if (literal.type !== 'date')
        return mismatch(at, literal, literal.type === 'text' ? timeLiteral(field.base, text) : undefined);
      return { kind: 'value', dbType: 'date', text: dayOf(text, field.label, span) };
    }
    if (literal.type !== kind) return mismatch(at, literal, kind === null ? undefined : insteadOf(kind, text));
    return { kind: 'value', dbType: literalType(field, text), text: canonical(field.base, text, field.label, span) };
  }

  private arithmetic(e: Extract<Expression, { kind: 'arithmetic' }>): Checked {
    const [left, right] = [this.value(e.left), this.value(e.right)];
    const [x, y] = [typeOf(left), typeOf(right)];
    const typed = (tree: Checked, type: ValueType): Checked => (typeOf(tree) === 'blank' ? blank(type) : tree);
    const node = (type: 'number' | 'date', a: ValueType, b: ValueType): Checked => ({
      kind: 'arithmetic',
      op: e.op,
      type,
      left: typed(left, a),
      right: typed(right, b),
    });
    const is = (a: ValueType, b: ValueType): boolean => (x === a || x === 'blank') && (y === b || y === 'blank');
    if (is('number', 'number')) return node('number', 'number', 'number');
    if ((e.op === '+' || e.op === '-') && x === 'date' && is('date', 'number')) return node('date', 'date', 'number');
    if (e.op === '+' && y === 'date' && is('number', 'date'))
      return { kind: 'arithmetic', op: '+', type: 'date', left: right, right: typed(left, 'number') };
    if (e.op === '-' && is('date', 'date')) return node('number', 'date', 'date');
    if (e.op === '+' && x === 'text' && y === 'text')
      fail('type_mismatch', 'Texts are put together with CONCATENATE, not with +.', {
        span: e.span,
        suggestions: [`CONCATENATE(${print(e.left)}, ${print(e.right)})`],
      });
    const culprit = x === 'number' || (x === 'date' && y !== 'number') ? e.right : e.left;
    const what = valueTypeWords[culprit === e.left ? x : y];
    return fail('type_mismatch', `“${clip(print(culprit))}” is ${what}; ${signWords[e.op]}.`, {
      span: culprit.span,
      suggestions: conversion(culprit, culprit === e.left ? x : y, 'number'),
    });
  }

  /** What a field will be once the earlier parts of the job are done; as it is, where they do not write it. */
  private planned(e: Call): Checked {
    const [of] = e.args;
    if (e.args.length !== 1 || of?.kind !== 'name')
      fail('syntax', 'planned(…) takes a field or a path, such as planned(grower.owner).', { span: e.span });
    // Where nothing is written before, it is as it is.
    if (!this.context.ofLaterPart && !this.context.ofEdit)
      fail(
        'syntax',
        'planned(…) is what an earlier part of a job will write: only edits, and filters of later parts, know it.',
        {
          span: e.span,
        },
      );
    return { kind: 'planned', operand: this.field(of) };
  }

  private call(e: Call): Checked {
    if (isMe(e)) return this.meAsKey(e);
    if (e.name === 'in_selection') return this.inSelection(e);
    if (e.name === 'in_run') return this.inRun(e);
    if (e.name === 'breaks_rule') return this.breaksRule(e);
    if (e.name === 'planned') return this.planned(e);
    const children = this.children(e);
    if (children) return children;
    const entry = functionNamed(e.name);
    if (!entry) {
      const names = [
        ...functions.map((f) => f.name),
        ...folds,
        'in_selection',
        'in_run',
        'breaks_rule',
        'me',
        'new',
        'old',
        'planned',
      ];
      return fail('unknown_function', `There is no function “${clip(e.name)}”.`, {
        span: e.nameSpan,
        suggestions: closest(e.name, names),
      });
    }
    if (entry.group === 'Times') return this.times(e, entry);
    if (entry.group === 'Lists') return this.lists(e, entry);
    return this.plainCall(e, entry);
  }

  private plainCall(e: Call, entry: FunctionEntry): Checked {
    const parameters = spread(entry.parameters, e.args.length);
    if (!parameters)
      return fail('syntax', `${entry.name} is written ${signatureOf(entry)}; here are ${e.args.length} values.`, {
        span: e.span,
      });
    // Where values must be of one type, a field among them says what texts mean.
    const guides = new Map<ParameterType, Checked>();
    parameters.forEach((p, i) => {
      const arg = e.args[i]!;
      if ((p.type === 'A' || p.type === 'B') && arg.kind === 'name' && !guides.has(p.type))
        guides.set(p.type, this.value(arg));
    });
    const args = parameters.map((p, i): Checked => {
      const arg = e.args[i]!;
      if (p.oneOf) return this.oneOf(arg, p.oneOf, entry.name);
      if (p.writtenOut) return this.writtenOut(arg, p, entry.name);
      if (p.type === 'list') return this.list(arg.kind === 'list' ? arg.items : [arg], 'date');
      const guide = guides.get(p.type);
      if (guide?.kind === 'field' && arg.kind === 'literal' && arg.type !== 'null')
        return this.literalFor(guide.at, arg);
      return this.value(arg);
    });
    const found = new Map<ParameterType, ValueType>();
    const converted = args.map((arg, i): Checked => {
      const wanted = parameters[i]!.type;
      const type = typeOf(arg);
      if (wanted === 'A' || wanted === 'B') {
        if (type === 'list' || type === 'interval')
          fail('type_mismatch', `${entry.name} does not take ${valueTypeWords[type]}.`, { span: e.args[i]!.span });
        const before = found.get(wanted) ?? 'blank';
        if (type !== 'blank' && before !== 'blank' && type !== before)
          fail(
            'type_mismatch',
            `${entry.name} needs values of one type; this is ${valueTypeWords[type]}, another is ${valueTypeWords[before]}.`,
            {
              span: e.args[i]!.span,
              suggestions: conversion(e.args[i]!, type, before),
            },
          );
        found.set(wanted, type === 'blank' ? before : type);
        return arg;
      }
      return this.asType(takenAs(arg, parameters[i]!), wanted, e.args[i]!, entry.name);
    });
    const result = entry.result === 'A' || entry.result === 'B' ? (found.get(entry.result) ?? 'blank') : entry.result;
    if (result === 'blank') return blank('blank');
    const typed = converted.map((arg, i) => {
      const wanted = parameters[i]!.type;
      if (typeOf(arg) !== 'blank') return arg;
      return blank(wanted === 'A' || wanted === 'B' ? notBlank(found.get(wanted)) : wanted);
    });
    return { kind: 'call', entry, type: result, args: typed };
  }

  private asType(arg: Checked, wanted: ValueType, e: Expression, of: string): Checked {
    const type = typeOf(arg);
    if (type === wanted || type === 'blank') return arg;
    if (wanted === 'date' && type === 'moment') return { kind: 'convert', type: 'date', operand: arg };
    if (wanted === 'moment' && type === 'date') return { kind: 'convert', type: 'moment', operand: arg };
    return fail(
      'type_mismatch',
      `${of} needs ${valueTypeWords[wanted]} here; “${clip(print(e))}” is ${this.words(arg)}.`,
      {
        span: e.span,
        suggestions: conversion(e, type, wanted),
      },
    );
  }

  private writtenOut(arg: Expression, { name }: Parameter, of: string): Checked {
    if (arg.kind === 'literal' && arg.type === 'text') return { kind: 'value', dbType: 'text', text: arg.text };
    return fail('type_mismatch', `${of} needs the ${name} text written out here, in quotes.`, { span: arg.span });
  }

  private oneOf(arg: Expression, texts: readonly string[], of: string): Checked {
    const said = arg.kind === 'literal' && arg.type === 'text' ? arg.text.toLowerCase() : undefined;
    if (said !== undefined && texts.includes(said)) return { kind: 'value', dbType: 'text', text: said };
    return fail('bad_value', `${of} takes here one of ${texts.map(quote).join(', ')}.`, {
      span: arg.span,
      suggestions: (said === undefined ? [] : closest(said, texts)).map(quote),
    });
  }

  private lists(e: Call, entry: FunctionEntry): Checked {
    if (e.args.length !== 2)
      fail('syntax', `${entry.name} is written ${signatureOf(entry)}; here are ${e.args.length} values.`, {
        span: e.span,
      });
    const fields = e.args.map((arg) => (arg.kind === 'name' ? this.value(arg) : null));
    const guide = fields.find((f) => f !== null && typeOf(f) === 'list');
    const item = guide?.kind === 'field' ? guide.at.field.dbType.replace(/\[\]$/, '') : null;
    const args = e.args.map((arg, i): Checked => {
      const field = fields[i];
      if (arg.kind === 'list') return this.list(arg.items, null, item);
      if (field && typeOf(field) === 'list') return field;
      return fail(
        'type_mismatch',
        `${entry.name} compares lists; “${clip(print(arg))}” is none. A list is written ('a', 'b').`,
        {
          span: arg.span,
        },
      );
    });
    return { kind: 'call', entry, type: 'yes_no', args };
  }

  /** Items of one type: the one wanted, that of the field beside it (`dbType`), or that of the first item. */
  private list(items: readonly Expression[], wanted: ValueType | null, dbType: string | null = null): Checked {
    const all = items.map((item) => this.value(item));
    const first = all.map(typeOf).find((t) => t !== 'blank') ?? 'text';
    const itemType = wanted ?? (dbType === null ? first : typeOf({ kind: 'value', dbType, text: '' }));
    all.forEach((item, i) => {
      const type = typeOf(item);
      if (type !== itemType && type !== 'blank')
        fail(
          'type_mismatch',
          `The list is of ${valueTypeWords[itemType]} each; “${clip(print(items[i]!))}” is ${valueTypeWords[type]}.`,
          {
            span: items[i]!.span,
          },
        );
    });
    const typed = all.map((item) => (typeOf(item) === 'blank' ? blank(itemType) : item));
    return { kind: 'list', itemType, dbType: dbType ?? usualDbType[itemType] ?? 'text', items: typed };
  }

  private times(e: Call, entry: FunctionEntry): Checked {
    if (e.args.length !== 2)
      fail('syntax', `${entry.name} is written ${signatureOf(entry)}; here are ${e.args.length} values.`, {
        span: e.span,
      });
    const args = e.args.map((arg) => {
      const tree = this.value(arg);
      const type = typeOf(tree);
      if (type === 'blank') return blank('date');
      if (!['date', 'moment', 'interval'].includes(type))
        fail(
          'type_mismatch',
          `${entry.name} compares dates, moments and intervals; “${clip(print(arg))}” is ${this.words(tree)}.`,
          {
            span: arg.span,
            suggestions: conversion(arg, type, 'date'),
          },
        );
      return tree;
    });
    const grain = (tree: Checked): ValueType => (tree.kind === 'interval' ? tree.of : typeOf(tree));
    const fine = args.some((a) => grain(a) === 'moment');
    return { kind: 'call', entry, type: 'yes_no', args: fine ? args.map(inMoments) : args };
  }

  private interval(e: Extract<Expression, { kind: 'interval' }>): Checked {
    const ends = [e.from, e.to].map((end) => {
      if (end === null) return null;
      const tree = this.value(end);
      const type = typeOf(tree);
      if (type === 'blank') return blank('date');
      if (type !== 'date' && type !== 'moment')
        fail(
          'type_mismatch',
          `An interval is between dates or moments; “${clip(print(end))}” is ${valueTypeWords[type]}.`,
          {
            span: end.span,
          },
        );
      return tree;
    });
    const of = ends.some((end) => end && typeOf(end) === 'moment') ? 'moment' : 'date';
    const [from, to] = ends as [Checked | null, Checked | null];
    const tree = { kind: 'interval', of: 'date', from, to } as const;
    return of === 'date' ? tree : inMoments(tree);
  }

  /** `has(bookings, …)`, `sum(bookings.hives)` …; undefined where it is no question about children. */
  private children(e: Call): Checked | undefined {
    if (!folds.includes(e.name as Fold)) return undefined;
    const fold = e.name as Fold;
    const [first, condition, more] = e.args;
    const isFunction = fold === 'min' || fold === 'max';
    if (first?.kind !== 'name') {
      if (isFunction) return undefined;
      return fail('syntax', `${e.name} needs the records that point at this one first, such as ${e.name}(bookings).`, {
        span: first?.span ?? e.span,
      });
    }
    // MIN and MAX of values are functions too: a field of the record goes before.
    const isField = first.path.length === 1 && this.type.fields.some((f) => f.name === first.path[0]!.name);
    if (isFunction && isField) return undefined;
    const { relation, rest } = relationOf(this.catalog, this.type, first.path, isFunction);
    if (relation === null) return undefined;
    if (more)
      fail('syntax', `${e.name} takes the children and one condition; put AND between several.`, { span: more.span });
    const inner = new Checker(this.catalog, relation.child, this.contextOfChildren(), this.counted);
    const needsValue = fold !== 'has' && fold !== 'count';
    if (needsValue && rest.length === 0)
      fail('syntax', `${e.name} needs a field of theirs, such as ${e.name}(${print(first)}.…).`, { span: first.span });
    if (!needsValue && rest.length > 0)
      fail('syntax', `${e.name} asks about the records; a field has no place here.`, { span: rest[0]!.span });
    const value = needsValue ? inner.value({ kind: 'name', path: rest, span: first.span }) : null;
    const type = value ? typeOf(value) : 'number';
    if ((fold === 'sum' || fold === 'average') && type !== 'number')
      fail('type_mismatch', `${e.name} needs a number; “${rest.at(-1)!.name}” is ${this.words(value!)}.`, {
        span: first.span,
      });
    if (type === 'list' || type === 'yes_no')
      fail('type_mismatch', `“${rest.at(-1)!.name}” is ${valueTypeWords[type]}, which has no order.`, {
        span: first.span,
      });
    return {
      kind: 'children',
      fold,
      type: fold === 'has' ? 'yes_no' : type,
      relation,
      value,
      condition: condition ? inner.condition(condition) : null,
      span: e.span,
    };
  }

  private inSelection(e: Call): Checked {
    const [name, reference, more] = e.args;
    if (name?.kind !== 'literal' || name.type !== 'text' || more)
      return fail(
        'syntax',
        "in_selection needs the name of a saved selection, such as in_selection('north growers').",
        {
          span: name?.span ?? e.span,
        },
      );
    const selection = this.context.selected(name.text, name.span);
    const key = this.keyFor(reference, 'in_selection takes a reference second.');
    const typeId = key === null ? this.type.id : key.field.refersTo;
    if (typeId !== selection.type.id)
      fail(
        'type_mismatch',
        `The selection “${clip(name.text)}” is of ${selection.type.label.toLowerCase()}, not of ${this.catalog.find(typeId ?? '')?.label.toLowerCase() ?? 'what stands here'}.`,
        { span: name.span },
      );
    return { kind: 'selected', name: name.text, key, selection };
  }

  /** The reference that is asked about; null: the record itself. */
  private keyFor(reference: Expression | undefined, otherwise: string): FieldPath | null {
    if (reference === undefined) return null;
    if (reference.kind === 'name') return this.path(reference);
    return fail('type_mismatch', otherwise, { span: reference.span });
  }

  private inRun(e: Call): Checked {
    const [id, said, reference, more] = e.args;
    if (id?.kind !== 'literal' || id.type !== 'text' || more)
      return fail('syntax', "in_run needs the id of a run, such as in_run('23207c76', 'changed').", {
        span: id?.span ?? e.span,
      });
    const outcome =
      said === undefined ? 'changed' : (this.oneOf(said, outcomes, 'in_run') as { readonly text: Outcome }).text;
    const run = this.context.run(id.text, id.span);
    const key = this.keyFor(reference, 'in_run takes a reference third.');
    const type = this.catalog.find(key === null ? this.type.id : (key.field.refersTo ?? ''));
    if (!type || !run.types.includes(type.id))
      return fail(
        'type_mismatch',
        `The run ${clip(id.text)} is of ${run.types.map((t) => this.catalog.find(t)?.label.toLowerCase() ?? t).join(' and ')}, not of ${type?.label.toLowerCase() ?? 'what stands here'}.`,
        { span: id.span },
      );
    const none = { related: null, condition: null, source: null, list: null, take: null, keys: null, drop: null };
    const selection = { type, ...none, env: this.context.env, ofRun: { id: run.id, outcome } };
    return { kind: 'selected', name: id.text, key, selection };
  }

  private breaksRule(e: Call): Checked {
    const [name, more] = e.args;
    if (name?.kind !== 'literal' || name.type !== 'text' || more)
      return fail('syntax', "breaks_rule needs the name of a rule, such as breaks_rule('active growers exist').", {
        span: name?.span ?? e.span,
      });
    const { type, rule } = this.context.rule(name.text, name.span);
    if (type !== this.type.id)
      fail(
        'type_mismatch',
        `The rule “${clip(name.text)}” is of ${this.catalog.type(type).label.toLowerCase()}, not of ${this.type.label.toLowerCase()}.`,
        { span: name.span },
      );
    if (rule.ofChange)
      fail('type_mismatch', `The rule “${clip(name.text)}” is about changes, so no record breaks it by itself.`, {
        span: name.span,
      });
    return { kind: 'breaks', name: rule.name, operand: rule.broken };
  }

  private me(e: Expression): Me {
    const none =
      'This account stands for no person’s record, so me() means nobody; an administrator can say whose it is.';
    return this.context.me ?? fail('not_permitted', none, { span: e.span });
  }

  /** The key of the person's own record, where a reference is compared. */
  private meFor(field: Field, e: Expression): Checked {
    const me = this.me(e);
    if (field.refersTo !== me.type) {
      const label = (id: string | null): string => this.catalog.find(id ?? '')?.label.toLowerCase() ?? 'another type';
      fail('type_mismatch', `me() is one of ${label(me.type)}; ${field.name} points at ${label(field.refersTo)}.`, {
        span: e.span,
      });
    }
    return { kind: 'value', dbType: field.dbType, text: me.key };
  }

  private meAsKey(e: Expression): Checked {
    const { type, key } = this.me(e);
    const field = this.catalog.find(type)?.fields.find((f) => f.kind === 'key');
    return { kind: 'value', dbType: field?.dbType ?? 'text', text: key };
  }

  private count(span: Span): void {
    if (++this.counted.values > mostValues)
      fail('too_long', `A filter may hold ${mostValues} values; this has more.`, { span });
  }
}

const mirrored: Record<Comparison, Comparison> = { '=': '=', '<>': '<>', '<': '>', '<=': '>=', '>': '<', '>=': '<=' };
const uuid = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;
const usualDbType: Partial<Record<ValueType, string>> = {
  number: 'numeric',
  yes_no: 'boolean',
  date: 'date',
  moment: 'timestamptz',
};
const signWords: Record<Arithmetic, string> = {
  '+': 'only numbers are added, and days to a date',
  '-': 'only numbers, days and dates are subtracted',
  '*': 'only numbers are multiplied',
  '/': 'only numbers are divided',
  '%': 'only numbers are divided',
  div: 'only numbers are divided',
  '^': 'only numbers have powers',
};
/** The field that an operand is, as it is or as a job will leave it: what stands opposite it is said as a value of that field. */
function fieldIn(operand: Checked): FieldPath | null {
  const tree = operand.kind === 'planned' ? operand.operand : operand;
  return tree.kind === 'field' ? tree.at : null;
}

function isNull(e: Expression): boolean {
  return e.kind === 'literal' && e.type === 'null';
}

function isMe(e: Expression): boolean {
  return e.kind === 'call' && e.name === 'me' && e.args.length === 0;
}

function blank(type: ValueType): Checked {
  return { kind: 'null', type };
}

function notBlank(type: ValueType | undefined): ValueType {
  return type === undefined || type === 'blank' ? 'text' : type;
}

/** The text inside CASEI and ACCENTI that a LIKE compares with. */
function patternOf(e: Expression): Literal | undefined {
  if (e.kind === 'literal') return e.type === 'text' ? e : undefined;
  return e.kind === 'call' && (e.name === 'casei' || e.name === 'accenti') && e.args.length === 1
    ? patternOf(e.args[0]!)
    : undefined;
}

/** A value of another type that a parameter takes all the same. */
function takenAs(arg: Checked, { takes, type: wanted }: Parameter): Checked {
  const type = typeOf(arg);
  if (takes === undefined || type === wanted || type === 'blank' || type === 'list' || type === 'interval') return arg;
  if (takes === 'any') return { kind: 'call', entry: functionNamed('text')!, type: 'text', args: [arg] };
  const zero: Checked = { kind: 'value', dbType: 'bigint', text: '0' };
  return type === 'number' ? { kind: 'compare', op: '<>', left: arg, right: zero } : arg;
}

/** A day as it is written here; of another writing, what it could mean. */
function dayOf(text: string, what: string, span: Span): string {
  const [, a, b, year] = /^\s*(\d{1,2})[/.-](\d{1,2})[/.-](\d{4})\s*$/.exec(text) ?? [];
  if (year === undefined) return canonical('date', text, what, span);
  const days = [
    `${year}-${b!.padStart(2, '0')}-${a!.padStart(2, '0')}`,
    `${year}-${a!.padStart(2, '0')}-${b!.padStart(2, '0')}`,
  ];
  return fail(
    'bad_value',
    `${what} is a date such as 2026-05-01, year first; “${clip(text)}” could be read in two ways.`,
    {
      span,
      suggestions: [...new Set(days)].filter(isDay).map((day) => `DATE('${day}')`),
    },
  );
}

/** A day beside moments means all of it, from its first moment to its last. */
function inMoments(tree: Checked): Checked {
  const convert = (end: Checked | null, last: boolean): Checked | null =>
    end === null || typeOf(end) === 'moment'
      ? end
      : { kind: 'convert', type: 'moment', ...(last ? { last: true } : {}), operand: end };
  if (tree.kind === 'interval')
    return { kind: 'interval', of: 'moment', from: convert(tree.from, false), to: convert(tree.to, true) };
  if (typeOf(tree) !== 'date') return tree;
  return { kind: 'interval', of: 'moment', from: convert(tree, false), to: convert(tree, true) };
}

/** A text beside a field is compared as the field compares: citext, wherever its extension lives, without case. */
/** What could stand in the place of a literal of another type. */
function insteadOf(kind: 'text' | 'number' | 'yes_no', text: string): string | undefined {
  if (kind === 'text') return `'${text}'`;
  return kind === 'yes_no' ? yesNoFor(text) : /^-?\d+(\.\d+)?$/.test(text) ? text : undefined;
}

/** The database's type of a literal beside a field: the field's own, but for numbers, which may be larger. */
function literalType(field: Field, text: string): string {
  const { valueType } = ofBase(field.base);
  if (valueType === 'number') return numberType(text);
  return field.base === 'text' ? textType(field) : field.dbType;
}

function textType({ dbType }: Field): string {
  return /(^|\.)citext$/.test(dbType) ? dbType : 'text';
}
