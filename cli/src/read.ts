import { CANDIDATES_PER_FRAME, stepName, type Range, type Reading } from '@essim/core';
import { inputFile, readingOf, requireOutputs, writeOutput } from './files';

const round = (v: number, digits: number) => Math.round(v * 10 ** digits) / 10 ** digits;

/** The JSON of `essim read`; times in seconds, pitch in MIDI numbers. */
export function readingJson(reading: Reading, withCandidates = false): object {
  const key = reading.keys[0];
  const { candidates: c } = reading;
  return {
    sampleRate: reading.sampleRate,
    duration: reading.duration,
    hop: reading.hop,
    f0: Array.from(reading.f0, f => round(f, 4)),
    notes: reading.notes.map(n => ({ start: round(n.start, 4), end: round(n.end, 4), pitch: round(n.pitch, 4) })),
    noises: reading.noises.map(n => ({ start: round(n.start, 4), end: round(n.end, 4), kind: n.kind })),
    key: { tonic: stepName(key.tonic, key), mode: key.mode, confidence: round(key.confidence, 3) },
    tuningCents: round(reading.tuningCents, 2),
    range: reading.range,
    ...(withCandidates && {
      candidates: Array.from(c.count, (count, k) => ({
        time: round(2 * k * reading.hop, 4),
        pitches: Array.from({ length: count }, (_, j) => {
          const i = k * CANDIDATES_PER_FRAME + j;
          return { hz: round(c.hz[i], 3), strength: round((c.periodicity[i] + Math.max(0, c.harmonicity[i])) / 2, 3) };
        }),
      })),
    }),
  };
}

export interface ReadOptions {
  json: string;
  range: Range;
  candidates?: boolean;
}

export function readCommand(path: string, options: ReadOptions): void {
  const input = inputFile(path);
  requireOutputs(options.json);
  const reading = readingOf(input, options.range);
  writeOutput(options.json, JSON.stringify(readingJson(reading, options.candidates)));
}
