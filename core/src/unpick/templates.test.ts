import { seededRandom } from '../signal/random';
import { Templates } from './templates';

const { uniform } = seededRandom(3);
const BINS = 61;
/** Combs of a few narrow peaks each. */
const combs = Array.from({ length: 9 }, (_, c) =>
  Float64Array.from({ length: BINS }, (_, b) => ((b + c) % (5 + c) < 2 ? 1 / (1 + b / 20) : 0)),
);

/** The same plainly, in double precision. */
function plainly(spectrum: Float32Array, begin: number[], rounds: number): number[] {
  const list = combs.map(t => t.map(v => v / t.reduce((s, w) => s + w, 0)));
  const now = [...begin];
  let active = now.map((_, p) => p);
  for (let round = 0; round < rounds; round++) {
    const model = spectrum.map((_, b) => active.reduce((s, p) => s + now[p] * list[p][b], 1e-9));
    for (const p of active) now[p] *= list[p].reduce((s, v, b) => s + (v * spectrum[b]) / model[b], 0);
    if (round === 2) active = now.flatMap((v, p) => (v > 3e-3 * Math.max(...now) ? [p] : []));
  }
  return now;
}

const templates = new Templates(combs, BINS);
const activated = (spectrum: Float32Array, begin = 1): Float32Array => {
  const now = new Float32Array(combs.length).fill(begin);
  templates.activate(spectrum, now);
  return now;
};
const sumOf = (...parts: [number, number][]) =>
  Float32Array.from({ length: BINS }, (_, b) => parts.reduce((s, [c, gain]) => s + gain * combs[c][b], 0));

it('finds what a spectrum is made of', () => {
  const now = activated(sumOf([2, 3], [6, 1]));
  const share = (c: number) => now[c] / now.reduce((s, v) => s + v, 0);
  expect(share(2) + share(6)).toBeGreaterThan(0.9);
  const size = (c: number) => combs[c].reduce((s, v) => s + v, 0);
  expect(now[2] / size(2) / (now[6] / size(6))).toBeCloseTo(3, 0);
});

it('is what multiplying in double precision comes to', () => {
  for (let k = 0; k < 20; k++) {
    const spectrum = Float32Array.from({ length: BINS }, () => uniform() ** 3);
    const wanted = plainly(
      spectrum,
      combs.map(() => 1),
      18,
    );
    activated(spectrum).forEach((v, c) => expect(v).toBeCloseTo(wanted[c], 4));
  }
});

it('goes on from where it stands, and makes nothing of silence', () => {
  const spectrum = sumOf([1, 1], [4, 2], [7, 0.5]);
  const once = activated(spectrum);
  const twice = once.slice();
  templates.activate(spectrum, twice);
  const missed = (now: Float32Array) =>
    spectrum.reduce((s, v, b) => {
      const model = combs.reduce((m, t, c) => m + (now[c] * t[b]) / t.reduce((q, w) => q + w, 0), 1e-9);
      return s + v * Math.log((v + 1e-12) / model) - v + model;
    }, 0);
  expect(missed(twice)).toBeLessThanOrEqual(missed(once) + 1e-6);
  expect(Math.max(...activated(new Float32Array(BINS)))).toBe(0);
});
