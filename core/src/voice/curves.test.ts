import { singPhrases } from '@essim/demo';
import { addVibrato, joinsOf, splitTake } from '../plan';
import { readTake } from '../read';
import { quantile } from '../signal/statistics';
import { TimeMap } from '../song/timemap';
import { analyseVoice, changedSpans, layOut, neutralPlan, renderAll, renderSpan, type Layout, type VoicePlan } from '.';

const rate = 48000;
const hop = 0.005;
const same = (a: Float32Array, b: Float32Array) => a.length === b.length && a.every((v, i) => Object.is(v, b[i]));
const rms = (x: Float32Array) => Math.sqrt(x.reduce((s, v) => s + v * v, 0) / x.length);
const steepest = (x: Float32Array) => x.reduce((s, v, i) => Math.max(s, i ? Math.abs(v - x[i - 1]) : 0), 0);

/** A held vowel without any unrest: harmonics of 200 Hz under two formants. */
const HZ = 200;
const held = (seconds: number, formants: number, f1 = 700, f2 = 1300) =>
  Float32Array.from({ length: seconds * rate }, (_, i) => {
    let v = 0;
    for (let h = 1; h * HZ < 5000; h++) {
      const bump = (f: number, w: number) => 1 / (1 + ((h * HZ - f) / w) ** 2);
      // an even slope under the formants, so that the phase of the lowest harmonic tells the pitch and little else
      const size = (1 + formants * (bump(f1, 150) + 0.6 * bump(f2, 200))) / h;
      v += size * Math.sin((2 * Math.PI * h * HZ * i) / rate + h);
    }
    return 0.08 * v;
  });
const steady = (seconds: number, formants = 0.3) => {
  const x = held(seconds, formants);
  const frames = Math.round(seconds / hop);
  const f0 = new Float32Array(frames).fill(HZ);
  f0.fill(0, 0, 4);
  f0.fill(0, frames - 4);
  return { x, analysis: analyseVoice([x], rate, f0, hop), frames };
};

/** Pitch of the lowest harmonic about each frame, cents above 200 Hz, by how fast its phase turns. */
function pitches(y: Float32Array, near: (k: number) => number, frames: number): number[] {
  const half = 960;
  const turn = (at: number, hz: number) => {
    let re = 0;
    let im = 0;
    for (let i = -half; i <= half; i++) {
      const w = 0.5 + 0.5 * Math.cos((Math.PI * i) / half);
      const p = (2 * Math.PI * hz * (at + i)) / rate;
      re += w * y[at + i] * Math.cos(p);
      im -= w * y[at + i] * Math.sin(p);
    }
    return Math.atan2(im, re);
  };
  return Array.from({ length: frames }, (_, k) => {
    const at = Math.round(k * hop * rate);
    const hz = HZ * 2 ** (near(k) / 1200);
    let d = turn(at + 48, hz) - turn(at - 48, hz);
    d -= 2 * Math.PI * Math.round(d / (2 * Math.PI));
    return near(k) + 1200 * Math.log2(1 + (d * rate) / (2 * Math.PI * 96 * hz));
  });
}

/** A curve as the window of pitches() sees it. */
const seen = (c: Float32Array, k: number) => {
  let sum = 0;
  let weights = 0;
  for (let j = -3; j <= 3; j++) {
    const w = 0.5 + 0.5 * Math.cos((Math.PI * j) / 4);
    sum += w * c[k + j];
    weights += w;
  }
  return sum / weights;
};

describe('a pitch curve', () => {
  const { x, analysis, frames } = steady(1.6);
  const curves: [string, (p: VoicePlan) => VoicePlan][] = [
    [
      'a vibrato added',
      p =>
        addVibrato(p, 0.1, 1.5, {
          rateHz: 5.5,
          depthCents: 70,
          delay: 0.2,
          build: 0.3,
          irregularity: 0.5,
          seed: 3,
          swayDb: 0,
          swayCents: 0,
        }),
    ],
    ['held flat elsewhere', p => ({ ...p, offsetCents: new Float32Array(frames).fill(-180) })],
    [
      'drawn by hand, with steep glides',
      p => ({
        ...p,
        offsetCents: Float32Array.from({ length: frames }, (_, k) => {
          const t = k * hop;
          return 300 * Math.min(1, Math.max(0, (t - 0.4) / 0.12)) - 500 * Math.min(1, Math.max(0, (t - 1) / 0.15));
        }),
      }),
    ],
  ];
  it.each(curves)('%s is met within 3 cents each 5 ms', (_, make) => {
    const plan = make({ ...neutralPlan(frames, hop), active: new Uint8Array(frames).fill(1) });
    const [y] = renderAll(analysis, plan);
    const heard = pitches(y, k => plan.offsetCents[k], frames);
    const errors: number[] = [];
    for (let k = 20; k < frames - 20; k++) {
      errors.push(Math.abs(heard[k] - seen(plan.offsetCents, k)));
    }
    expect(errors.length).toBeGreaterThan(240);
    expect(quantile(errors, 0.95)).toBeLessThan(3);
    expect(rms(y) / rms(x)).toBeGreaterThan(0.8);
  });
});

