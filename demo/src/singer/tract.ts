import { clamp, dbToGain, type Random } from '@essim/core';
import type { Controls } from './gestures';
import { glottisTables, HARMONICS, RD_LOW, RD_STEP, TABLE_SIZE } from './glottis';
import type { Voice } from './phonemes';

export const SAMPLE_RATE = 48000;
/** Samples in a control millisecond, and in the blocks over which coefficients ramp. */
const PER_MS = SAMPLE_RATE / 1000;
const BLOCK = 16;
const BLOCKS = PER_MS / BLOCK;
const VOICE_LEVEL = 0.055;
const FRICTION_LEVEL = 0.28;
/** The neutral tract whose poles the moving formants take away and put elsewhere. */
const NEUTRAL = [500, 1500, 2500, 3450, 4050];
const NEUTRAL_WIDTH = 110;
const UPPER_POLES = 17;

const TURN = (2 * Math.PI) / SAMPLE_RATE;
const DECAY = -Math.PI / SAMPLE_RATE;

/** Cascade formant synthesis after Klatt 1980 with an LF source; moving sections are pole/zero pairs of about unit gain. */
export function renderTract(c: Controls, voice: Voice, random: Random): Float32Array {
  const length = (c.hz.length - 1) * PER_MS;
  const work = new Float64Array(length); // Float32 here would come back as hiss above 10 kHz
  const friction = new Float32Array(length);
  const opening = new Float32Array(length / BLOCK);
  for (const [from, to] of source(c, voice, random, work, friction, opening)) {
    staticTract(work, from * PER_MS, to * PER_MS, voice);
    movingTract(c, voice, work, opening, from, to);
  }
  const out = new Float32Array(length);
  let held = 0;
  let before = 0;
  for (let i = 0; i < length; i++) {
    const x = work[i] * VOICE_LEVEL + friction[i] * FRICTION_LEVEL;
    held = 0.9935 * held + x - before;
    before = x;
    out[i] = held;
  }
  return out;
}

/** Glottal pulses, breath through the glottis, friction; returns the runs [ms, ms) in which anything sounds. */
function source(
  c: Controls,
  voice: Voice,
  random: Random,
  work: Float64Array,
  friction: Float32Array,
  opening: Float32Array,
): [number, number][] {
  const { pulses, openings } = glottisTables();
  const n = c.hz.length;
  const runs: [number, number][] = [];
  let run: [number, number] | undefined;
  let quietMs = 999;
  let noiseState = (random.uniform() * 4294967296) >>> 0 || 1;
  const white = () => {
    noiseState ^= noiseState << 13;
    noiseState ^= noiseState >>> 17;
    noiseState ^= noiseState << 5;
    const first = noiseState;
    noiseState ^= noiseState << 13;
    noiseState ^= noiseState >>> 17;
    noiseState ^= noiseState << 5;
    return (first + noiseState) / 2147483648;
  };
  let phase = random.uniform();
  let jitter = 0;
  let slowJitter = 0;
  let gain = 1;
  let lastGain = 1;
  let odd = false;
  let muffle1 = 0;
  let muffle2 = 0;
  let softNoise = 0;
  const poleState = new Float64Array(12);
  const burst = new Float64Array(BLOCK);
  const between = (a: Float32Array, j: number, u: number) => a[j] + (a[j + 1] - a[j]) * u;
  const silent = (j: number) => c.voicing[j] < 1e-5 && c.aspiration[j] < 1e-5 && c.friction[j] < 1e-5;
  for (let j = 0; j < n - 1; j++) {
    if (silent(j) && silent(j + 1)) {
      if (++quietMs > 40) {
        if (run) run[1] = j;
        run = undefined;
        continue;
      }
    } else {
      quietMs = 0;
      if (!run) runs.push((run = [j, n - 1]));
    }
    const grit = c.grit[j];
    for (let q = 0; q < BLOCKS; q++) {
      const u = q / BLOCKS;
      const o = j * PER_MS + q * BLOCK;
      const hz = between(c.hz, j, u);
      const breath = between(c.aspiration, j, u);
      const hiss = between(c.friction, j, u);
      let voicing = between(c.voicing, j, u);
      const voicingStep = (between(c.voicing, j, u + 1 / BLOCKS) - voicing) / BLOCK;
      const shape = clamp((between(c.rd, j, u) - RD_LOW) / RD_STEP, 0, pulses.length - 1.001);
      const shapeIndex = shape | 0;
      const shapeMix = shape - shapeIndex;
      let band = 0;
      while (band < HARMONICS.length - 1 && HARMONICS[band] * hz * 1.03 > 22000) band++;
      const tableA = pulses[shapeIndex][band];
      const tableB = pulses[shapeIndex + 1][band];
      const glottis = openings[shapeIndex];
      const muffled = c.muffled[j];
      const muffleStep = 1 - Math.exp((-2 * Math.PI * (14000 * (1 - muffled) ** 3 + 260)) / SAMPLE_RATE);
      const muffleMix = Math.min(1, muffled * 8);
      let openSum = 0;
      for (let k = 0; k < BLOCK; k++, voicing += voicingStep) {
        phase += (hz * (1 + jitter)) / SAMPLE_RATE;
        if (phase >= 1) {
          phase -= 1;
          odd = !odd;
          slowJitter = 0.7 * slowJitter + 0.7 * random.normal();
          jitter =
            voice.jitter * (0.75 * random.normal() + 0.45 * slowJitter) * (1 + 2.2 * grit) +
            (odd ? 1 : -1) * 0.02 * grit;
          lastGain = gain;
          gain = (1 + voice.shimmer * random.normal() * (1 + 2.2 * grit)) * (odd ? 1 + 0.3 * grit : 1 - 0.42 * grit);
        }
        const x = phase * TABLE_SIZE;
        const i = x | 0;
        const f = x - i;
        const a = tableA[i] + (tableA[i + 1] - tableA[i]) * f;
        const b = tableB[i] + (tableB[i + 1] - tableB[i]) * f;
        const swell = phase < 0.04 ? lastGain + (gain - lastGain) * phase * 25 : gain;
        const open = glottis[(phase * 512) | 0];
        let pulse = (a + (b - a) * shapeMix) * swell * voicing;
        muffle1 += muffleStep * (pulse - muffle1);
        muffle2 += muffleStep * (muffle1 - muffle2);
        pulse += muffleMix * (muffle2 - pulse);
        openSum += open;
        const w = white();
        softNoise = 0.72 * softNoise + 0.28 * w;
        work[o + k] = pulse + breath * (w * 0.4 + softNoise * 0.2) * (voicing > 1e-4 ? 0.3 + 0.7 * open : 0.62);
        if (hiss > 1e-6) burst[k] = white() * hiss * (voicing > 0.02 ? 0.45 + 0.55 * open : 1);
      }
      opening[o / BLOCK] = openSum / BLOCK;
      if (hiss > 1e-6) for (let m = 0; m < 3; m++) frictionPole(c, m, j, burst, poleState, friction, o);
    }
  }
  return runs;
}

