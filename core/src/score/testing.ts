import type { NoteFacts } from '../plan';
import type { Reading } from '../read';
import type { TakeView } from './track-view';

/** Made-up songs for tests of what is seen and heard of them. */

export { song, sourceOf, take, track } from '../song/testing';

/** A take that sings one note of .8 s a second, in phrases of so many notes with a second's rest between. @param pitch MIDI */
export function sung(pitch: number, phrases: number[], levelDb = -20): TakeView {
  const notes: (NoteFacts & { pitch: number })[] = [];
  let at = 0;
  for (const count of phrases) {
    for (let i = 0; i < count; i++, at++)
      notes.push({ key: `n${at}`, start: at + 0.1, end: at + 0.9, onset: at + 0.15, sung: pitch, pitch });
    at++;
  }
  at--;
  const frames = at * 200;
  const line = new Float32Array(frames).fill(pitch);
  const reading = {
    duration: at,
    hop: 0.005,
    f0: new Float32Array(frames).fill(220),
    levelDb: new Float32Array(frames).fill(levelDb),
    candidates: {
      count: new Uint8Array(frames / 2),
      hz: new Float32Array((frames / 2) * 7),
      periodicity: new Float32Array((frames / 2) * 7),
      harmonicity: new Float32Array((frames / 2) * 7),
    },
    notes,
    noises: [],
    spoken: [],
    colour: new Float32Array(frames),
  } as unknown as Reading;
  return {
    status: 'ready',
    progress: 1,
    assumed: [],
    misfits: [],
    auto: reading,
    reading,
    notes,
    sungLine: line,
    gainDb: null,
    line,
  };
}
