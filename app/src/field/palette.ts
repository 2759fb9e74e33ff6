import type { Track } from '@essim/core';

/** The theme's colours as the canvas needs them. */
export interface Palette {
  paper: string;
  panel: string;
  card: string;
  rule: string;
  ruleSoft: string;
  hatch: string;
  ink: string;
  ink2: string;
  ink3: string;
  teal: string;
  tealSoft: string;
  tealDeep: string;
  violet: string;
  rose: string;
  blue: string;
  slate: string;
  amber: string;
  amberSoft: string;
}

/** Reads the palette from the page's custom properties. */
export function readPalette(): Palette {
  const style = getComputedStyle(document.documentElement);
  const of = (name: string) => style.getPropertyValue(name).trim();
  return {
    paper: of('--paper'),
    panel: of('--panel'),
    card: of('--card'),
    rule: of('--rule'),
    ruleSoft: of('--rule-soft'),
    hatch: of('--hatch'),
    ink: of('--ink'),
    ink2: of('--ink-2'),
    ink3: of('--ink-3'),
    teal: of('--teal'),
    tealSoft: of('--teal-soft'),
    tealDeep: of('--teal-deep'),
    violet: of('--violet'),
    rose: of('--rose'),
    blue: of('--blue'),
    slate: of('--slate'),
    amber: of('--amber'),
    amberSoft: of('--amber-soft'),
  };
}

/** Colour of a track by its role: leads teal, doubles violet, harmonies rose, parts blue, backing slate. */
/** A track's own colour, else its role's. */
export const trackColour = (track: Pick<Track, 'role' | 'colour'>): keyof Palette =>
  track.colour ?? roleColour(track.role);

export function roleColour(role: string): keyof Palette {
  return (
    ({ lead: 'teal', double: 'violet', harmony: 'rose', part: 'blue', backing: 'slate' } as const)[role as 'lead'] ??
    'slate'
  );
}
