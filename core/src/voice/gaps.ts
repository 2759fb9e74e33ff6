import { seededRandom } from '../signal/random';
import type { PitchedSegment } from './epochs';

/** A piece of unpitched sound copied to the output with sine-shaped ends. Samples. */
export interface Piece {
  at: number;
  length: number;
  /** Source position minus output position. */
  shift: number;
  fadeIn: number;
  fadeOut: number;
}

const GRAIN_SECONDS = 0.006;
const JUMP_DB = 14;
const QUIET_DB = -55;
/** Kept at natural speed around a plosive, s. */
const BEFORE_ATTACK = 0.003;
const AFTER_ATTACK = 0.018;

/** Attacks of plosives in unpitched stretches: jumps of the 1 ms level over the 3-8 ms before, after pre-emphasis. Samples. */
export function findAttacks(x: Float32Array, sampleRate: number, gaps: [number, number][]): number[] {
  const block = Math.round(sampleRate / 1000);
  const level = new Float32Array(Math.floor(x.length / block));
  let before = 0;
  for (let i = 0; i < level.length; i++) {
    let s = 0;
    for (let k = 0; k < block; k++) {
      const v = x[i * block + k];
      const d = v - 0.95 * before;
      before = v;
      s += d * d;
    }
    level[i] = 10 * Math.log10(s / block + 1e-9);
  }
  const attacks: number[] = [];
  for (const [a, b] of gaps)
    for (let i = Math.max(10, Math.ceil(a / block)); i < Math.min(level.length - 4, b / block); i++) {
      let ground = 0;
      for (let k = 3; k < 9; k++) ground += level[i - k] / 6;
      const far = !attacks.length || i * block - attacks[attacks.length - 1] > 0.03 * sampleRate;
      if (level[i + 1] - ground <= JUMP_DB || level[i + 1] <= QUIET_DB || !far) continue;
      let at = i + 1;
      for (let k = i + 1; k >= i - 1; k--) if (level[k] - ground > 8) at = k;
      attacks.push(at * block);
    }
  return attacks;
}

/** How the unpitched stretches are laid out when time is stretched: plosives rigid, the rest in short grains read near their place. */
export function layGaps(x: Float32Array, sampleRate: number, segments: PitchedSegment[], stretch: number): Piece[] {
  const gaps: [number, number][] = [];
  let from = 0;
  for (const s of segments) {
    gaps.push([from, s.epochs[0]]);
    from = s.epochs[s.epochs.length - 1];
  }
  gaps.push([from, x.length]);
  const attacks = findAttacks(x, sampleRate, gaps);
  const hop = Math.round(GRAIN_SECONDS * sampleRate);
  const random = seededRandom(1);
  const pieces: Piece[] = [];
  for (const [a, b] of gaps) {
    // knots of the map output -> input; rigid: the piece that begins here keeps natural speed
    const knots: { out: number; source: number; rigid?: boolean }[] = [{ out: a * stretch, source: a }];
    for (const q of attacks) {
      if (q <= a + 2 * GRAIN_SECONDS * 1000 || q >= b) continue;
      const low = Math.max(a, q - BEFORE_ATTACK * sampleRate);
      const high = Math.min(b, q + AFTER_ATTACK * sampleRate);
      const out = q * stretch;
      if (out - BEFORE_ATTACK * sampleRate <= knots[knots.length - 1].out) continue;
      knots.push({ out: out - (q - low), source: low, rigid: true }, { out: out + (high - q), source: high });
    }
    const last = knots[knots.length - 1];
    if (b > last.source && b * stretch > last.out) knots.push({ out: b * stretch, source: b });
    for (let k = 0; k + 1 < knots.length; k++) {
      const start = knots[k];
      const stop = knots[k + 1];
      if (start.rigid) {
        const at = Math.round(start.out);
        pieces.push({
          at: at - 24,
          length: Math.round(stop.out - start.out) + 24 + hop,
          shift: Math.round(start.source) - at,
          fadeIn: 24,
          fadeOut: hop,
        });
        continue;
      }
      const count = Math.max(1, Math.round((stop.out - start.out) / hop));
      const step = (stop.out - start.out) / count;
      const speed = (stop.source - start.source) / (stop.out - start.out + 1e-9);
      for (let q = 0; q <= count; q++) {
        if ((q === count && stop.rigid) || (q === 0 && k > 0 && knots[k - 1].rigid)) continue;
        const centre = start.out + q * step;
        const wander = Math.abs(speed - 1) > 0.01 && q > 0 && q < count ? (random.uniform() - 0.5) * hop * 0.8 : 0;
        let source = Math.min(
          x.length - 2 * hop,
          Math.max(2 * hop, start.source + (centre - start.out) * speed + wander),
        );
        if (stop.rigid) source = Math.min(source, stop.source - step); // never read into the attack early
        const fade = Math.round(step);
        pieces.push({
          at: Math.round(centre - step),
          length: Math.round(2 * step),
          shift: Math.round(source) - Math.round(centre),
          fadeIn: fade,
          fadeOut: fade,
        });
      }
    }
  }
  return pieces;
}
