/** Light or night: as the system has it, until somebody chooses. */

export type Theme = 'system' | 'light' | 'night';

const KEY = 'harbor-theme';
const system = window.matchMedia('(prefers-color-scheme: dark)');

export const chosenTheme = (): Theme => {
  const kept = localStorage.getItem(KEY);
  return kept === 'light' || kept === 'night' ? kept : 'system';
};

function apply() {
  const chosen = chosenTheme();
  const night = chosen === 'system' ? system.matches : chosen === 'night';
  document.documentElement.dataset['theme'] = night ? 'night' : 'light';
}

export function chooseTheme(theme: Theme) {
  if (theme === 'system') localStorage.removeItem(KEY);
  else localStorage.setItem(KEY, theme);
  apply();
}

/** From now on the page has its theme, also when the system changes its own. */
export function beginTheme() {
  apply();
  system.addEventListener('change', apply);
}
