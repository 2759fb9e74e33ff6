import { SINC8 } from '../signal/sinc';
import { copySamples } from '../signal/samples';
import { BYTES, placesFor } from '../signal/single';
import { Stages } from '../signal/stages';

/** Highest frequency pulses carry, share of the rate, and from where on they fade. */
const TOP = 0.27;
const FADE_FROM = 0.23;
/** Under this share of the first harmonic nothing is made up. */
const ROLL_OFF = 0.85;
/** Power beneath every harmonic. */
const SMALLEST = 1e-13;
/**
 * Slope of the phase beyond the minimum one, radians a harmonic: where an epoch lies in its period. The same for every pulse: measured
 * pulse by pulse it is noise, by which neighbouring pulses no longer add up (held vowels, +10 c: level 3.9 dB off at 99 %, so .9).
 */
const DELAY = 1.2;

/** Rows of a period's harmonics: log amplitude, unit vector of the phase beyond the minimum one, minimum phase, power. */
const ROWS = 5;
const [LOG, RE, IM, MINIMUM, POWER] = [0, 1, 2, 3, 4];
/** Numbers before each row that may be read. */
const LEAD = 4;
/** Samples about a period that its reading reaches beyond it. */
const TAPS = 12;

const rooms = new Map<string, PulseRoom>();

/** A room for pulses of periods up to so many samples, made by transforms of a length; one of each kind. */
export function roomOf(longest: number, length: number): PulseRoom {
  let period = 64;
  while (period < 0.8 * longest) period *= 2;
  const name = `${period} ${length}`;
  let room = rooms.get(name);
  if (!room) rooms.set(name, (room = new PulseRoom(period, length)));
  return room;
}

/**
 * Where two pulses are made at a time, in single precision: two periods are read and folded onto one each, parted into harmonics, and their
 * spectra at new formants turned back into sound. The steps follow each other: read, part, shape, transform, take.
 */
export class PulseRoom {
  private readonly places;
  private readonly inward: Stages;
  private readonly outward: Stages;
  private readonly row: number;
  private readonly bins: number;
  /** Highest harmonics in use. */
  private readonly tops = [0, 0];
  /** Samples of a pulse before its place. */
  readonly before: number;

  /** @param period points a period is read at @param length of a pulse; both powers of two */
  constructor(
    private readonly period: number,
    readonly length: number,
  ) {
    this.before = length / 4;
    this.row = LEAD + period / 2 + 4;
    const highest = Math.floor(TOP * length);
    this.bins = Math.ceil((highest + 1) / 4) * 4;
    const inward = (this.inward = new Stages(period));
    const outward = (this.outward = new Stages(length));
    const { row, bins } = this;
    const work = 2 * Math.max(period, length) + 2;
    const places = (this.places = placesFor({
      x: 2.5 * period + 2 * TAPS,
      table: SINC8.length,
      window: 2 * period,
      read0: 2 * period,
      read1: 2 * period,
      harmonics0: ROWS * row,
      harmonics1: ROWS * row,
      delay: 2 * row,
      fade: bins,
      size0: bins,
      size1: bins,
      re0: bins,
      re1: bins,
      im0: bins,
      im1: bins,
      input: work,
      output: work,
      spare: work,
      sound0: length,
      sound1: length,
      inward: inward.twiddles.length,
      outward: outward.twiddles.length,
    }));
    places.table.values.set(SINC8);
    places.inward.values.set(inward.twiddles);
    places.outward.values.set(outward.twiddles);
    for (let k = 0; k < 2 * period; k++) places.window.values[k] = 0.5 - 0.5 * Math.cos((Math.PI * k) / period);
    for (let k = 0; k < period / 2; k++) {
      places.delay.values[k] = Math.cos(DELAY * k);
      places.delay.values[row + k] = Math.sin(DELAY * k);
    }
    const from = Math.floor(FADE_FROM * length);
    for (let b = 0; b <= highest; b++)
      places.fade.values[b] = b > from ? 0.5 + 0.5 * Math.cos((Math.PI * (b - from)) / (highest - from + 1)) : 1;
  }

  /** Reads two periods about a fractional sample of a sound; zeros beyond its ends. */
  read(sound: Float32Array, centre: number, period: number, part: 0 | 1): void {
    const { x, table, run, read0, read1 } = this.places;
    const P = this.period;
    const step = period / P;
    const zero = Math.floor(centre - period) - TAPS / 2;
    copySamples(sound, zero, Math.ceil(2 * period) + 2 * TAPS, x.values);
    run.along(x.at, zero, table.at, centre, -P, 0, step, 2 * P, (part ? read1 : read0).at);
  }

