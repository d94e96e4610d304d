import { clip } from '../catalog/catalog';
import { closest } from '../catalog/closest';
import { fail, type Span } from '../problem';
import { quote } from './print';
import { scan, type Token } from './scan';
import {
  canonicalDigits,
  comparisons,
  mostNesting,
  reservedWords,
  type Arithmetic,
  type Comparison,
  type Expression,
  type LiteralType,
  type Part,
  called,
} from './syntax';

/** CQL2 text to its syntax tree. Throws one problem with its span: `syntax`, `too_deep` or `too_long`. */
export function parse(source: string): Expression {
  const parser = new Parser(scan(source));
  const tree = parser.or();
  parser.end();
  return tree;
}

const signs: ReadonlySet<string> = new Set(comparisons);

/** Loosest first: OR, AND, NOT, comparison, + -, * / % div, ^, sign. */
class Parser {
  private at = 0;
  private depth = 0;
  constructor(private readonly tokens: readonly Token[]) {}

  or(): Expression {
    return this.chain('or', () => this.chain('and', () => this.not()));
  }

  end(): void {
    const token = this.peek();
    if (token.kind === 'end') return;
    this.refuseHabit(token);
    const near = token.kind === 'word' ? closest(token.text, ['AND', 'OR', 'IN', 'LIKE', 'BETWEEN', 'IS']) : [];
    fail('syntax', `Expected AND, OR or the end, but found “${clip(token.text)}”.`, {
      span: token.span,
      suggestions: near,
    });
  }

  /** What people write out of habit where the text should go on with AND or end, and what is written for it here. */
  private refuseHabit(token: Token): void {
    const before = this.tokens[this.at - 1];
    const after = this.tokens[this.at + 1];
    if (!before || before.kind === 'end') return;
    const touches = before.span.end === token.span.start;
    const instead = (message: string, span: Span, ...suggestions: string[]): never =>
      fail('syntax', message, { span, suggestions });
    if (token.text === ',' && touches && before.kind === 'number' && /^\d{3}$/.test(after?.text ?? '')) {
      const span = cover(before.span, after!.span);
      instead('Numbers are written without commas.', span, `${before.text}${after!.text}`);
    }
    if (token.kind !== 'word') return;
    const word = token.text.toLowerCase();
    if (before.kind === 'number' && /^(day|week|month|year|hour)s?$/.test(word)) {
      const span = cover(before.span, token.span);
      if (word.startsWith('day')) instead('Days are added to a date as a number.', span, before.text);
      if (word.startsWith('week')) instead('Weeks are written as days.', span, String(Number(before.text) * 7));
      instead('Months and years are added with EDATE, such as EDATE(TODAY(), 1).', span);
    }
    const tests: Readonly<Record<string, string>> = { contains: 'contains', starts: 'starts_with', ends: 'ends_with' };
    if (before.kind !== 'word' && before.kind !== 'quoted') return;
    const test = tests[word.replace(/_with$/, '')];
    const value = after?.kind === 'word' && after.text.toLowerCase() === 'with' ? this.tokens[this.at + 2] : after;
    if (test && value?.kind === 'text') {
      const from = this.pathStart(this.at - 1);
      const path = this.tokens.slice(from, this.at).map(written).join('');
      const span = cover(this.tokens[from]!.span, value.span);
      instead(`${test} is a function.`, span, `${test}(${path}, ${written(value)})`);
    }
    if (!reservedWords.has(word) && before.kind === 'word') {
      const span = cover(before.span, token.span);
      instead(
        'A name of several words stands in double quotes.',
        span,
        `${before.text}_${token.text}`,
        `"${before.text} ${token.text}"`,
      );
    }
  }

  /** Where the path that ends at this token begins. */
  private pathStart(last: number): number {
    let at = last;
    while (at >= 2 && this.tokens[at - 1]!.text === '.' && this.tokens[at - 1]!.kind === 'symbol') at -= 2;
    return at;
  }

