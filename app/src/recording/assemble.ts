import type { Recorded } from '../player/mixer';

/** One round of a recording, its latency taken off. */
export interface Round {
  /** Song sample of its first one. */
  position: number;
  samples: Float32Array;
}

const SHORTEST_SECONDS = 0.3;

/**
 * Joins the pieces of a recording into its rounds. What was sung at a round's end arrives `latency` samples later, at the start of
 * the next: each round is continued by that much, and moved back by it.
 * @param pieces in the order they came
 */
export function assembleRounds(pieces: readonly Recorded[], latency: number, sampleRate: number): Round[] {
  const rounds = new Map<number, Recorded[]>();
  for (const p of pieces) {
    const parts = rounds.get(p.round);
    if (parts) parts.push(p);
    else rounds.set(p.round, [p]);
  }
  const list = [...rounds].sort((a, b) => a[0] - b[0]).map(([, parts]) => joined(parts));
  return list
    .map((r, i) => {
      const next = list[i + 1]?.samples.subarray(0, latency) ?? new Float32Array(0);
      const samples = new Float32Array(r.samples.length + next.length);
      samples.set(r.samples);
      samples.set(next, r.samples.length);
      return { position: r.position - latency, samples };
    })
    .filter(r => r.samples.length >= SHORTEST_SECONDS * sampleRate);
}

function joined(parts: readonly Recorded[]): Round {
  const samples = new Float32Array(parts.reduce((n, p) => n + p.samples.length, 0));
  let at = 0;
  for (const p of parts) {
    samples.set(p.samples, at);
    at += p.samples.length;
  }
  return { position: parts[0].position, samples };
}
