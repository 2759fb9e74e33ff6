import {
  analyseVoice,
  noteFacts,
  planTake,
  quantile,
  readTake,
  renderAll,
  splitTake,
  type NoteEdit,
  type NoteFacts,
  type Reading,
} from '@essim/core';
import type { Performance } from '@essim/demo';

/** What is drawn, tilted and made to swing, as it is heard in the rendering: by our reading, and by a plain autocorrelation. */

type Row = Record<string, string | number>;
type Line = (seconds: number) => number;

const LONG = 0.5;
const HOP = 0.005;
const cents = (hz: number) => 6900 + 1200 * Math.log2(hz / 440);

/** Pitch at a moment by the plainest means: the best lag of the normalised autocorrelation near what is expected. Cents; NaN where nothing is periodic. */
export function plainPitch(x: Float32Array, rate: number, seconds: number, near: number): number {
  const period = rate / (440 * 2 ** ((near - 6900) / 1200));
  const half = Math.round(1.5 * period);
  const at = Math.round(seconds * rate);
  if (at - half - 2 * period < 0 || at + half + 2 * period >= x.length) return NaN;
  const likeness = (lag: number): number => {
    let [xy, xx, yy] = [0, 0, 0];
    const from = at - half - (lag >> 1);
    for (let i = from; i < from + 2 * half; i++) {
      xy += x[i] * x[i + lag];
      xx += x[i] * x[i];
      yy += x[i + lag] * x[i + lag];
    }
    return xy / Math.sqrt(xx * yy + 1e-12);
  };
  let best = 0;
  let most = 0.7;
  for (let lag = Math.floor(period / 1.12); lag <= Math.ceil(period * 1.12); lag++) {
    const v = likeness(lag);
    if (v > most) [most, best] = [v, lag];
  }
  if (!best) return NaN;
  const [a, b, c] = [likeness(best - 1), most, likeness(best + 1)];
  const bend = a - 2 * b + c;
  return cents(rate / (best + (bend < 0 ? (0.5 * (a - c)) / bend : 0)));
}

/** Amplitude and rate of the swing that fits a line best. */
function swingOf(line: readonly number[], expected: number): { rate: number; depth: number } {
  let found = { rate: expected, depth: 0, left: Infinity };
  for (let rate = expected - 0.6; rate <= expected + 0.6; rate += 0.01) {
    let [ss, sc, cc, ys, yc, yy] = [0, 0, 0, 0, 0, 0];
    line.forEach((y, i) => {
      const [s, c] = [Math.sin(2 * Math.PI * rate * i * HOP), Math.cos(2 * Math.PI * rate * i * HOP)];
      ss += s * s;
      sc += s * c;
      cc += c * c;
      ys += y * s;
      yc += y * c;
      yy += y * y;
    });
    const det = ss * cc - sc * sc;
    const [a, b] = [(ys * cc - yc * sc) / det, (yc * ss - ys * sc) / det];
    const left = yy - a * ys - b * yc;
    if (left < found.left) found = { rate, depth: Math.hypot(a, b), left };
  }
  return found;
}

