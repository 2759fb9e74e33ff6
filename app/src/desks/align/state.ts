import { create } from 'zustand';

/** What the Align desk is in the middle of. */
export const useAlign = create<{
  /** A syllable of the follower being tied, and the moment of the lead that is meant. */
  tying: { key: string; lead: number } | null;
  /** Notes of the stack that coincide are drawn apart. */
  fan: boolean;
}>(() => ({ tying: null, fan: false }));
