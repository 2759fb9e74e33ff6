import { smoothStep } from '../units';
import { BandedSystem } from '../signal/banded';

/** Everything here counts in frames of 5 ms and in cents. */
export const FRAME = 0.005;

const SLOW_STIFFNESS = 300000; // about 1.4 Hz
const VIBRATO_STIFFNESS = 600; // loose, so that an irregular vibrato is followed
const VIBRATO_RIDGE = 0.003;
const SHAPE_RIDGE = 0.01;
/** Price of a scoop or fall in squared cents, and how many times it costs from above or upwards. */
const SHAPE_PRICE = 900;
const WRONG_WAY = 5;
const RATE = { low: 3.8, high: 8.6, step: 1.09 };
const LEAST_DEPTH = 12;
const LEAST_CYCLES = 2;
const LEAST_GAIN = 2;
const LEAST_EXPLAINED = 0.35;
const OUTLIER_CENTS = 25;
const LONGEST_WAY = 0.22;

/** A sung vibrato: depth x smooth((t - delay) / build) at a rate. Seconds, Hz, cents to either side. */
export interface VibratoShape {
  rate: number;
  depth: number;
  delay: number;
  build: number;
  phase: number;
}

/** A way in or out as found: a family shape times its depth (negative: from below, or downwards). */
export interface WayShape {
  /** 1 at the note's edge, falling to 0. */
  shape: Float64Array;
  depth: number;
}

export interface Body {
  slow: Float64Array;
  vibrato: Float64Array;
  vibratoShape: VibratoShape | null;
  wayIn: WayShape | null;
  wayOut: WayShape | null;
  /** Final weight of each frame. */
  weights: Float64Array;
}

interface Parts {
  slow: Float64Array;
  vibrato: Float64Array;
}

/** A line as far as a smoother has solved for it. */
interface Reduced {
  values: Float64Array;
  /** First unknown that is not zero. */
  from: number;
}

/** Splits lines into a slow part (second differences penalised) and a resonator's part at one rate, jointly, by least squares. */
export class JointSmoother {
  private readonly system: BandedSystem;
  /** Unknowns a frame: the slow part, and the vibrato. */
  private readonly each: 1 | 2;

  /** @param w weight a frame, 0 where nothing was sung @param rate Hz; 0 for no vibrato */
  constructor(
    private readonly w: Float64Array,
    rate: number,
    slowStiffness = SLOW_STIFFNESS,
  ) {
    const n = w.length;
    const each = (this.each = rate ? 2 : 1);
    const curve = [1, -2, 1];
    const swing = [1, -2 * Math.cos(2 * Math.PI * rate * FRAME), 1];
    const system = (this.system = new BandedSystem(each * n, Math.min(2 * each, each * n - 1)));
    for (let i = 0; i < n; i++) {
      system.add(each * i, each * i, w[i] + (n < 3 ? 1e-6 : 1e-9));
      if (each === 1) continue;
      system.add(2 * i + 1, 2 * i + 1, w[i] + VIBRATO_RIDGE);
      system.add(2 * i + 1, 2 * i, w[i]);
    }
    for (let k = 0; k + 2 < n; k++)
      for (let i = 0; i < 3; i++)
        for (let j = 0; j <= i; j++) {
          system.add(each * (k + i), each * (k + j), slowStiffness * curve[i] * curve[j]);
          if (each === 2) system.add(2 * (k + i) + 1, 2 * (k + j) + 1, VIBRATO_STIFFNESS * swing[i] * swing[j]);
        }
    system.factor();
  }

  split(y: Float64Array): Parts {
    const { w, each } = this;
    const n = w.length;
    if (each === 1) return { slow: this.system.solve(y.map((v, i) => w[i] * v)), vibrato: new Float64Array(n) };
    const x = new Float64Array(2 * n);
    for (let i = 0; i < n; i++) x[2 * i] = x[2 * i + 1] = w[i] * y[i];
    this.system.solve(x);
    const slow = new Float64Array(n);
    const vibrato = new Float64Array(n);
    for (let i = 0; i < n; i++) {
      slow[i] = x[2 * i];
      vibrato[i] = x[2 * i + 1];
    }
    return { slow, vibrato };
  }

