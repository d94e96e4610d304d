import { useSyncExternalStore } from 'react';

const wide = matchMedia('(min-width: 900px)');
const listen = (changed: () => void): (() => void) => {
  wide.addEventListener('change', changed);
  return () => wide.removeEventListener('change', changed);
};

/** Is there room for things side by side? Below, bars fold into menus. */
export function useWide(): boolean {
  return useSyncExternalStore(listen, () => wide.matches);
}
