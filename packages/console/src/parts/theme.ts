const STORE = 'primrose-theme';
export type Theme = 'light' | 'dark';

/** The chosen theme, or the system's. */
export function storedTheme(): Theme {
  const stored = localStorage.getItem(STORE);
  if (stored === 'light' || stored === 'dark') return stored;
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}

export function applyTheme(theme: Theme): void {
  document.documentElement.dataset['bsTheme'] = theme;
}

export function switchTheme(): void {
  const next = document.documentElement.dataset['bsTheme'] === 'dark' ? 'light' : 'dark';
  localStorage.setItem(STORE, next);
  applyTheme(next);
}