  /** A line for leftOver(): half of what splitting it would take. @param first frame before which it is zero */
  reduce(line: Float64Array, first: number): Reduced {
    const { w, each } = this;
    const values = new Float64Array(each * w.length);
    if (each === 1) for (let i = first; i < w.length; i++) values[i] = w[i] * line[i];
    else for (let i = first; i < w.length; i++) values[2 * i] = values[2 * i + 1] = w[i] * line[i];
    return { values: this.system.reduce(values, first * each), from: first * each };
  }

  /**
   * What is left of a line a when all of it that this smoother follows is taken out, times a line b, weighted: w a (b - split(b)).
   * @param p a, reduced @param q b, reduced
   */
  leftOver(a: Float64Array, p: Reduced, b: Float64Array, q: Reduced): number {
    const { w } = this;
    const [u, v] = [p.values, q.values];
    const from = Math.max(p.from, q.from);
    let sum = 0;
    for (let k = from / this.each; k < w.length; k++) sum += w[k] * a[k] * b[k];
    for (let k = from; k < u.length; k++) sum -= u[k] * v[k];
    return sum;
  }
}

/** Families a way in may belong to: exponential, quadratic, cosine. Depth 1 at u = 0 s. */
const WAYS: ((u: number) => number)[] = [
  ...[0.025, 0.045, 0.07].map(t => (u: number) => Math.exp(-u / t)),
  ...[0.07, 0.11, 0.16].map(t => (u: number) => (u < t ? (1 - u / t) ** 2 : 0)),
  ...[0.09, 0.15, 0.21].map(t => (u: number) => (u < t ? 0.5 + 0.5 * Math.cos((Math.PI * u) / t) : 0)),
];

function wayShapes(n: number, side: 'in' | 'out', length: number): Float64Array[] {
  return WAYS.map(g =>
    Float64Array.from({ length: n }, (_, i) => {
      const u = (side === 'in' ? i : n - 1 - i) * FRAME;
      return u < length ? g(u) : 0;
    }),
  );
}

function dot(a: Float64Array, b: Float64Array): number {
  let s = 0;
  for (let i = 0; i < a.length; i++) s += a[i] * b[i];
  return s;
}

/** w (y - slow - vibrato), the weighted part a smoother leaves over. */
function weightedRest(y: Float64Array, w: Float64Array, own: Parts): Float64Array {
  const out = new Float64Array(y.length);
  for (let i = 0; i < y.length; i++) out[i] = w[i] * (y[i] - own.slow[i] - own.vibrato[i]);
  return out;
}

/** Shapes a note may begin and end with. */
interface Ways {
  ins: Float64Array[];
  outs: Float64Array[];
  /** Frames at the end before which outs are all zero. */
  outLength: number;
}

interface Fit {
  cost: number;
  wayIn: WayShape | null;
  wayOut: WayShape | null;
  /** The rest in its two parts: worked out for the fits that are used. */
  parts(): Parts;
}

/** Best joint fit for one rate, with at most one way in and one way out chosen from the families as extra columns. */
function fitAt(y: Float64Array, w: Float64Array, rate: number, { ins, outs, outLength }: Ways): Fit {
  const smoother = new JointSmoother(w, rate);
  const plain = smoother.split(y);
  const rest = weightedRest(y, w, plain);
  const cost = dot(rest, y);
  const prepare = (shapes: Float64Array[], first: number) =>
    shapes
      .map(shape => {
        const reduced = smoother.reduce(shape, first);
        const mass = smoother.leftOver(shape, reduced, shape, reduced) + SHAPE_RIDGE;
        return { shape, reduced, mass, pull: dot(shape, rest) };
      })
      .filter(a => a.mass > 0.3 + SHAPE_RIDGE);
  const I = prepare(ins, 0);
  const O = prepare(outs, y.length - outLength);
  const price = (depth: number) => SHAPE_PRICE * (depth > 0 ? WRONG_WAY : 1);
  let gain = 0;
  let wayIn: WayShape | null = null;
  let wayOut: WayShape | null = null;
  const consider = (g: number, a: WayShape | null, o: WayShape | null) => {
    if (g <= gain) return;
    gain = g;
    wayIn = a;
    wayOut = o;
  };
  for (const a of I)
    consider((a.pull * a.pull) / a.mass - price(a.pull), { shape: a.shape, depth: a.pull / a.mass }, null);
  for (const o of O)
    consider((o.pull * o.pull) / o.mass - price(o.pull), null, { shape: o.shape, depth: o.pull / o.mass });
  for (const a of I)
    for (const o of O) {
      const c = smoother.leftOver(a.shape, a.reduced, o.shape, o.reduced);
      const D = a.mass * o.mass - c * c;
      if (D < 1e-3 * a.mass * o.mass) continue;
      const x = (a.pull * o.mass - o.pull * c) / D;
      const z = (o.pull * a.mass - a.pull * c) / D;
      consider(
        x * a.pull + z * o.pull - price(x) - price(z),
        { shape: a.shape, depth: x },
        { shape: o.shape, depth: z },
      );
    }
  const parts = () =>
    wayIn || wayOut ? smoother.split(y.map((v, i) => v - wayAt(wayIn, i) - wayAt(wayOut, i))) : plain;
  return { cost: cost - gain, wayIn, wayOut, parts };
}