describe('level', () => {
  const { x, analysis, frames } = steady(1);
  it('follows its curve, smoothly, and leaves the rest bit for bit', () => {
    const plan = { ...neutralPlan(frames, hop), levelDb: new Float32Array(frames) };
    for (let k = 80; k < 120; k++) plan.levelDb[k] = -12 * Math.min(1, (k - 80) / 6, (120 - k) / 6);
    const [y] = renderAll(analysis, plan);
    expect(same(y.subarray(0, 79 * 240), x.subarray(0, 79 * 240))).toBe(true);
    expect(same(y.subarray(121 * 240), x.subarray(121 * 240))).toBe(true);
    const [a, b] = [90 * 240, 110 * 240];
    expect(20 * Math.log10(rms(y.subarray(a, b)) / rms(x.subarray(a, b)))).toBeCloseTo(-12, 1);
    expect(steepest(y)).toBeLessThanOrEqual(steepest(x) * 1.001);
  });
});

describe('tone', () => {
  const { x, analysis, frames } = steady(1);
  const bands = Float32Array.of(100, 1000, 2000, 4000, 10000);
  const tilted = (from: number, to: number): VoicePlan => {
    const gainsDb = new Float32Array(frames * bands.length);
    for (let k = from; k < to; k++) gainsDb.set([0, 0, 0, -12, -12], k * bands.length);
    return { ...neutralPlan(frames, hop), tone: { bands, gainsDb } };
  };
  const at = (y: Float32Array, hz: number, from: number, to: number) => {
    let re = 0;
    let im = 0;
    for (let i = from; i < to; i++) {
      re += y[i] * Math.cos((2 * Math.PI * hz * i) / rate);
      im += y[i] * Math.sin((2 * Math.PI * hz * i) / rate);
    }
    return 20 * Math.log10(Math.hypot(re, im) / (to - from));
  };

  it('moves the bands it names by what it says and no others', () => {
    const [y] = renderAll(analysis, tilted(0, frames));
    const [a, b] = [0.3 * rate, 0.7 * rate];
    expect(at(y, 4000, a, b) - at(x, 4000, a, b)).toBeCloseTo(-12, 0);
    expect(at(y, 600, a, b) - at(x, 600, a, b)).toBeCloseTo(0, 0);
    expect(at(y, 2800, a, b) - at(x, 2800, a, b)).toBeLessThan(-4);
  });

  it('leaves what it does not name bit for bit, and gives the same samples in any pieces', () => {
    const plan = tilted(80, 120);
    const [y] = renderAll(analysis, plan);
    const [from, to] = [78 * 240, Math.round(122 * 240 + 0.03 * rate)];
    expect(same(y.subarray(0, from), x.subarray(0, from))).toBe(true);
    expect(same(y.subarray(to), x.subarray(to))).toBe(true);
    const layout = layOut(analysis, plan);
    const pieces = new Float32Array(24000 - 12800);
    for (let u = 12800; u < 24000; u += 800) renderSpan(analysis, layout, 0, u, u + 800, pieces.subarray(u - 12800));
    expect(same(pieces, y.slice(12800, 24000))).toBe(true);
    expect(steepest(y)).toBeLessThan(1.3 * steepest(x));
  });
});

describe('formants', () => {
  it('go from note to note smoothly, the pitch as it is', () => {
    const { x, analysis, frames } = steady(1, 8);
    const formantCents = Float32Array.from({ length: frames }, (_, k) => 600 * Math.min(1, Math.max(0, (k - 90) / 20)));
    const [y] = renderAll(analysis, { ...neutralPlan(frames, hop), formantCents });
    expect(same(y.subarray(0, 20000), x.subarray(0, 20000))).toBe(true);
    const heard = pitches(y, () => 0, frames);
    // while a formant passes the lowest harmonic its phase turns a little, as it does in a mouth
    expect(quantile(heard.slice(20, -20).map(Math.abs), 0.85)).toBeLessThan(3);
    expect(steepest(y)).toBeLessThan(2.2 * steepest(x));
    // half an octave up, the first formant stands near 990 Hz
    const power = (s: Float32Array, hz: number) => {
      let re = 0;
      let im = 0;
      for (let i = 30000; i < 42000; i++) {
        re += s[i] * Math.cos((2 * Math.PI * hz * i) / rate);
        im += s[i] * Math.sin((2 * Math.PI * hz * i) / rate);
      }
      return Math.hypot(re, im);
    };
    expect(power(x, 600) + power(x, 800)).toBeGreaterThan(2 * power(x, 1000));
    expect(power(y, 1000)).toBeGreaterThan(1.3 * power(y, 600));
  });
});