  private chain(kind: 'and' | 'or', operand: () => Expression): Expression {
    const operands = [operand()];
    while (this.takeWord(kind)) operands.push(operand());
    if (operands.length === 1) return operands[0]!;
    return { kind, operands, span: cover(operands[0]!.span, operands.at(-1)!.span) };
  }

  private not(): Expression {
    const start = this.takeWord('not');
    if (!start) return this.predicate();
    return this.nested(start.span, () => {
      const operand = this.not();
      return { kind: 'not', operand, span: cover(start.span, operand.span) };
    });
  }

  private predicate(): Expression {
    const operand = this.sum();
    const next = this.peek();
    if (next.kind === 'symbol' && signs.has(next.text)) {
      this.at++;
      const right = this.sum();
      const span = cover(operand.span, right.span);
      return { kind: 'compare', op: next.text as Comparison, left: operand, right, span };
    }
    if (this.takeWord('is')) return this.isNull(operand);
    const negated = this.takeWord('not');
    const not = (e: Expression): Expression => (negated ? { kind: 'not', operand: e, span: e.span } : e);
    if (this.takeWord('in')) return not(this.inList(operand));
    if (this.takeWord('between')) return not(this.between(operand));
    if (this.takeWord('like')) {
      const pattern = this.sum();
      return not({ kind: 'like', operand, pattern, span: cover(operand.span, pattern.span) });
    }
    if (negated) fail('syntax', 'After NOT here, expected IN, BETWEEN or LIKE.', { span: this.peek().span });
    return operand;
  }

  private isNull(operand: Expression): Expression {
    const negated = this.takeWord('not');
    const last = this.takeWord('null');
    if (!last) {
      const { span, text } = this.peek();
      const isBlank = /^(empty|blank|missing|none|nothing|unset|undefined)$/i.test(text);
      return fail('syntax', `${isBlank ? 'Blank is written NULL' : 'After IS, expected NULL or NOT NULL'}.`, {
        span,
        suggestions: ['NULL'],
      });
    }
    const span = cover(operand.span, last.span);
    const isNull: Expression = { kind: 'isNull', operand, span };
    return negated ? { kind: 'not', operand: isNull, span } : isNull;
  }

  private inList(operand: Expression): Expression {
    if (!this.isSymbol('(')) this.refuseBareList();
    const open = this.symbol('(');
    const list: Expression[] = [];
    if (!this.isSymbol(')'))
      do list.push(this.sum());
      while (this.takeSymbol(','));
    const close = this.symbol(')', open.span);
    return { kind: 'in', operand, list, span: cover(operand.span, close.span) };
  }

  /** `IN 'a', 'b'`: the values that follow belong in brackets. */
  private refuseBareList(): void {
    const first = this.peek();
    if (first.kind !== 'text' && first.kind !== 'number') return;
    const items = [this.next()];
    while (this.takeSymbol(',') && ['text', 'number'].includes(this.peek().kind)) items.push(this.next());
    fail('syntax', 'The values after IN stand in brackets.', {
      span: cover(first.span, items.at(-1)!.span),
      suggestions: [`(${items.map(written).join(', ')})`],
    });
  }

  private between(operand: Expression): Expression {
    const low = this.sum();
    if (!this.takeWord('and'))
      fail('syntax', 'BETWEEN needs two values with AND between them.', { span: this.peek().span });
    const high = this.sum();
    return { kind: 'between', operand, low, high, span: cover(operand.span, high.span) };
  }

  private sum(): Expression {
    return this.leftward(
      () => this.product(),
      () => this.takeSymbol('+') ?? this.takeSymbol('-'),
    );
  }

  private product(): Expression {
    return this.leftward(
      () => this.power(),
      () => this.takeSymbol('*') ?? this.takeSymbol('/') ?? this.takeSymbol('%') ?? this.takeWord('div'),
    );
  }

  private power(): Expression {
    const base = this.signed();
    if (!this.takeSymbol('^')) return base;
    const exponent = this.signed();
    const again = this.peek();
    if (again.kind === 'symbol' && again.text === '^')
      fail('syntax', 'Which ^ goes first? Put brackets around one of them.', { span: again.span });
    return { kind: 'arithmetic', op: '^', left: base, right: exponent, span: cover(base.span, exponent.span) };
  }

