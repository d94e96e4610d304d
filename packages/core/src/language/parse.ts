import { clip } from '../catalog/catalog';
import { closest } from '../catalog/closest';
import { fail, type Span } from '../problem';
import { scan, type Token } from './scan';
import { mostNesting, type Comparison, type Expression, type Part } from './syntax';

/** CQL2 text to its syntax tree. Throws one problem with its span: `syntax`, `too_deep` or `too_long`. */
export function parse(source: string): Expression {
  const parser = new Parser(scan(source));
  const tree = parser.or();
  parser.end();
  return tree;
}

const comparisons = new Set(['=', '<>', '<', '<=', '>', '>=']);
const reserved = new Set(['and', 'or', 'not', 'in', 'between', 'like', 'is', 'null', 'true', 'false']);

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
    const near = token.kind === 'word' ? closest(token.text, ['AND', 'OR', 'IN', 'LIKE', 'BETWEEN', 'IS']) : [];
    fail('syntax', `Expected AND, OR or the end, but found “${clip(token.text)}”.`, {
      span: token.span,
      suggestions: near,
    });
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
    const open = this.peek();
    if (open.kind === 'symbol' && open.text === '(') {
      this.at++;
      const inner = this.nested(open.span, () => this.or());
      this.symbol(')', open.span);
      return inner;
    }
    const operand = this.operand();
    const next = this.peek();
    if (next.kind === 'symbol' && comparisons.has(next.text)) {
      this.at++;
      const right = this.operand();
      return {
        kind: 'compare',
        op: next.text as Comparison,
        left: operand,
        right,
        span: cover(operand.span, right.span),
      };
    }
    if (this.takeWord('is')) return this.isNull(operand);
    const negated = this.takeWord('not') !== undefined;
    if (this.takeWord('in')) return this.inList(operand, negated);
    if (this.takeWord('between')) return this.between(operand, negated);
    if (this.takeWord('like')) {
      const pattern = this.operand();
      return { kind: 'like', negated, operand, pattern, span: cover(operand.span, pattern.span) };
    }
    if (negated) fail('syntax', 'After NOT here, expected IN, BETWEEN or LIKE.', { span: this.peek().span });
    if (operand.kind === 'name' || (operand.kind === 'literal' && operand.type === 'yes_no')) return operand;
    return fail('syntax', 'A condition is missing after this value, such as = or IN.', { span: operand.span });
  }

  private isNull(operand: Expression): Expression {
    const negated = this.takeWord('not') !== undefined;
    const last = this.takeWord('null');
    if (!last)
      fail('syntax', 'After IS, expected NULL or NOT NULL.', { span: this.peek().span, suggestions: ['NULL'] });
    return { kind: 'isNull', negated, operand, span: cover(operand.span, last.span) };
  }

  private inList(operand: Expression, negated: boolean): Expression {
    const open = this.symbol('(');
    const list = [this.operand()];
    while (this.takeSymbol(',')) list.push(this.operand());
    const close = this.symbol(')', open.span);
    return { kind: 'in', negated, operand, list, span: cover(operand.span, close.span) };
  }

  private between(operand: Expression, negated: boolean): Expression {
    const low = this.operand();
    if (!this.takeWord('and'))
      fail('syntax', 'BETWEEN needs two values with AND between them.', { span: this.peek().span });
    const high = this.operand();
    return { kind: 'between', negated, operand, low, high, span: cover(operand.span, high.span) };
  }

  /** A value or a path: what stands on either side of a comparison. */
  private operand(): Expression {
    const token = this.next();
    switch (token.kind) {
      case 'text':
        return { kind: 'literal', type: 'text', text: token.text, span: token.span };
      case 'number':
        return { kind: 'literal', type: 'number', text: token.text, span: token.span };
      case 'quoted':
        return this.path(token);
      case 'symbol':
        if (token.text === '-' || token.text === '+') return this.signed(token);
        break;
      case 'word': {
        const lower = token.text.toLowerCase();
        if (lower === 'true' || lower === 'false')
          return { kind: 'literal', type: 'yes_no', text: lower, span: token.span };
        if ((lower === 'date' || lower === 'timestamp') && this.isSymbol('('))
          return this.temporal(token, lower === 'date' ? 'date' : 'moment');
        if (lower === 'null')
          return fail('syntax', 'NULL is not compared with; write IS NULL or IS NOT NULL.', { span: token.span });
        if (!reserved.has(lower)) return this.path(token);
        break;
      }
      case 'end':
        return fail('syntax', 'The text ends where a field or a value is expected.', { span: token.span });
    }
    return fail('syntax', `Expected a field or a value, but found “${clip(token.text)}”.`, { span: token.span });
  }

  private signed(sign: Token): Expression {
    const token = this.next();
    if (token.kind !== 'number') fail('syntax', `Expected a number after “${sign.text}”.`, { span: token.span });
    return {
      kind: 'literal',
      type: 'number',
      text: sign.text === '-' ? `-${token.text}` : token.text,
      span: cover(sign.span, token.span),
    };
  }

  private temporal(name: Token, type: 'date' | 'moment'): Expression {
    const open = this.symbol('(');
    const token = this.next();
    if (token.kind !== 'text')
      fail(
        'syntax',
        `${name.text.toUpperCase()} needs a text such as ${type === 'date' ? "'2026-05-01'" : "'2026-05-01T08:00:00Z'"}.`,
        {
          span: token.span,
        },
      );
    const close = this.symbol(')', open.span);
    return { kind: 'literal', type, text: token.text, span: cover(name.span, close.span) };
  }

  private path(first: Token): Expression {
    const parts: Part[] = [{ name: first.text, span: first.span }];
    if (first.kind === 'word' && this.isSymbol('('))
      fail('syntax', `There is no function “${clip(first.text)}” yet.`, { span: first.span });
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
    if (++this.depth > mostNesting)
      fail('too_deep', `Brackets and NOTs may be nested ${mostNesting} deep; this is one more.`, { span });
    const result = work();
    this.depth--;
    return result;
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

function cover(a: Span, b: Span): Span {
  return { start: a.start, end: b.end };
}