describe('time', () => {
  it('is bent inside a held note, the pitch as it is, the rest only moved', () => {
    const { x, analysis, frames } = steady(2);
    const time = TimeMap.through([
      { from: 0.5, to: 0.5 },
      { from: 0.8, to: 1.1 },
      { from: 1.2, to: 1.2 },
    ]);
    const [y] = renderAll(analysis, { ...neutralPlan(frames, hop), time });
    expect(y).toHaveLength(x.length);
    expect(same(y.subarray(0, 0.48 * rate), x.subarray(0, 0.48 * rate))).toBe(true);
    expect(same(y.subarray(1.23 * rate), x.subarray(1.23 * rate))).toBe(true);
    const heard = pitches(y, () => 0, frames);
    expect(quantile(heard.slice(20, -20).map(Math.abs), 0.9)).toBeLessThan(8);
    expect(steepest(y)).toBeLessThan(1.5 * steepest(x));
    for (let u = 0.3 * rate; u < 1.5 * rate; u += 2400)
      expect(Math.abs(20 * Math.log10(rms(y.subarray(u, u + 2400)) / rms(x)))).toBeLessThan(1.2);
  });

  it.each([0.25, 4])('keeps a voice at its pitch at %d times its length', factor => {
    const { x, analysis, frames } = steady(1);
    const [y] = renderAll(analysis, { ...neutralPlan(frames, hop), time: TimeMap.stretch(factor, 1) });
    expect(y).toHaveLength(Math.round(x.length * factor));
    const out = Math.round(frames * factor);
    const heard = pitches(y, () => 0, out).slice(14, out - 14);
    expect(quantile(heard.map(Math.abs), 0.9)).toBeLessThan(6);
    expect(Math.abs(20 * Math.log10(rms(y.slice(3000, -3000)) / rms(x)))).toBeLessThan(1.5);
  });
});

describe('an edit of one note of many', () => {
  const { samples, truth } = singPhrases([0, 2]);
  const reading = readTake(samples, truth.sampleRate);
  const movements = splitTake(reading);
  const analysis = analyseVoice([samples], rate, reading.f0, reading.hop);
  const joins = joinsOf(movements);
  const frames = reading.f0.length;
  /** Every note moved by 40 cents; one of them by another amount. */
  const settled = (which: number, cents: number): VoicePlan => {
    const plan = { ...neutralPlan(frames, reading.hop), joins };
    movements.notes.forEach((n, i) => {
      for (let k = n.start; k < n.end; k++) {
        plan.offsetCents[k] = i === which ? cents : 40;
        plan.active[k] = 1;
      }
    });
    return plan;
  };
  const rendered = (l: Layout) => {
    const out = new Float32Array(l.length);
    renderSpan(analysis, l, 0, 0, l.length, out);
    return out;
  };

  it('changes no sample outside what it says it changes, and that is little', () => {
    const shares: number[] = [];
    const before = layOut(analysis, settled(-1, 0));
    const was = rendered(before);
    for (const i of [2, 5, 9]) {
      const note = movements.notes[i];
      const after = layOut(analysis, settled(i, 90), before);
      const spans = changedSpans(before, after);
      const now = rendered(after);
      const inside = (u: number) => spans.some(([a, b]) => u >= a && u < b);
      const touched = spans.reduce((s, [a, b]) => s + b - a, 0) / rate;
      expect(now.every((v, u) => inside(u) || Object.is(v, was[u]))).toBe(true);
      expect(same(now, was)).toBe(false);
      // taken over from the last layout or laid anew, the samples are the same
      expect(same(now, rendered(layOut(analysis, settled(i, 90))))).toBe(true);
      shares.push(touched / ((note.end - note.start) * reading.hop));
    }
    expect(quantile(shares, 0.5)).toBeLessThan(6);
  });

  it('is nothing when nothing changed', () => {
    const before = layOut(analysis, settled(3, 70));
    expect(changedSpans(before, layOut(analysis, settled(3, 70), before))).toEqual([]);
  });
});