  /** `a - b + c` as `(a - b) + c`; each step is one deeper. */
  private leftward(operand: () => Expression, operator: () => Token | undefined): Expression {
    let left = operand();
    let steps = 0;
    for (let token = operator(); token; token = operator()) {
      this.deeper(token.span);
      steps++;
      const right = operand();
      const op = token.text.toLowerCase() as Arithmetic;
      left = { kind: 'arithmetic', op, left, right, span: cover(left.span, right.span) };
    }
    this.depth -= steps;
    return left;
  }

  private signed(): Expression {
    const sign = this.takeSymbol('-') ?? this.takeSymbol('+');
    if (!sign) return this.primary();
    return this.nested(sign.span, () => {
      const operand = this.signed();
      const span = cover(sign.span, operand.span);
      if (sign.text === '+') return { ...operand, span };
      if (operand.kind === 'literal' && operand.type === 'number')
        return { ...operand, text: canonicalDigits(negative(operand.text), span), span };
      const minusOne: Expression = { kind: 'literal', type: 'number', text: '-1', span: sign.span };
      return { kind: 'arithmetic', op: '*', left: minusOne, right: operand, span };
    });
  }

  /** A value, a path, a function, or anything in brackets; several things in brackets are a list. */
  private primary(): Expression {
    const token = this.next();
    switch (token.kind) {
      case 'text':
        return literal('text', token.text, token.span);
      case 'number':
        this.refuseBareDate(token);
        return literal('number', canonicalDigits(token.text, token.span), token.span);
      case 'quoted':
        return this.path(token);
      case 'symbol':
        if (token.text === '(') return this.bracket(token);
        break;
      case 'word': {
        const lower = token.text.toLowerCase();
        if (lower === 'true' || lower === 'false') return literal('yes_no', lower, token.span);
        if (lower === 'null') return literal('null', '', token.span);
        if (this.isSymbol('(') && !reservedWords.has(lower)) return this.call(token, lower);
        if (!reservedWords.has(lower)) return this.path(token);
        break;
      }
      case 'end':
        return fail('syntax', 'The text ends where a field or a value is expected.', { span: token.span });
    }
    return fail('syntax', `Expected a field or a value, but found “${clip(token.text)}”.`, { span: token.span });
  }

  /** `2026-05-01` would be a subtraction: nobody means it. */
  private refuseBareDate(year: Token): void {
    const [minus, month, again, day] = this.tokens.slice(this.at, this.at + 4);
    const text = [year, minus, month, again, day].map((t) => t?.text ?? '').join('');
    if (!/^\d{4}-\d{2}-\d{2}$/.test(text) || day!.span.end - year.span.start !== 10) return;
    fail('syntax', 'A date is written as DATE and a text.', {
      span: cover(year.span, day!.span),
      suggestions: [`DATE('${text}')`],
    });
  }

  private bracket(open: Token): Expression {
    return this.nested(open.span, () => {
      const none = this.takeSymbol(')');
      if (none) return { kind: 'list', items: [], span: cover(open.span, none.span) };
      const first = this.or();
      if (!this.isSymbol(',')) {
        this.symbol(')', open.span);
        return first;
      }
      const items = [first];
      while (this.takeSymbol(',')) items.push(this.or());
      const close = this.symbol(')', open.span);
      return { kind: 'list', items, span: cover(open.span, close.span) };
    });
  }

  private call(name: Token, lower: string): Expression {
    if (lower === 'date' || lower === 'timestamp') return this.temporal(name, lower === 'date' ? 'date' : 'moment');
    const open = this.symbol('(');
    return this.nested(open.span, () => {
      const args: Expression[] = [];
      if (!this.isSymbol(')'))
        do args.push(this.argument(lower));
        while (this.takeSymbol(','));
      const close = this.symbol(')', open.span);
      const span = cover(name.span, close.span);
      if (lower === 'interval') return interval(args, span);
      return called(lower, name.span, args, span);
    });
  }

