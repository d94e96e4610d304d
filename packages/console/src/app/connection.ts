import { AnswerError } from '@tantamos/client';
import { useSyncExternalStore } from 'react';

/** Is the service there? One state for the whole console. */
export interface Connection {
  readonly isLost: boolean;
  /** When it answered last, in ms since 1970. */
  readonly answeredAt: number;
  /** How often it came back: what is followed is followed again. */
  readonly returns: number;
}

/** It is asked this often when nothing else was answered meanwhile, and given this long to answer; in ms. */
const askEvery = 5000;
const longestAnswer = 4000;
/** The same while it is lost. */
const askLostEvery = 2000;

let now: Connection = { isLost: false, answeredAt: Date.now(), returns: 0 };
const listeners = new Set<() => void>();
let onReturn: () => void = () => {};
let ask: () => void = () => {};

function set(next: Connection): void {
  const isNews = next.isLost !== now.isLost;
  now = next;
  if (!isNews) return;
  document.documentElement.toggleAttribute('data-lost', next.isLost);
  listeners.forEach((listen) => listen());
}

/** The service answered, whatever it said. */
export function answered(): void {
  const { isLost, returns } = now;
  set({ isLost: false, answeredAt: Date.now(), returns: isLost ? returns + 1 : returns });
  if (isLost) onReturn();
}

/** An answer that did not come: it is asked at once whether it is there. Other errors are answers. */
export function failed(error: unknown): void {
  if (!(error instanceof AnswerError)) return;
  if (error.code === 'unavailable') ask();
  else answered();
}

/** Asks now, whether or not it is due. */
export function askAgain(): void {
  ask();
}

/** Asks from now on whether the service is there; `back` is called when it is again. Returns what ends it. */
export function watchConnection(health: (signal: AbortSignal) => Promise<unknown>, back: () => void): () => void {
  onReturn = back;
  let timer: ReturnType<typeof setTimeout>;
  let asking: Promise<void> | null = null;
  let ended = false;
  const look = async (): Promise<void> => {
    const late = new AbortController();
    const limit = setTimeout(() => late.abort(), longestAnswer);
    const abandoned = new Promise<never>((_, reject) =>
      late.signal.addEventListener('abort', () => reject(new Error('It did not answer in time.'))),
    );
    try {
      await Promise.race([health(late.signal), abandoned]);
      answered();
    } catch {
      if (!ended) set({ ...now, isLost: true });
    } finally {
      clearTimeout(limit);
    }
  };
  ask = () => {
    clearTimeout(timer);
    asking ??= look().finally(() => {
      asking = null;
      if (!ended) timer = setTimeout(tick, now.isLost ? askLostEvery : askEvery);
    });
  };
  const tick = (): void => {
    const isDue = now.isLost || Date.now() - now.answeredAt >= askEvery;
    // Nobody looks at a page that is hidden; it is asked when it is shown again.
    if (isDue && !document.hidden) ask();
    else timer = setTimeout(tick, askEvery);
  };
  const shown = (): void => void (document.hidden || ask());
  document.addEventListener('visibilitychange', shown);
  timer = setTimeout(tick, askEvery);
  return () => {
    ended = true;
    clearTimeout(timer);
    document.removeEventListener('visibilitychange', shown);
    ask = () => {};
  };
}

export function useConnection(): Connection {
  return useSyncExternalStore(
    (listen) => {
      listeners.add(listen);
      return () => listeners.delete(listen);
    },
    () => now,
  );
}