const wayAt = (way: WayShape | null, i: number) => (way ? way.depth * way.shape[i] : 0);

/** Delay, build, phase, depth and refined rate of the movement left over, by a search over envelopes. */
function findVibratoShape(
  e: Float64Array,
  w: Float64Array,
  rate: number,
): (VibratoShape & { cost: number; total: number }) | null {
  const n = e.length;
  const length = n * FRAME;
  const builds = [0.06, 0.15, 0.25, 0.4, 0.6];
  let best: (VibratoShape & { cost: number; total: number }) | null = null;
  const total = e.reduce((sum, q, i) => sum + w[i] * q * q, 0);
  // weighted products with the cosine and sine of a rate, frame by frame, and their sums from each frame to the end
  const products = Array.from({ length: 5 }, () => new Float64Array(n));
  const tails = Array.from({ length: 5 }, () => new Float64Array(n + 1));
  const tune = (f: number) => {
    for (let i = n - 1; i >= 0; i--) {
      const c = Math.cos(2 * Math.PI * f * FRAME * i);
      const s = Math.sin(2 * Math.PI * f * FRAME * i);
      products[0][i] = w[i] * c * c;
      products[1][i] = w[i] * s * s;
      products[2][i] = w[i] * c * s;
      products[3][i] = w[i] * e[i] * c;
      products[4][i] = w[i] * e[i] * s;
      for (let k = 0; k < 5; k++) tails[k][i] = tails[k][i + 1] + products[k][i];
    }
  };
  const [wcc, wss, wcs, wyc, wys] = products;
  /** Best phase and depth for one envelope at the tuned rate. */
  const probe = (f: number, delay: number, build: number) => {
    // all of it from where the envelope has risen
    const risen = Math.max(0, Math.min(n, Math.ceil((delay + build) / FRAME)));
    let cc = 1e-9 + tails[0][risen];
    let ss = 1e-9 + tails[1][risen];
    let cs = tails[2][risen];
    let yc = tails[3][risen];
    let ys = tails[4][risen];
    for (let i = Math.max(0, Math.ceil(delay / FRAME)); i < risen; i++) {
      const g = smoothStep((i * FRAME - delay) / build);
      const g2 = g * g;
      cc += g2 * wcc[i];
      ss += g2 * wss[i];
      cs += g2 * wcs[i];
      yc += g * wyc[i];
      ys += g * wys[i];
    }
    const D = cc * ss - cs * cs;
    if (D < 1e-6) return;
    const A = (yc * ss - ys * cs) / D;
    const B = (ys * cc - yc * cs) / D;
    const cost = total - A * yc - B * ys;
    if (!best || cost < best.cost)
      best = { cost, total, rate: f, delay, build, depth: Math.hypot(A, B), phase: Math.atan2(A, B) };
  };
  const last = Math.min(length * 0.75, length - 0.25);
  tune(rate);
  for (const build of builds) for (let d = -0.1; d < last; d += 0.03) probe(rate, d, build);
  if (!best) return null;
  const found = () => best as unknown as VibratoShape;
  for (let step = 0.25; step > 0.01; step /= 2)
    for (const f of [found().rate - step, found().rate + step]) {
      tune(f);
      probe(f, found().delay, found().build);
    }
  const fine = found().rate;
  tune(fine);
  for (const build of builds) for (let d = -0.1; d < last; d += 0.02) probe(fine, d, build);
  return best;
}

