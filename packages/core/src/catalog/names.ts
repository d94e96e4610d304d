/** Names as one text, with points between: `grower.owner`. A name that has a point or a quote in it stands in quotes. */
export function dotted(names: readonly string[]): string {
  return names.map((name) => (/[."]/.test(name) ? `"${name.replaceAll('"', '""')}"` : name)).join('.');
}

/** Longer than any path of names; what is longer is not looked through for quotes. */
const longestDotted = 10_000;

/** The names of such a text, without spaces around them; what is not quoted to its end is taken as it stands. */
export function undotted(text: string): string[] {
  if (text.length > longestDotted) return text.split('.').map((name) => name.trim());
  const names: string[] = [];
  const next = /\s*(?:"((?:[^"]|"")*)"\s*(?=\.|$)|([^.]*))(\.|$)/y;
  for (let more = true; more;) {
    const found = next.exec(text);
    if (!found) return text.split('.').map((name) => name.trim());
    names.push(found[1] === undefined ? found[2]!.trim() : found[1].replaceAll('""', '"'));
    more = found[3] === '.';
  }
  return names;
}
