import { mixDown } from '../read';
import type { Samples } from '../signal/samples';
import { stretchesFrom, type Stretches } from '../signal/stretches';
import { composeStretch, type Clip } from '../song/comp';

/** A track's comp in one channel, joined where it is looked at: ten minutes of it are 115 MB otherwise. @param length samples */
export const compSound = (
  clips: readonly Clip[],
  sources: ReadonlyMap<string, readonly Samples[]>,
  sampleRate: number,
  length: number,
): Stretches => stretchesFrom(length, (from, to) => mixDown(composeStretch(clips, sources, sampleRate, from, to)));
