// Which unfinished job a window has open. Windows of one browser see each other's by the locks they hold (Web Locks API); where
// there are none, a new window begins a new job.

const place = 'tantamos.draft';
const lockOf = (id: string): string => `tantamos draft ${id}`;

let letGo: () => void = () => {};

/** Remembered by the window through reloads, and held as long as it is open. */
export const placeOfTab = {
  get: (): string | null => sessionStorage.getItem(place),
  set(id: string | null): void {
    if (id === null) sessionStorage.removeItem(place);
    else sessionStorage.setItem(place, id);
    letGo();
    letGo = () => {};
    if (id !== null) void hold(id);
  },
};

/** The job this window had, else the first of these that no other window holds; null: none. */
export async function holdFirstFree(ids: readonly string[]): Promise<string | null> {
  const mine = placeOfTab.get();
  const inOrder = mine && ids.includes(mine) ? [mine, ...ids.filter((id) => id !== mine)] : ids;
  // Without locks a window knows only of itself.
  if (!('locks' in navigator)) return mine && ids.includes(mine) ? mine : null;
  for (const id of inOrder) if (await hold(id)) return id;
  return null;
}

/** True when nobody else has it; held until this window lets go of it or is closed. */
async function hold(id: string): Promise<boolean> {
  if (!('locks' in navigator)) return true;
  return new Promise((resolve) => {
    void navigator.locks.request(lockOf(id), { ifAvailable: true }, (lock) => {
      resolve(lock !== null);
      if (lock === null) return;
      return new Promise<void>((release) => (letGo = release));
    });
  });
}