/** One band-pass of the friction noise over a block. */
function frictionPole(
  c: Controls,
  m: number,
  j: number,
  input: Float64Array,
  state: Float64Array,
  out: Float32Array,
  o: number,
): void {
  const pole = c.frictionPole[m];
  const r = Math.exp(DECAY * pole.width[j]);
  const b = 2 * r * Math.cos(TURN * pole.centre[j]);
  const g = (1 - r * r) * 0.5 * pole.gain[j];
  let [y1, y2, x1, x2] = [state[4 * m], state[4 * m + 1], state[4 * m + 2], state[4 * m + 3]];
  for (let k = 0; k < BLOCK; k++) {
    const x = input[k];
    const y = g * (x - x2) + b * y1 - r * r * y2;
    x2 = x1;
    x1 = x;
    y2 = y1;
    y1 = y;
    out[o + k] += y;
  }
  state.set([y1, y2, x1, x2], 4 * m);
}

/** Neutral poles, the shelf of air, and the zero of the side cavities; nothing here moves. */
function staticTract(y: Float64Array, from: number, to: number, voice: Voice): void {
  for (let k = 0; k < NEUTRAL.length + UPPER_POLES; k++) {
    const moving = k < NEUTRAL.length;
    const hz = moving ? NEUTRAL[k] * voice.tract : (k - 0.12) * 1000 * voice.upper;
    if (hz > SAMPLE_RATE * 0.47) break;
    const r = Math.exp(DECAY * (moving ? NEUTRAL_WIDTH : 230 + 80 * (k - 4)));
    const b = 2 * r * Math.cos(TURN * hz);
    const c = -r * r;
    const a = 1 - b - c;
    let p = 0;
    let q = 0;
    for (let i = from; i < to; i++) {
      const v = a * y[i] + b * p + c * q;
      q = p;
      p = v;
      y[i] = v;
    }
  }
  const shelf = 1 - Math.exp(-TURN * 5200);
  const air = dbToGain(voice.airDb);
  const zero = 4800 * voice.upper;
  const rz = Math.exp(DECAY * 700);
  const rp = Math.exp(DECAY * 1500);
  const bz = 2 * rz * Math.cos(TURN * zero);
  const bp = 2 * rp * Math.cos(TURN * zero);
  const az = 1 / (1 - bz + rz * rz);
  const ap = 1 - bp + rp * rp;
  let low = 0;
  let x1 = 0;
  let x2 = 0;
  let p = 0;
  let q = 0;
  for (let i = from; i < to; i++) {
    low += shelf * (y[i] - low);
    const x = low + air * (y[i] - low);
    const z = az * (x - bz * x1 + rz * rz * x2);
    x2 = x1;
    x1 = x;
    const v = ap * z + bp * p - rp * rp * q;
    q = p;
    p = v;
    y[i] = v;
  }
}

