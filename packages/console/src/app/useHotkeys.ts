import { useEffect, useState } from 'react';

export type Over = 'commands' | 'keys' | null;

/** Ctrl or ⌘ with K opens the commands, ? the keys; not while somebody is typing a text. */
export function useHotkeys(): [Over, (over: Over) => void] {
  const [over, setOver] = useState<Over>(null);
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (event.key.toLowerCase() === 'k' && (event.ctrlKey || event.metaKey) && !event.altKey && !event.shiftKey) {
        event.preventDefault();
        setOver((now) => (now === 'commands' ? null : 'commands'));
      } else if (event.key === '?' && !isTyping(event.target)) setOver('keys');
    };
    document.addEventListener('keydown', onKey);
    return () => document.removeEventListener('keydown', onKey);
  }, []);
  return [over, setOver];
}

function isTyping(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && target.closest('input, textarea, select, [contenteditable=true]') !== null;
}
