import type { Reading } from '@essim/core';

/** What is seen of a voice at a glance. */
export interface PicturedVoice {
  /** How much of it the picture shows, from its beginning. */
  seconds: number;
  /** Loudness over equal stretches of it, 0..1. */
  loud: number[];
  notes: { start: number; end: number; pitch: number }[];
}

const BARS = 100;
/** The loudest and the quietest that is shown, dB full scale. */
const TOP_DB = -15;
const FLOOR_DB = -52;

/** @param seconds how far it was read */
export function pictured(reading: Reading, seconds = reading.duration): PicturedVoice {
  const n = Math.max(1, Math.round((reading.f0.length * seconds) / reading.duration));
  const loud = Array.from({ length: BARS }, (_, i) => {
    let most = -120;
    for (let k = Math.floor((i * n) / BARS); k < ((i + 1) * n) / BARS; k++)
      most = Math.max(most, reading.levelDb[k] ?? -120);
    return Math.max(0, Math.min(1, (most - FLOOR_DB) / (TOP_DB - FLOOR_DB)));
  });
  const notes = reading.notes.filter(q => q.start < seconds).map(({ start, end, pitch }) => ({ start, end, pitch }));
  return { seconds, loud, notes };
}
