import { weighPitches } from './fine-pitch';
import { CANDIDATES_PER_FRAME as MOST, HOP, runsOf, type Candidates } from './reading';
import { Lags } from '../signal/lags';
import { sourceOf } from './source';

/** Window of the fine pitch, s: longer flattens vibrato, shorter hurts rough voices. */
const WINDOW = 0.034;
const PERIODS_PER_STEP = 3;
/** Window where the voice glides fast, s, and the slopes in cents a frame between which it shortens. */
const GLIDE_WINDOW = 0.02;
const GLIDE_FROM = 4;
const GLIDE_TO = 10;
/** A fine pitch is believed when what it was measured in repeats itself this well and it agrees with the rough one within so many cents. */
const FINE_HEIGHT = 0.5;
const FINE_CENTS = 60;
/** Least correlation of a frame's own two periods at the edge of a voiced run. */
const EDGE = 0.6;
/** The same at its end: what rings on after a voice is less alike than what swells into one. */
const END_EDGE = 0.78;
/** A run begins where it is at most so far under its next frames, dB. */
const FAINT_DB = 30;
const FAINT_FRAMES = 24;
const SHORTEST_RUN = 6;
/** Frames at either end of a run in which the line moves at most so many cents a frame. */
const EDGE_FRAMES = 6;
const EDGE_CENTS = 20;

/**
 * Fine pitch each 5 ms from the chosen path, first from the wave, one period apart; voiced runs cut and grown to where the
 * voice can be proved periodic; then up to four periods apart from the wave and from the voice's source (source.ts), weighed (fine-pitch.ts).
 * @param x the voice at about 12 kHz @param colour see colourChange
 * @returns Hz a frame, 0 where unvoiced
 */
export function refinePath(
  x: Float32Array,
  sampleRate: number,
  c: Candidates,
  path: Int8Array,
  levelDb: Float32Array,
  gate: number,
  colour: Float32Array,
): Float32Array {
  const frames = levelDb.length;
  const f0 = new Float32Array(frames);
  const inWave = new Lags(x);
  for (let k = 0; k < frames; k++) {
    const rough = pathAt(c, path, k);
    if (rough) f0[k] = wavePitch(inWave, sampleRate, Math.round(k * HOP * sampleRate), rough);
  }
  fitEdges(inWave, sampleRate, f0, levelDb, gate);
  for (const [a, z] of runsOf(f0)) if (z - a < SHORTEST_RUN) f0.fill(0, a, z);
  const rough = f0.slice();
  const inSource = new Lags(sourceOf(x, sampleRate, rough));
  const fromSource = new Float64Array(frames);
  const fromWave = new Float64Array(frames);
  for (let k = 0; k < frames; k++) {
    if (!(rough[k] > 0)) continue;
    const centre = Math.round(k * HOP * sampleRate);
    const slope = slopeAt(rough, k);
    fromSource[k] = finePitch(inSource, sampleRate, centre, rough[k], slope);
    fromWave[k] = finePitch(inWave, sampleRate, centre, rough[k], slope);
  }
  weighPitches(f0, fromSource, fromWave, colour);
  calmEdges(f0);
  return f0;
}

/** At the very ends of a run half of every window holds no voice: what leaps away there faster than a voice can is held back. */
function calmEdges(f0: Float32Array): void {
  const most = 2 ** (EDGE_CENTS / 1200);
  for (const [a, z] of runsOf(f0)) {
    if (z - a < 4 * EDGE_FRAMES) continue;
    for (let d = EDGE_FRAMES - 1; d >= 0; d--) {
      f0[a + d] = Math.min(f0[a + d + 1] * most, Math.max(f0[a + d + 1] / most, f0[a + d]));
      f0[z - 1 - d] = Math.min(f0[z - 2 - d] * most, Math.max(f0[z - 2 - d] / most, f0[z - 1 - d]));
    }
  }
}

/** Cents a frame over up to three frames to either side. */
function slopeAt(f0: Float32Array, k: number): number {
  let a = k;
  let b = k;
  while (a > k - 3 && a > 0 && f0[a - 1] > 0) a--;
  while (b < k + 3 && b < f0.length - 1 && f0[b + 1] > 0) b++;
  return b > a ? (1200 * Math.abs(Math.log2(f0[b] / f0[a]))) / (b - a) : 0;
}

/** The pitch measured again over several periods; the shorter the window, the faster the glide. */
function finePitch(x: Lags, sampleRate: number, centre: number, hz: number, slope: number): number {
  const glide = Math.min(1, Math.max(0, (slope - GLIDE_FROM) / (GLIDE_TO - GLIDE_FROM)));
  const length = WINDOW + (GLIDE_WINDOW - WINDOW) * glide;
  const periods = Math.max(1, Math.min(4, Math.floor((length * hz) / PERIODS_PER_STEP)));
  const reach = Math.ceil((sampleRate / hz) * periods * (2 ** (FINE_CENTS / 1200) - 1)) + 1;
  const r = bestLag(x, sampleRate, centre, hz, Math.max(length, 2.2 / hz), periods, reach);
  return r.height > FINE_HEIGHT && Math.abs(Math.log2(r.hz / hz)) < FINE_CENTS / 1200 ? r.hz : hz;
}