  /** Parts what was read into harmonics. @param first period of the first, samples */
  part(first: number, second: number): void {
    const { read0, read1, window, input, output, run, harmonics0, harmonics1, delay } = this.places;
    const { period: P, row } = this;
    const half = P / 2;
    const step = row * BYTES;
    const [a, b] = [harmonics0.at + LEAD * BYTES, harmonics1.at + LEAD * BYTES];
    run.folded(read0.at, read1.at, window.at, P, input.at);
    this.inwards();
    run.harmonics(output.at, P, (0.5 * first) / P, (0.5 * second) / P, SMALLEST, a, b, step);
    for (const { values } of [harmonics0, harmonics1]) {
      values[LEAD] = values[LEAD + 1];
      values[LEAD + half] = values[LEAD + half - 1];
    }
    // the minimum phase is that of the cepstrum folded to one side
    run.mirrored(a, b, P, input.at);
    this.inwards();
    run.scaled(output.at, P, 2 / P, input.at);
    const z = input.values;
    z[0] *= 0.5;
    z[1] *= 0.5;
    z[P] = output.values[P] / P;
    z[P + 1] = output.values[P + 1] / P;
    z.fill(0, P + 2, 2 * P);
    this.inwards();
    run.beyond(output.at, P, delay.at, a, b, step);
  }

  private inwards(): void {
    const { input, output, spare, inward, run } = this.places;
    this.inward.run(run, inward, input, output, spare);
    output.values[2 * this.period] = output.values[0];
    output.values[2 * this.period + 1] = output.values[1];
  }

  /** The spectrum of a pulse. @param pitch ratio of its pitch to the sung one @param formant of its formants */
  shape(part: 0 | 1, period: number, pitch: number, formant: number, sampleRate: number): void {
    const { run, fade, ...places } = this.places;
    const { row, length } = this;
    const [h, size, re, im] = part
      ? [places.harmonics1, places.size1, places.re1, places.im1]
      : [places.harmonics0, places.size0, places.re0, places.im0];
    const topHz = TOP * sampleRate;
    const top = Math.min(this.period / 2 - 1, Math.floor((Math.max(topHz * formant, topHz) / sampleRate) * period) + 2);
    this.tops[part] = top;
    const { values } = h;
    for (const r of [LOG, RE, IM, MINIMUM]) {
      const zero = r * row + LEAD;
      if (r !== MINIMUM) values[zero] = values[zero + 1];
      values[zero + top + 1] = values[zero + top];
    }
    const bins = length / period;
    run.spectrum(
      h.at + LEAD * BYTES,
      row * BYTES,
      1 / (bins * formant),
      top,
      ROLL_OFF * Math.min(pitch / formant, 1.2),
      DELAY / bins / (2 * Math.PI),
      1 / length,
      fade.at,
      this.bins,
      size.at,
      re.at,
      im.at,
    );
  }

  /** Nothing for a part. */
  silence(part: 0 | 1): void {
    const { re0, re1, im0, im1 } = this.places;
    (part ? re1 : re0).values.fill(0);
    (part ? im1 : im0).values.fill(0);
  }

  /** Power of the period's harmonics up to a number of them. */
  powerIn(part: 0 | 1, compared: number): number {
    const { values } = part ? this.places.harmonics1 : this.places.harmonics0;
    const zero = POWER * this.row + LEAD;
    const last = Math.min(this.tops[part], compared);
    let sum = 0;
    for (let k = 1; k <= last; k++) sum += values[zero + k];
    return sum;
  }

  /** Power of the harmonics it will have at its new pitch. */
  powerOut(part: 0 | 1, period: number, pitch: number): number {
    const { values } = part ? this.places.size1 : this.places.size0;
    const apart = (pitch * this.length) / period;
    const highest = Math.floor(TOP * this.length);
    let sum = 0;
    for (let at = apart; Math.round(at) <= highest; at += apart) sum += values[Math.round(at)] ** 2;
    return sum * pitch * pitch;
  }

  /** Both spectra become sound. */
  transform(): void {
    const { re0, im0, re1, im1, input, output, spare, outward, sound0, sound1, run } = this.places;
    const { length: N, bins } = this;
    run.joined(re0.at, im0.at, re1.at, im1.at, bins, N, input.at);
    input.values.fill(0, 0, 2);
    input.values.fill(0, 2 * bins, 2 * (N - bins + 1));
    this.outward.run(run, outward, input, output, spare);
    run.apart(output.at, N, sound1.at, sound0.at);
  }

  /** Writes a pulse to out, so much of it before its place. @returns its largest magnitude */
  take(part: 0 | 1, out: Float32Array): number {
    const { sound0, sound1, run } = this.places;
    const { values, at } = part ? sound1 : sound0;
    const { before, length } = this;
    out.set(values.subarray(length - before, length));
    out.set(values.subarray(0, length - before), before);
    return run.largest(at, length);
  }
}
