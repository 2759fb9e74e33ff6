import { create } from 'zustand';

export const SOURCES = ['steps', 'chords', 'keys', 'guide', 'double', 'unpick'] as const;
export type Source = (typeof SOURCES)[number];

/** Where new parts come from: one way at a time. */
export const useSource = create<{
  source: Source;
  voices: number;
  /** How long after the last key that was held its first sample was made, s; 0 before the first. */
  heldDelay: number;
  /** Whether the words about the playhead are ready to be sung at once. */
  wordsReady: boolean;
}>(() => ({ source: 'steps', voices: 2, heldDelay: 0, wordsReady: false }));
