import { perform, type TruthNote } from '../singer/perform';
import { smallRoom } from '../singer/room';
import { songScore, stepsUp } from './ferry-lamp';

/** Who sings in a chord of so many: a voice, and how many steps of the key from the tune. */
const CHOIRS: Record<number, readonly [voice: string, steps: number][]> = {
  1: [['tenor', 0]],
  2: [
    ['alto', 2],
    ['tenor', 0],
  ],
  3: [
    ['alto', 2],
    ['tenor', 0],
    ['bass', -3],
  ],
  4: [
    ['soprano', 4],
    ['alto', 2],
    ['tenor', 0],
    ['bass', -5],
  ],
};

export interface SungChord {
  samples: Float32Array;
  /** Every singer's notes, the highest first. */
  lines: TruthNote[][];
  /** When in the song it begins, s. */
  at: number;
}

/** Phrases of the song sung by several in one room, recorded together. Throws for other than 1 to 4 voices. */
export function singChord(voices: number, phrases: number[], seed: number): SungChord {
  const choir = CHOIRS[voices] as (typeof CHOIRS)[number] | undefined;
  if (!choir) throw new Error(`${voices} voices: 1 to 4 can sing`);
  let at = 0;
  const sung = choir.map(([voice, by], i) => {
    const score = songScore({ seed: seed + i, phrases, tune: 8, transpose: m => stepsUp(m, by) });
    const first = Math.min(...score.map(s => s.t)) - 1;
    if (i === 0) at = first;
    for (const s of score) s.t -= first;
    const last = score[score.length - 1];
    return perform(score, voice, {
      seed: seed + 20 + i,
      duration: Math.ceil(last.t + last.duration + 0.6),
      gainDb: -4,
    });
  });
  const samples = new Float32Array(Math.max(...sung.map(p => p.samples.length)));
  for (const { samples: x } of sung) for (let i = 0; i < x.length; i++) samples[i] += x[i];
  return { samples: smallRoom(samples, seed), lines: sung.map(p => p.truth.notes), at };
}

/** Three of our singers at the landing: a chord of the chorus recorded as one, for others to be unpicked and learnt. */
export const landingChord = (): SungChord => singChord(3, [5, 6], 71);