/**
 * The body of one note: slow movement, vibrato, way in and way out, by penalised least squares with one robust re-weighting.
 * @param y cents per frame @param weights 0..1 per frame
 * @param freeIn whether the note may have a way in (false at a join) @param freeOut likewise out
 * Cost: O(n) per rate tried.
 */
export function fitBody(y: Float64Array, weights: Float64Array, freeIn: boolean, freeOut: boolean): Body {
  // about nought, where the last bits of a number are small: what is ill determined would show them
  const base = Math.round(y[weights.findIndex(v => v > 0)] ?? y[0] ?? 0);
  const body = fitAbout(
    y.map(v => v - base),
    weights,
    freeIn,
    freeOut,
  );
  for (let i = 0; i < body.slow.length; i++) body.slow[i] += base;
  return body;
}

function fitAbout(y: Float64Array, weights: Float64Array, freeIn: boolean, freeOut: boolean): Body {
  const n = y.length;
  const w = Float64Array.from(weights);
  const seen = w.reduce((c, v) => c + (v > 0.05 ? 1 : 0), 0);
  if (seen < 6) {
    const sung = y.filter((_, i) => w[i] > 0);
    const sorted = (sung.length ? sung : y).slice().sort();
    return {
      slow: new Float64Array(n).fill(sorted[sorted.length >> 1] ?? 0),
      vibrato: new Float64Array(n),
      vibratoShape: null,
      wayIn: null,
      wayOut: null,
      weights: w,
    };
  }
  const length = n * FRAME;
  const way = Math.min(LONGEST_WAY, length / 2);
  const ways: Ways = {
    ins: freeIn ? wayShapes(n, 'in', way) : [],
    outs: freeOut ? wayShapes(n, 'out', way) : [],
    outLength: Math.min(n, Math.ceil(way / FRAME) + 1),
  };
  let fit!: Fit;
  let parts!: Parts;
  let vibratoShape: VibratoShape | null = null;
  for (let pass = 0; pass < 2; pass++) {
    const none = fitAt(y, w, 0, ways);
    fit = none;
    vibratoShape = null;
    if (seen * FRAME > LEAST_CYCLES / 6.5) {
      let best: Fit | null = null;
      let rate = 0;
      for (let f = RATE.low; f <= RATE.high; f *= RATE.step) {
        const q = fitAt(y, w, f, ways);
        if (best && q.cost >= best.cost) continue;
        best = q;
        rate = f;
      }
      const b = best!;
      const ratio = none.cost / (b.cost + seen * 2);
      const rest = () => {
        const { slow } = b.parts();
        return y.map((v, i) => (w[i] > 0 ? v - slow[i] - wayAt(b.wayIn, i) - wayAt(b.wayOut, i) : 0));
      };
      const shape = ratio > LEAST_GAIN ? findVibratoShape(rest(), w, rate) : null;
      if (shape && isVibrato(shape, length)) {
        vibratoShape = {
          rate: shape.rate,
          depth: shape.depth,
          delay: Math.max(0, shape.delay),
          build: shape.build,
          phase: shape.phase,
        };
        fit = fitAt(y, w, shape.rate, ways);
      }
    }
    parts = fit.parts();
    if (pass) break;
    for (let i = 0; i < n; i++) {
      const off =
        (y[i] - parts.slow[i] - parts.vibrato[i] - wayAt(fit.wayIn, i) - wayAt(fit.wayOut, i)) / OUTLIER_CENTS;
      w[i] = weights[i] / (1 + off * off);
    }
  }
  return { ...parts, vibratoShape, wayIn: fit.wayIn, wayOut: fit.wayOut, weights: w };
}

function isVibrato(s: VibratoShape & { cost: number; total: number }, length: number): boolean {
  const cycles = (length - Math.max(0, s.delay)) * s.rate;
  const explained = 1 - s.cost / (s.total + 1e-9);
  return (
    s.depth >= LEAST_DEPTH && cycles >= LEAST_CYCLES && explained > LEAST_EXPLAINED && s.rate > 3.4 && s.rate < 9.2
  );
}
