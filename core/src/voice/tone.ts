import { Fourier, powerOfTwoFrom } from '../signal/fft';
import type { ToneCurve, VoicePlan } from './plan';
import type { TimeLine } from './timeline';

/** Time between two settings of the filter, s. */
const HOP_SECONDS = 0.01;
/** Length of its response, s. */
const RESPONSE_SECONDS = 0.02;
/** Under this nothing is filtered, dB. */
const NOTHING = 0.01;

/**
 * A slowly varying minimum-phase filter. The sound is cut into overlapping Hann sections, each filtered by the curve at its middle and
 * added as a difference, so that what no curve touches stays bit for bit. Minimum phase from the real cepstrum (Oppenheim and Schafer
 * 1975): nothing sounds before its attack.
 */
export class ColourFilter {
  private readonly hop: number;
  private readonly taps: number;
  private readonly size: number;
  private readonly response: Float64Array;
  /** Fractional band of each bin. */
  private readonly bandOf: Float64Array;
  private made: { frame: number; tone: ToneCurve } | null = null;

  constructor(
    private readonly sampleRate: number,
    bands: Float32Array,
  ) {
    this.hop = Math.round(HOP_SECONDS * sampleRate);
    this.taps = Math.round(RESPONSE_SECONDS * sampleRate);
    this.size = powerOfTwoFrom(2 * this.hop + this.taps);
    this.response = new Float64Array(2 * this.size);
    const logs = Array.from(bands, Math.log);
    this.bandOf = Float64Array.from({ length: this.size / 2 + 1 }, (_, b) => {
      const f = Math.log(Math.max(1, (b * sampleRate) / this.size));
      let k = 0;
      while (k < logs.length - 2 && logs[k + 1] <= f) k++;
      if (logs.length < 2 || f <= logs[0]) return 0;
      return Math.min(logs.length - 1, k + (f - logs[k]) / (logs[k + 1] - logs[k]));
    });
  }

  /** Samples before a span that must be known to filter it. */
  get before(): number {
    return 2 * this.hop + this.taps;
  }
  get after(): number {
    return 2 * this.hop;
  }

  /**
   * Filters output samples [from, to).
   * @param x the sound from `from - before` to `to + after` @param out gets the difference added
   */
  add(x: Float32Array, plan: VoicePlan, line: TimeLine, from: number, to: number, out: Float32Array): void {
    const tone = plan.tone!;
    const { hop, size, taps } = this;
    const zero = from - this.before;
    const first = Math.floor((from - taps - hop) / hop);
    const last = Math.ceil((to + hop) / hop);
    const count = tone.bands.length;
    const frames = tone.gainsDb.length / count;
    const f = Fourier.of(size);
    for (let k = first; k <= last; k++) {
      const centre = k * hop;
      const frame = Math.round(line.backward(centre) / (plan.hop * this.sampleRate));
      if (frame < 0 || frame >= frames || !asks(tone.gainsDb, frame * count, count)) continue;
      this.make(tone, frame);
      f.input.fill(0);
      for (let i = -hop; i < hop; i++)
        f.input[2 * (i + hop)] = (0.5 + 0.5 * Math.cos((Math.PI * (i + 0.5)) / hop)) * (x[centre + i - zero] ?? 0);
      f.forward();
      const { response } = this;
      const z = f.output;
      // times the response less one, then back: real and imaginary parts exchanged
      for (let b = 0; b < size; b++) {
        const re = z[2 * b] * response[2 * b] - z[2 * b + 1] * response[2 * b + 1];
        const im = z[2 * b] * response[2 * b + 1] + z[2 * b + 1] * response[2 * b];
        f.input[2 * b] = im / size;
        f.input[2 * b + 1] = re / size;
      }
      f.forward();
      const start = centre - hop;
      const end = Math.min(to, start + size);
      for (let u = Math.max(from, start); u < end; u++) out[u - from] += f.output[2 * (u - start) + 1];
    }
  }

  /** Makes the transform of a frame's response less one. */
  private make(tone: ToneCurve, frame: number): void {
    if (this.made?.tone === tone && this.made.frame === frame) return;
    this.made = { frame, tone };
    const { size, taps, response } = this;
    const f = Fourier.of(size);
    const o = frame * tone.bands.length;
    for (let b = 0; b <= size / 2; b++) {
      const k = Math.min(tone.bands.length - 1, Math.floor(this.bandOf[b]));
      const next = Math.min(tone.bands.length - 1, k + 1);
      const u = this.bandOf[b] - k;
      const db = tone.gainsDb[o + k] * (1 - u) + tone.gainsDb[o + next] * u;
      const v = (db * Math.LN10) / 20;
      f.input[2 * b] = v;
      f.input[2 * b + 1] = 0;
      if (b > 0 && b < size / 2) {
        f.input[2 * (size - b)] = v;
        f.input[2 * (size - b) + 1] = 0;
      }
    }
    f.forward();
    for (let n = 0; n < size; n++) {
      const fold = n === 0 || n === size / 2 ? 1 : n < size / 2 ? 2 : 0;
      f.input[2 * n] = (fold * f.output[2 * n]) / size;
      f.input[2 * n + 1] = 0;
    }
    f.forward();
    // exp of the complex logarithm, back to time, shortened, and its transform again
    for (let b = 0; b < size; b++) {
      const g = Math.exp(f.output[2 * b]) / size;
      const p = f.output[2 * b + 1];
      f.input[2 * b] = g * Math.sin(p);
      f.input[2 * b + 1] = g * Math.cos(p);
    }
    f.forward();
    const h = Float64Array.from({ length: taps }, (_, n) => {
      const w = n < taps / 2 ? 1 : 0.5 + 0.5 * Math.cos((Math.PI * (n - taps / 2)) / (taps / 2));
      return w * f.output[2 * n + 1];
    });
    h[0] -= 1;
    f.input.fill(0);
    for (let n = 0; n < taps; n++) f.input[2 * n] = h[n];
    f.forward();
    response.set(f.output);
  }
}

function asks(gains: Float32Array, from: number, count: number): boolean {
  for (let i = from; i < from + count; i++) if (Math.abs(gains[i]) > NOTHING) return true;
  return false;
}
