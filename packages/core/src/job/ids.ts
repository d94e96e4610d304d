/** Ids of previews and runs begin with their moment, so that those of one hour look alike: they are shown by how they end. */
export function shortId(id: string): string {
  return id.slice(-8);
}

/** Whether an id is meant by some of its characters: those it is shown by, more of its end, or its beginning. */
export function isMeant(id: string, said: string): boolean {
  const text = said.toLowerCase();
  return id.endsWith(text) || id.startsWith(text);
}
