import type { RecordType } from '../catalog/catalog';
import { identifier, join, raw, sql, value, type Sql } from '../sql/sql';
import type { Checked, FieldPath, Step } from './checked';

/** The table aliases of one statement: `r` for the record, `j1`, `j2`… for each path prefix that is joined. */
export class Scope {
  private readonly aliases = new Map<string, { alias: Sql; parent: Sql; step: Step }>();
  readonly root = identifier('r');

  constructor(readonly type: RecordType) {}

  /** The column a path ends in; joins what it passes through, once per prefix. */
  column(path: FieldPath): Sql {
    let here = this.root;
    let prefix = '';
    for (const step of path.through) {
      prefix += `.${step.field.name}`;
      const known = this.aliases.get(prefix) ?? { alias: identifier(`j${this.aliases.size + 1}`), parent: here, step };
      this.aliases.set(prefix, known);
      here = known.alias;
    }
    return sql`${here}.${identifier(path.field.name)}`;
  }

  /** `table r left join …`, to be asked for after every column has been. */
  from(): Sql {
    return sql`${tableOf(this.type)} ${this.root}${this.joins()}`;
  }

  /** The left joins alone. */
  joins(): Sql {
    const joins = [...this.aliases.values()].map(
      ({ alias, parent, step }) =>
        sql` left join ${tableOf(step.type)} ${alias} on ${alias}.${identifier(step.type.key!)} = ${parent}.${identifier(step.field.name)}`,
    );
    return join(joins, '');
  }
}

export function tableOf(type: RecordType): Sql {
  return identifier(type.schema, type.table);
}

/** A checked and bound tree as SQL; values only as parameters. */
export function emit(tree: Checked, scope: Scope): Sql {
  switch (tree.kind) {
    case 'field':
      return scope.column(tree.at);
    case 'value':
      return literal(tree);
    case 'named':
      throw new Error(`The name “${tree.question.text}” was not bound.`);
    case 'blank':
      return blank(tree.operand, scope);
    case 'not':
      return sql`(not ${emit(tree.operand, scope)})`;
    case 'and':
    case 'or':
      return sql`(${join(
        tree.operands.map((o) => emit(o, scope)),
        ` ${tree.kind} `,
      )})`;
    case 'compare':
      return sql`(${emit(tree.left, scope)} ${raw(tree.op)} ${emit(tree.right, scope)})`;
    case 'in':
      return inList(tree, scope);
    case 'between':
      return sql`(${emit(tree.operand, scope)} ${not(tree)}between ${emit(tree.low, scope)} and ${emit(tree.high, scope)})`;
    case 'like':
      return sql`(${emit(tree.operand, scope)}::text ${not(tree)}like ${emit(tree.pattern, scope)})`;
    case 'isNull':
      return sql`(${emit(tree.operand, scope)} is ${not(tree)}null)`;
  }
}

function literal(tree: Extract<Checked, { kind: 'value' }>): Sql {
  if (tree.dbType === 'timestamp') return sql`(${value(tree.text)}::timestamptz at time zone 'UTC')`;
  return sql`${value(tree.text)}::${raw(tree.dbType)}`;
}

/** A list of plain values travels as one array; fields in a list are compared one by one. */
function inList(tree: Extract<Checked, { kind: 'in' }>, scope: Scope): Sql {
  const operand = emit(tree.operand, scope);
  const texts = new Map<string, string[]>();
  const others: Sql[] = [];
  for (const item of tree.list) {
    if (item.kind !== 'value' || item.dbType === 'timestamp') others.push(emit(item, scope));
    else texts.set(item.dbType, [...(texts.get(item.dbType) ?? []), item.text]);
  }
  const tests = [
    ...[...texts].map(([dbType, list]) => sql`${operand} = any(${value(list)}::text[]::${raw(dbType)}[])`),
    ...others.map((other) => sql`${operand} = ${other}`),
  ];
  const any = sql`(${join(tests, ' or ')})`;
  return tree.negated ? sql`(not ${any})` : any;
}

/** Null or, for texts, empty. */
function blank(operand: Checked, scope: Scope): Sql {
  const column = emit(operand, scope);
  const isText = operand.kind === 'field' && operand.at.field.base === 'text' && !operand.at.field.choices;
  return isText ? sql`(${column} is null or ${column} = '')` : sql`(${column} is null)`;
}

function not(tree: { negated: boolean }): Sql {
  return raw(tree.negated ? 'not ' : '');
}
