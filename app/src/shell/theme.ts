import { create } from 'zustand';
import { readPalette, type Palette } from '../field/palette';

export type Theme = 'light' | 'night';
const KEY = 'essim-theme';

const apply = (theme: Theme) => document.documentElement.setAttribute('data-theme', theme);
const first: Theme = localStorage.getItem(KEY) === 'night' ? 'night' : 'light';
apply(first);

const useThemeStore = create<{ theme: Theme }>(() => ({ theme: first }));

export function toggleTheme(): void {
  const theme = useThemeStore.getState().theme === 'light' ? 'night' : 'light';
  localStorage.setItem(KEY, theme);
  apply(theme);
  useThemeStore.setState({ theme });
}

export const useTheme = (): Theme => useThemeStore(s => s.theme);

const palettes = new Map<Theme, Palette>();

/** The present theme's colours for the canvas. */
export function usePalette(): Palette {
  const theme = useTheme();
  let palette = palettes.get(theme);
  if (!palette) palettes.set(theme, (palette = readPalette()));
  return palette;
}
