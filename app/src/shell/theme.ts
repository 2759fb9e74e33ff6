import { useMemo } from 'react';
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

/** The present theme's colours for the canvas. */
export function usePalette(): Palette {
  const theme = useTheme();
  // the palette is read from the page, which the theme has just changed
  // eslint-disable-next-line react-hooks/exhaustive-deps
  return useMemo(readPalette, [theme]);
}
