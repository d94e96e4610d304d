/**
 * A piece of SQL with its values apart. Pieces are put together only from literal program text, from
 * `identifier` (names out of the catalog) and from `value` (everything a person typed).
 */
export type Sql = { readonly pieces: readonly (string | SqlParameter | Sql)[] };
export interface SqlParameter {
  readonly parameter: unknown;
}

/** Template tag: interpolations must be pieces themselves, so a bare string cannot slip into the text. */
export function sql(literals: TemplateStringsArray, ...pieces: Sql[]): Sql {
  return { pieces: literals.flatMap((text, i) => (i < pieces.length ? [text, pieces[i]!] : [text])) };
}

/** A value, travelling as a parameter. */
export function value(v: unknown): Sql {
  return { pieces: [{ parameter: v }] };
}

/** A name from the catalog, quoted. */
export function identifier(...names: string[]): Sql {
  return raw(names.map((n) => `"${n.replaceAll('"', '""')}"`).join('.'));
}

/** Text of the program or of the database's own catalog (type names, conditions); never of a person. */
export function raw(text: string): Sql {
  return { pieces: [text] };
}

export function join(pieces: readonly Sql[], separator: string): Sql {
  return { pieces: pieces.flatMap((piece, i) => (i === 0 ? [piece] : [separator, piece])) };
}

/** Text with `$1`, `$2`… and the values in that order, as node-postgres takes them. */
export function render(piece: Sql): { text: string; values: unknown[] } {
  const values: unknown[] = [];
  const texts: string[] = [];
  const walk = (p: Sql): void => {
    for (const part of p.pieces) {
      if (typeof part === 'string') texts.push(part);
      else if ('parameter' in part) texts.push(`$${values.push(part.parameter)}`);
      else walk(part);
    }
  };
  walk(piece);
  return { text: texts.join(''), values };
}
