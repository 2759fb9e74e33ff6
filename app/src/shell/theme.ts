import { create } from 'zustand';
import { readPalette, type Palette } from '../field/palette';

export type Theme = 'light' | 'night';
const KEY = 'essim-theme';

/** Chosen by hand; "system" goes along with the machine. */
export type ThemeChoice = Theme | 'system';

const system = globalThis.matchMedia('(prefers-color-scheme: dark)');
const chosen = (): ThemeChoice => {
  const kept = localStorage.getItem(KEY);
  return kept === 'night' || kept === 'light' ? kept : 'system';
};
const themeOf = (choice: ThemeChoice): Theme => (choice !== 'system' ? choice : system.matches ? 'night' : 'light');
const apply = (theme: Theme) => document.documentElement.setAttribute('data-theme', theme);

const useThemeStore = create<{ theme: Theme; choice: ThemeChoice }>(() => ({
  theme: themeOf(chosen()),
  choice: chosen(),
}));
apply(useThemeStore.getState().theme);

export function setTheme(choice: ThemeChoice): void {
  if (choice === 'system') localStorage.removeItem(KEY);
  else localStorage.setItem(KEY, choice);
  apply(themeOf(choice));
  useThemeStore.setState({ theme: themeOf(choice), choice });
}
system.addEventListener('change', () => useThemeStore.getState().choice === 'system' && setTheme('system'));

export const toggleTheme = (): void => setTheme(useThemeStore.getState().theme === 'light' ? 'night' : 'light');

export const useTheme = (): Theme => useThemeStore(s => s.theme);

const palettes = new Map<Theme, Palette>();

/** The present theme's colours for the canvas. */
export function usePalette(): Palette {
  const theme = useTheme();
  let palette = palettes.get(theme);
  if (!palette) palettes.set(theme, (palette = readPalette()));
  return palette;
}
