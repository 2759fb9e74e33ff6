import { create } from 'zustand';

export const SOURCES = ['steps', 'chords', 'keys', 'guide', 'double', 'unpick'] as const;
export type Source = (typeof SOURCES)[number];

/** Where new parts come from: one way at a time. */
export const useSource = create<{ source: Source; voices: number }>(() => ({ source: 'steps', voices: 2 }));
