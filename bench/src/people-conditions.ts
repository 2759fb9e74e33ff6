import { Fourier, powerOfTwoFrom, readTake, seededRandom } from '@essim/core';
import { scorePerson, toldOf, type Person, type PersonScore } from './people';

/** What happens to recorded people's voices on their way to an editor. Each gives as many samples, in their place. */
export type Degradation = (x: Float32Array, rate: number, seed: number) => Float32Array | Promise<Float32Array>;

const gain = (db: number) => 10 ** (db / 20);
const powerOf = (x: Float32Array) => x.reduce((s, v) => s + v * v, 0) / x.length;
const peakOf = (x: Float32Array) => x.reduce((m, v) => Math.max(m, Math.abs(v)), 1e-9);

/** A room: noise that dies away by 60 dB in so long, the direct voice so many dB above all of it. */
export const room =
  (seconds: number, directDb: number): Degradation =>
  (x, rate, seed) => {
    const random = seededRandom(seed);
    const before = Math.round(0.004 * rate);
    const tail = Float32Array.from({ length: Math.round(1.2 * seconds * rate) }, (_, i) =>
      i < before ? 0 : random.normal() * gain((-60 * i) / rate / seconds),
    );
    const scale = gain(-directDb) / Math.sqrt(tail.reduce((s, v) => s + v * v, 0));
    const wet = convolved(x, tail);
    return x.map((v, i) => v + scale * wet[i]);
  };

/** As many samples as x: overlap-add of transforms. */
export function convolved(x: Float32Array, h: Float32Array): Float32Array {
  const fourier = Fourier.of(powerOfTwoFrom(4 * h.length));
  const { size, input, output } = fourier;
  const block = size - h.length;
  const spectrum = (part: Float32Array) => {
    input.fill(0);
    for (let i = 0; i < part.length; i++) input[2 * i] = part[i];
    fourier.forward();
    return output.slice();
  };
  const filter = spectrum(h);
  const y = new Float32Array(x.length);
  for (let from = 0; from < x.length; from += block) {
    const s = spectrum(x.subarray(from, Math.min(x.length, from + block)));
    // an inverse transform is a forward one of the conjugate, divided by its size
    for (let i = 0; i < size; i++) {
      input[2 * i] = s[2 * i] * filter[2 * i] - s[2 * i + 1] * filter[2 * i + 1];
      input[2 * i + 1] = -(s[2 * i] * filter[2 * i + 1] + s[2 * i + 1] * filter[2 * i]);
    }
    fourier.forward();
    for (let i = 0; i < size && from + i < y.length; i++) y[from + i] += output[2 * i] / size;
  }
  return y;
}

/** One-pole low-passes in a row. */
function lowPass(x: Float32Array, rate: number, hz: number, times: number): Float32Array {
  const a = 1 - Math.exp((-2 * Math.PI * hz) / rate);
  const y = x.slice();
  for (let t = 0; t < times; t++) {
    let low = 0;
    for (let i = 0; i < y.length; i++) y[i] = low += a * (y[i] - low);
  }
  return y;
}

const highPass = (x: Float32Array, rate: number, hz: number): Float32Array => {
  const low = lowPass(x, rate, hz, 1);
  return x.map((v, i) => v - low[i]);
};

export const DEGRADATIONS: Record<string, Degradation> = {
  'as recorded': x => x,
  'MP3, 96 kb/s': async (x, rate) => (await import('./through-mp3')).throughMp3(x, rate),
  'hum at -30 dB': (x, rate) => {
    const size = Math.sqrt(powerOf(x)) * gain(-30) * Math.SQRT2;
    const partials = [1, 0.6, 0.4, 0.3, 0.2];
    return x.map(
      (v, i) => v + size * partials.reduce((s, p, h) => s + p * Math.sin((2 * Math.PI * 50 * (h + 1) * i) / rate), 0),
    );
  },
  'noise at -20 dB': (x, _, seed) => {
    const random = seededRandom(seed);
    const size = Math.sqrt(powerOf(x)) * gain(-20);
    return x.map(v => v + size * random.normal());
  },
  'small room (.5 s, direct +3 dB)': room(0.5, 3),
  'hall (1.4 s, direct +6 dB)': room(1.4, 6),
  telephone: (x, rate) => lowPass(highPass(highPass(x, rate, 300), rate, 300), rate, 3400, 3),
  // as far as a voice is pressed where it was recorded: 8 to 1 above -30 dB of its peak, 5 ms and 80 ms
  'strong compression': (x, rate) => {
    const top = peakOf(x);
    const [rise, fall] = [0.005, 0.08].map(t => 1 - Math.exp(-1 / t / rate));
    let level = 0;
    return x.map(v => {
      const now = Math.abs(v) / top;
      level += (now > level ? rise : fall) * (now - level);
      const over = 20 * Math.log10(Math.max(level, 1e-9)) + 30;
      return (v / top) * 0.5 * gain(over > 0 ? over * (1 / 8 - 1) + 26 : 26) * 0.25;
    });
  },
  'clipped at a third': x => {
    const top = peakOf(x) / 3;
    return x.map(v => Math.max(-top, Math.min(top, v)));
  },
};

/** Everybody through each of them: the means over kinds, a row a degradation. */
export async function scoreDegraded(people: readonly Person[]): Promise<Record<string, string | number>[]> {
  const kinds = [...new Set(people.map(p => p.kind))];
  const rows: Record<string, string | number>[] = [];
  for (const [name, degrade] of Object.entries(DEGRADATIONS)) {
    const scored: { kind: string; score: PersonScore }[] = [];
    for (const [i, p] of people.entries()) {
      const samples = await degrade(p.samples, p.sampleRate, 40 + i);
      scored.push({ kind: p.kind, score: scorePerson(readTake(samples, p.sampleRate), p.truth) });
    }
    const byKind = kinds.map(kind =>
      toldOf(
        kind,
        scored.filter(s => s.kind === kind).map(s => s.score),
      ),
    );
    const mean: Record<string, string | number> = { of: name };
    for (const [column, value] of Object.entries(byKind[0]))
      if (typeof value === 'number') mean[column] = byKind.reduce((s, r) => s + Number(r[column]), 0) / byKind.length;
    rows.push(mean);
  }
  return rows;
}