/** Each way asked of every long note of a vocal, rendered and read again. */
export function scoreDetails(of: string, { samples, truth }: Performance): Row[] {
  const rate = truth.sampleRate;
  const reading = readTake(samples, rate);
  const take = splitTake(reading);
  const voice = analyseVoice([samples], rate, reading.f0, reading.hop);
  const notes = noteFacts(take).filter(n => n.end - n.start > LONG);
  const edited = (make: (n: NoteFacts) => Partial<NoteEdit> | null) => {
    const edits = Object.fromEntries(
      notes.flatMap((n): [string, NoteEdit][] => {
        const edit = make(n);
        return edit ? [[n.key, { ...edit, start: n.start, end: n.end }]] : [];
      }),
    );
    const plan = planTake(take, edits);
    const [out] = renderAll(voice, plan.voice);
    return { out, planned: plan.line, read: readTake(out, rate) };
  };
  /** How far what is heard lies from what was asked, over part of each note: ours, and the plain one. */
  const heard = (
    what: string,
    sound: Float32Array,
    read: Reading,
    asked: (n: NoteFacts) => Line,
    edge: number,
  ): Row => {
    const [ours, plain]: number[][] = [[], []];
    for (const n of notes) {
      const line = asked(n);
      for (let k = Math.ceil((n.start + edge) / HOP); k * HOP < n.end - edge; k++) {
        const want = line(k * HOP);
        if (read.f0[k] > 0) ours.push(Math.abs(cents(read.f0[k]) - want));
        const other = plainPitch(sound, rate, k * HOP, want);
        if (!Number.isNaN(other)) plain.push(Math.abs(other - want));
      }
    }
    return {
      of,
      what,
      notes: notes.length,
      'median c': quantile(ours, 0.5),
      '95 % c': quantile(ours, 0.95),
      'plain median c': quantile(plain, 0.5),
      'plain 95 % c': quantile(plain, 0.95),
    };
  };
  const rows: Row[] = [];
  const inside = 0.06;
  const stroke = (n: NoteFacts) => {
    const [a, z] = [n.start + inside / 2, n.end - inside / 2];
    return [a, n.sung - 0.6, (a + z) / 2, n.sung + 0.6, z, n.sung];
  };
  const along =
    (n: NoteFacts): Line =>
    t => {
      const [a, p0, m, p1, z, p2] = stroke(n);
      return 100 * (t < m ? p0 + ((p1 - p0) * (t - a)) / (m - a) : p1 + ((p2 - p1) * (t - m)) / (z - m));
    };
  const drawn = edited(n => ({ drawn: [stroke(n)] }));
  rows.push(heard('drawn up and down', drawn.out, drawn.read, along, inside));
  const planned = (line: Float64Array) => (): Line => t => line[Math.round(t / HOP)];
  for (const [what, make] of [
    ['tilted by 80 cents', () => ({ tilt: 80 })],
    ['first -80, last +60 cents', () => ({ startCents: -80, endCents: 60 })],
    ['begun 200 ms later', n => ({ target: n.sung + 0.5, begin: 200 })],
    [
      'a part on its step, its vibrato halved',
      n => ({
        target: Math.round(n.sung),
        aim: 0,
        parts: [{ start: n.start + 0.15, end: n.end - 0.15, aim: 100, vibrato: 50 }],
      }),
    ],
    ['on the nearest of 19 equal steps', n => ({ target: (Math.round((n.sung * 19) / 12) * 12) / 19 })],
  ] as [string, (n: NoteFacts) => Partial<NoteEdit>][]) {
    const made = edited(make);
    rows.push(heard(what, made.out, made.read, planned(made.planned), inside));
  }
  return rows;
}

/** Vibratos added, and sung ones at another rate: as they are read in the rendering. */
export function scoreSwings(of: string, { samples, truth }: Performance): Row[] {
  const rate = truth.sampleRate;
  const reading = readTake(samples, rate);
  const take = splitTake(reading);
  const voice = analyseVoice([samples], rate, reading.f0, reading.hop);
  const all = noteFacts(take);
  const measure = (what: string, notes: NoteFacts[], make: (n: NoteFacts) => Partial<NoteEdit>, want: Wanted): Row => {
    const edits = Object.fromEntries(notes.map(n => [n.key, { ...make(n), start: n.start, end: n.end }]));
    const [out] = renderAll(voice, planTake(take, edits).voice);
    const read = readTake(out, rate);
    const swings = notes.map(n => {
      const { from, hz, less } = want(n);
      const line: number[] = [];
      for (let k = Math.ceil(from / HOP); k * HOP < n.end - 0.12; k++) {
        const [now, was] = [read.f0[k], reading.f0[k]];
        line.push(now > 0 && was > 0 ? cents(now) - (less ? cents(was) : n.sung * 100) : 0);
      }
      return { ...swingOf(line, hz), hz };
    });
    return {
      of,
      what,
      notes: notes.length,
      'rate off %': quantile(
        swings.map(s => 100 * Math.abs(s.rate / s.hz - 1)),
        0.5,
      ),
      'depth, c': quantile(
        swings.map(s => s.depth),
        0.5,
      ),
    };
  };
  const long = all.filter(n => n.end - n.start > 0.9);
  const added = { delayMs: 150, buildMs: 150, depthCents: 50, rateHz: 6, unrest: 0, sway: 0 };
  const rows = [
    measure(
      'vibrato of 50 cents at 6 Hz added',
      long,
      () => ({ added }),
      n => ({ from: n.onset + 0.32, hz: 6, less: true }),
    ),
  ];
  const sung = all.filter(n => n.vibrato && n.end - n.onset - n.vibrato.delayMs / 1000 > 0.6);
  if (sung.length)
    rows.push(
      measure(
        'sung vibrato at 1.15 of its rate',
        sung,
        n => ({ vibratoHz: n.vibrato!.rateHz * 1.15 }),
        n => ({
          from: n.onset + (n.vibrato!.delayMs + n.vibrato!.buildMs) / 1000,
          hz: n.vibrato!.rateHz * 1.15,
          less: false,
        }),
      ),
    );
  return rows;
}

type Wanted = (n: NoteFacts) => { from: number; hz: number; less: boolean };
