import { create } from 'zustand';

/** What is looked at on the Gather desk. */
interface GatherState {
  /** Phrase and take of the chosen cell; a take of null is the comp. */
  phrase: number;
  takeId: string | null;
  /** A stretch of the chosen cell's take, song time; null: the phrase as a whole. */
  stretch: { from: number; to: number } | null;
  /** Index of the chosen word in the track's words; -1 for none. */
  word: number;
  /** Whether the recording bar is open. */
  recordOpen: boolean;
  wordsOpen: boolean;
}

export const useGather = create<GatherState>(() => ({
  phrase: 0,
  takeId: null,
  stretch: null,
  word: -1,
  recordOpen: false,
  wordsOpen: false,
}));

export const chooseCell = (phrase: number, takeId: string | null): void =>
  useGather.setState({ phrase, takeId, stretch: null, word: -1 });
