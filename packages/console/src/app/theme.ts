import { useState } from 'react';

export type Theme = 'light' | 'dark';
const place = 'tantamos.theme';

/** The chosen theme, or else the system's. */
export function currentTheme(): Theme {
  const chosen = localStorage.getItem(place);
  if (chosen === 'light' || chosen === 'dark') return chosen;
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}

export function applyTheme(theme = currentTheme()): void {
  document.documentElement.dataset.theme = theme;
}

export function useTheme(): [Theme, (theme: Theme) => void] {
  const [theme, setTheme] = useState(currentTheme);
  return [
    theme,
    (next) => {
      localStorage.setItem(place, next);
      applyTheme(next);
      setTheme(next);
    },
  ];
}