  /** Functions that compare lists take one thing in brackets for a list of one. */
  private argument(of: string): Expression {
    if (!of.startsWith('a_') || !this.isSymbol('(')) return this.or();
    const open = this.next();
    return this.nested(open.span, () => {
      const items: Expression[] = [];
      if (!this.isSymbol(')'))
        do items.push(this.or());
        while (this.takeSymbol(','));
      const close = this.symbol(')', open.span);
      return { kind: 'list', items, span: cover(open.span, close.span) };
    });
  }

  private temporal(name: Token, type: 'date' | 'moment'): Expression {
    const open = this.symbol('(');
    const token = this.next();
    if (token.kind !== 'text')
      fail(
        'syntax',
        `${name.text.toUpperCase()} needs a text such as ${type === 'date' ? "'2026-05-01'" : "'2026-05-01T08:00:00Z'"}.`,
        { span: token.span },
      );
    const close = this.symbol(')', open.span);
    return literal(type, token.text, cover(name.span, close.span));
  }

  private path(first: Token): Expression {
    const parts: Part[] = [{ name: first.text, span: first.span }];
    while (this.takeSymbol('.')) {
      const token = this.next();
      if (token.kind !== 'word' && token.kind !== 'quoted')
        fail('syntax', 'Expected a field name after the point.', { span: token.span });
      parts.push({ name: token.text, span: token.span });
      if (parts.length > mostNesting) fail('too_deep', `A path may have ${mostNesting} steps.`, { span: token.span });
    }
    return { kind: 'name', path: parts, span: cover(first.span, parts.at(-1)!.span) };
  }

  private nested<T>(span: Span, work: () => T): T {
    this.deeper(span);
    const result = work();
    this.depth--;
    return result;
  }

  private deeper(span: Span): void {
    if (++this.depth > mostNesting)
      fail('too_deep', `Brackets, NOTs and calculations may be nested ${mostNesting} deep; this is one more.`, {
        span,
      });
  }

  private peek(): Token {
    return this.tokens[this.at]!;
  }

  private next(): Token {
    const token = this.tokens[this.at]!;
    if (token.kind !== 'end') this.at++;
    return token;
  }

  private isSymbol(text: string): boolean {
    const token = this.peek();
    return token.kind === 'symbol' && token.text === text;
  }

  private takeSymbol(text: string): Token | undefined {
    return this.isSymbol(text) ? this.next() : undefined;
  }

  private takeWord(text: string): Token | undefined {
    const token = this.peek();
    return token.kind === 'word' && token.text.toLowerCase() === text ? this.next() : undefined;
  }

  private symbol(text: string, opened?: Span): Token {
    const token = this.takeSymbol(text);
    if (token) return token;
    const found = this.peek();
    const what = found.kind === 'end' ? 'the text ends' : `found “${clip(found.text)}”`;
    return fail('syntax', opened ? `This “(” is not closed: ${what}.` : `Expected “${text}”, but ${what}.`, {
      span: opened ?? found.span,
    });
  }
}

function literal(type: LiteralType, text: string, span: Span): Expression {
  return { kind: 'literal', type, text, span };
}

function negative(digits: string): string {
  return digits.startsWith('-') ? digits.slice(1) : `-${digits}`;
}

/** `INTERVAL('2026-01-01', '..')`: texts become dates or moments, `..` an open end. */
export function interval(args: readonly Expression[], span: Span): Expression {
  if (args.length !== 2) fail('syntax', "INTERVAL needs two ends, such as INTERVAL('2026-05-01', '..').", { span });
  const [from, to] = args.map((e) => {
    if (e.kind !== 'literal' || e.type !== 'text') return e;
    if (e.text === '..') return null;
    return literal(/[T ]/i.test(e.text.trim()) ? 'moment' : 'date', e.text, e.span);
  }) as [Expression | null, Expression | null];
  return { kind: 'interval', from, to, span };
}

/** A token as it stands in a text. */
function written(token: Token): string {
  if (token.kind === 'text') return quote(token.text);
  return token.kind === 'quoted' ? `"${token.text.replaceAll('"', '""')}"` : token.text;
}

function cover(a: Span, b: Span): Span {
  return { start: a.start, end: b.end };
}
