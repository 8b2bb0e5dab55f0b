import { switchTheme } from './theme.js';

export function ThemeSwitch() {
  return (
    <button className="bare" type="button" aria-label="Switch between light and dark" onClick={switchTheme}>
      <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden="true">
        <circle cx="8" cy="8" r="6.2" fill="none" stroke="currentColor" strokeWidth="1.3" />
        <path d="M8 1.8a6.2 6.2 0 0 1 0 12.4z" fill="currentColor" />
      </svg>
    </button>
  );
}
