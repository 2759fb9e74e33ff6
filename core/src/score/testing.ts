import type { NoteFacts } from '../plan';
import type { Reading } from '../read';
import type { Take } from '../song';
import { midiToHz, type Midi, type Seconds } from '../units';
import { heardTake } from './heard-take';
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
    vowelsDb: new Float32Array(frames),
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

/** A reading of a pitch line in frames of 5 ms, NaN where nothing is sung; notes where they are said to begin and end. */
export function readingOf(line: ArrayLike<Midi>, notes: readonly [start: Seconds, end: Seconds][]): Reading {
  const frames = line.length;
  return {
    duration: frames * 0.005,
    hop: 0.005,
    f0: Float32Array.from(line, m => (Number.isNaN(m) ? 0 : midiToHz(m))),
    levelDb: new Float32Array(frames).fill(-20),
    candidates: {
      count: new Uint8Array(frames / 2),
      hz: new Float32Array((frames / 2) * 7),
      periodicity: new Float32Array((frames / 2) * 7),
      harmonicity: new Float32Array((frames / 2) * 7),
    },
    notes: notes.map(([start, end]) => ({ start, end, onset: start, pitch: line[Math.round((start + end) * 100)] })),
    noises: [],
    spoken: [],
    keys: [],
    colour: new Float32Array(frames),
    vowelsDb: new Float32Array(frames),
  } as unknown as Reading;
}

/** What is known of a take that was read so, with what was put right in it. */
export const heardView = (auto: Reading, take: Pick<Take, 'corrections'>): TakeView => heardTake(auto, take).view;