/** One moving section: a zero where a pole was, a pole where it should be; coefficients ramp inside each block. */
class Section {
  private gain = 0;
  private b = 0;
  private c = 0;
  private zb = 0;
  private zc = 0;
  private fresh = true;
  private x1 = 0;
  private x2 = 0;
  private y1 = 0;
  private y2 = 0;

  run(block: Float64Array, zeroB: number, zeroC: number, hz: number, width: number): void {
    const r = Math.exp(DECAY * width);
    const b = 2 * r * Math.cos(TURN * hz);
    const c = -r * r;
    const gain = (1 - b - c) / (1 - zeroB - zeroC);
    if (this.fresh) {
      this.gain = gain;
      this.b = b;
      this.c = c;
      this.zb = zeroB;
      this.zc = zeroC;
      this.fresh = false;
    }
    let { gain: G, b: B, c: C, zb: Z, zc: Y, x1, x2, y1, y2 } = this;
    const dG = (gain - G) / BLOCK;
    const dB = (b - B) / BLOCK;
    const dC = (c - C) / BLOCK;
    const dZ = (zeroB - Z) / BLOCK;
    const dY = (zeroC - Y) / BLOCK;
    for (let k = 0; k < BLOCK; k++) {
      G += dG;
      B += dB;
      C += dC;
      Z += dZ;
      Y += dY;
      const x = block[k];
      const v = G * (x - Z * x1 - Y * x2) + B * y1 + C * y2;
      x2 = x1;
      x1 = x;
      y2 = y1;
      y1 = v;
      block[k] = v;
    }
    this.gain = gain;
    this.b = b;
    this.c = c;
    this.zb = zeroB;
    this.zc = zeroC;
    this.x1 = x1;
    this.x2 = x2;
    this.y1 = y1;
    this.y2 = y2;
  }

  /** As run, with the zero given by frequency and width. */
  runZero(block: Float64Array, zeroHz: number, zeroWidth: number, hz: number, width: number): void {
    const r = Math.exp(DECAY * zeroWidth);
    this.run(block, 2 * r * Math.cos(TURN * zeroHz), -r * r, hz, width);
  }
}

function movingTract(
  c: Controls,
  voice: Voice,
  y: Float64Array,
  opening: Float32Array,
  from: number,
  to: number,
): void {
  const sections = Array.from({ length: 7 }, () => new Section());
  const zeros = NEUTRAL.map(hz => {
    const r = Math.exp(DECAY * NEUTRAL_WIDTH);
    return [2 * r * Math.cos(TURN * hz * voice.tract), -r * r];
  });
  const block = new Float64Array(BLOCK);
  const [F1, F2, F3, F4, F5] = c.formant;
  const between = (a: Float32Array, j: number, u: number) => a[j] + (a[j + 1] - a[j]) * u;
  for (let j = from; j < to; j++)
    for (let q = 0; q < BLOCKS; q++) {
      const u = q / BLOCKS;
      const o = j * PER_MS + q * BLOCK;
      for (let k = 0; k < BLOCK; k++) block[k] = y[o + k];
      const nasal = between(c.nasality, j, u);
      const wide = between(c.open, j, u);
      // the glottis opens once a period and damps the first formants while it does
      const glottis = c.voicing[j] > 1e-4 ? opening[o / BLOCK] : 0.6;
      const f2 = between(F2, j, u);
      const f3 = between(F3, j, u);
      sections[0].run(block, zeros[4][0], zeros[4][1], between(F5, j, u), 210 + 60 * nasal + 420 * wide);
      sections[1].run(block, zeros[3][0], zeros[3][1], between(F4, j, u), 150 + 60 * nasal + 320 * wide);
      sections[2].run(block, zeros[2][0], zeros[2][1], f3, 75 + 0.02 * f3 + 60 * nasal + 150 * wide);
      sections[3].run(block, zeros[1][0], zeros[1][1], f2, 58 + 0.014 * f2 + 40 * nasal + 25 * glottis + 110 * wide);
      sections[4].run(
        block,
        zeros[0][0],
        zeros[0][1],
        between(F1, j, u) * (1 + 0.03 * glottis),
        between(c.bandwidth1, j, u) + 70 * glottis + 180 * wide,
      );
      sections[5].runZero(block, 270 * voice.tract + 210 * Math.min(1, nasal * 1.4), 95, 270 * voice.tract, 95);
      const closed = clamp((nasal - 0.45) / 0.5, 0, 1);
      const pole = between(c.murmurPole, j, u);
      const width = 160 + 120 * closed;
      sections[6].runZero(
        block,
        pole + (between(c.murmurZero, j, u) - pole) * closed,
        width - 120 * closed * closed,
        pole,
        width,
      );
      for (let k = 0; k < BLOCK; k++) y[o + k] = block[k];
    }
}
