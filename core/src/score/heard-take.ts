import { noteFacts, splitTake, type SplitTake } from '../plan';
import { correctReading, lineInMidi, noCorrections, type Reading } from '../read';
import type { Take } from '../song';
import type { TakeView } from './track-view';

/**
 * What is known of a take that was read, with what the user put right in it; its line as sung.
 * @param before its split by an older reading of the same recording
 */
export function heardTake(
  auto: Reading,
  { corrections }: Pick<Take, 'corrections'>,
  before?: SplitTake,
): { view: TakeView; split: SplitTake } {
  const { reading, assumed, misfits } = correctReading(auto, corrections ?? noCorrections);
  const split = splitTake(reading, before);
  const line = lineInMidi(reading);
  const view: TakeView = {
    status: 'ready',
    progress: 1,
    auto,
    reading,
    assumed,
    misfits,
    notes: noteFacts(split),
    sungLine: line,
    line,
    gainDb: null,
  };
  return { view, split };
}