function pathAt(c: Candidates, path: Int8Array, k: number): number {
  const q = k >> 1;
  if (path[q] < 0) return 0;
  const a = c.hz[q * MOST + path[q]];
  if (!(k & 1)) return a;
  if (q + 1 >= path.length || path[q + 1] < 0) return 0;
  const b = c.hz[(q + 1) * MOST + path[q + 1]];
  return Math.abs(Math.log2(a / b)) < 0.4 ? Math.sqrt(a * b) : a;
}

/** The pitch one period apart, of the wave as it is. */
const wavePitch = (x: Lags, sampleRate: number, centre: number, rough: number): number =>
  bestLag(x, sampleRate, centre, rough, Math.max(WINDOW, 2.2 / rough), 1, 6).hz;

/** Climbs from the expected lag of some periods to the nearest top of the normalised square difference. */
function bestLag(
  x: Lags,
  sampleRate: number,
  centre: number,
  hz: number,
  window: number,
  periods: number,
  steps: number,
) {
  const expected = (sampleRate / hz) * periods;
  const length = Math.max(8, Math.round(window * sampleRate - expected));
  const { lag, y0, y1, y2 } = x.climb(centre, length, Math.round(expected), steps);
  if (y0 > y1 || y2 > y1) return { hz, height: y1 };
  const curve = y0 - 2 * y1 + y2;
  return { hz: (sampleRate * periods) / (lag + (curve ? (0.5 * (y0 - y2)) / curve : 0)), height: y1 };
}

/** Trims runs to frames whose own two periods match, grows them while they go on matching, and adds the half period nobody can prove. */
function fitEdges(x: Lags, sampleRate: number, f0: Float32Array, levelDb: Float32Array, gate: number): void {
  const frames = f0.length;
  /** Pitch of one frame by its own two periods; 0 when they do not match. */
  const ownPitch = (k: number, hz: number, least: number): number => {
    if (levelDb[k] <= gate) return 0;
    const centre = Math.round(k * HOP * sampleRate);
    const period = sampleRate / hz;
    const length = Math.max(16, Math.round(period));
    const low = Math.floor(period * 0.94);
    const high = Math.ceil(period * 1.06);
    // one more to either side, for the top between them
    const alike = x.correlations(centre, length, low - 1, high + 1);
    const last = high - low + 1;
    let top = 1;
    for (let i = 2; i <= last; i++) if (alike[i] > alike[top]) top = i;
    if (alike[top] < least) return 0;
    let at = low - 1 + top;
    if (top > 1 && top < last) {
      const [y0, y1, y2] = [alike[top - 1], alike[top], alike[top + 1]];
      const curve = y0 - 2 * y1 + y2;
      if (curve < 0) at += (0.5 * (y0 - y2)) / curve;
    }
    return sampleRate / at;
  };
  /** Whether a frame lies so far under what follows that its period is the room's or another's. */
  const faint = (k: number, end: number): boolean => {
    for (let j = k + 1; j < Math.min(end, k + FAINT_FRAMES); j++) if (levelDb[j] > levelDb[k] + FAINT_DB) return true;
    return false;
  };
  for (const [start, end] of runsOf(f0)) {
    let a = start;
    let b = end - 1;
    while (a <= b && (faint(a, end) || !ownPitch(a, f0[a], EDGE))) f0[a++] = 0;
    while (b >= a && !ownPitch(b, f0[b], END_EDGE)) f0[b--] = 0;
    if (a > b) continue;
    for (let j = a - 1, hz = f0[a]; j >= 0 && a - j < 12 && !f0[j]; j--) {
      hz = faint(j, end) ? 0 : ownPitch(j, hz, EDGE);
      if (!hz) break;
      f0[j] = hz;
    }
    for (let j = b + 1, hz = f0[b]; j < frames && j - b < 16 && !f0[j]; j++) {
      hz = ownPitch(j, hz, END_EDGE);
      if (!hz) break;
      f0[j] = hz;
    }
  }
  for (const [a, z] of runsOf(f0)) {
    const before = Math.round(0.5 / f0[a] / HOP + 0.4);
    for (let j = a - 1, m = before; m > 0 && j >= 0 && !f0[j]; j--, m--) f0[j] = f0[a];
    const after = Math.round(0.5 / f0[z - 1] / HOP);
    for (let j = z, m = after; m > 0 && j < frames && !f0[j] && levelDb[j] > gate - 4; j++, m--) f0[j] = f0[z - 1];
  }
}
