import { create } from 'zustand';

/** What times are told beside: the beat, each note as it was sung, or another track by its id. */
export type Against = 'beat' | 'sung' | (string & {});

/** How the Time desk works; not part of the song. */
export interface TimeState {
  against: Against;
  grid: string;
  /** Where every other moment of the grid lies, 50 is even. */
  swing: number;
  strength: number;
  overMs: number;
  /** What is joined to a moved note gives way, or stays so that a gap opens. */
  neighbours: 'give' | 'gap';
  /** Whether a dragged onset catches on what it is told beside. */
  snap: boolean;
}

export const useTime = create<TimeState>(() => ({
  against: 'beat',
  grid: '1/8',
  swing: 50,
  strength: 100,
  overMs: 20,
  neighbours: 'give',
  snap: true,
}));

export const toggleNeighbours = (): void =>
  useTime.setState(s => ({ neighbours: s.neighbours === 'give' ? 'gap' : 'give' }));
