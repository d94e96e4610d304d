/** The items of an array as PostgreSQL writes it: `{a,"b c",NULL}`; one dimension. */
export function itemsOf(text: string): (string | null)[] {
  const items: (string | null)[] = [];
  const item = /\s*(?:"((?:[^"\\]|\\.)*)"|([^,{}]*))\s*(,|\})/gsy;
  item.lastIndex = text.indexOf('{') + 1;
  if (text[item.lastIndex] === '}') return [];
  for (let hit = item.exec(text); hit; hit = item.exec(text)) {
    const [, quoted, bare, after] = hit;
    if (quoted !== undefined) items.push(quoted.replace(/\\(.)/gs, '$1'));
    else items.push(bare!.toUpperCase() === 'NULL' ? null : bare!);
    if (after === '}') break;
  }
  return items;
}
