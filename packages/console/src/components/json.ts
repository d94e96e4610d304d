/** JSON with a line for each member, by its text alone: digits, double names and their order stay as they are. */
export function inLines(text: string): string {
  const lines: string[] = [''];
  let depth = 0;
  const next = (): void => void lines.push('  '.repeat(depth));
  for (const [token] of text.matchAll(/"(?:[^"\\]|\\.)*"|[[{]\s*[\]}]|[[\]{},]|:\s*|[^\s"[\]{},:]+/g)) {
    if (token === '}' || token === ']') {
      depth--;
      next();
    }
    lines[lines.length - 1] += token.startsWith(':') ? ': ' : token;
    if (token === '{' || token === '[') depth++;
    if (token === '{' || token === '[' || token === ',') next();
  }
  return lines.join('\n');
}
