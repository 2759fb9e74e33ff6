/**
 * Inner loops in single precision, four numbers a vector: transforms of pairs of real frames, lags, predictions and decimation.
 * AssemblyScript; `node scripts/wasm.mjs` compiles it to core/src/signal/single-code.ts, and a test holds the two together.
 */

function swapped(a: v128): v128 {
  return v128.shuffle<f32>(a, a, 1, 0, 3, 2);
}

function turned(a: v128, re: v128, im: v128): v128 {
  return f32x4.add(f32x4.mul(a, re), f32x4.mul(swapped(a), im));
}

/** Of four pairs side by side the first numbers, and the second; from the last pair to the first. */
function firsts(u: v128, v: v128): v128 {
  return v128.shuffle<f32>(u, v, 0, 2, 4, 6);
}
function seconds(u: v128, v: v128): v128 {
  return v128.shuffle<f32>(u, v, 1, 3, 5, 7);
}
function firstsBack(u: v128, v: v128): v128 {
  return v128.shuffle<f32>(u, v, 6, 4, 2, 0);
}
function secondsBack(u: v128, v: v128): v128 {
  return v128.shuffle<f32>(u, v, 7, 5, 3, 1);
}

/** Writes two fours of numbers as pairs, on from a place; from the last pair to the first. */
function putPairs(out: usize, u: v128, v: v128): void {
  v128.store(out, v128.shuffle<f32>(u, v, 0, 4, 1, 5));
  v128.store(out, v128.shuffle<f32>(u, v, 2, 6, 3, 7), 16);
}
function putPairsBack(out: usize, u: v128, v: v128): void {
  v128.store(out, v128.shuffle<f32>(u, v, 3, 7, 2, 6));
  v128.store(out, v128.shuffle<f32>(u, v, 1, 5, 0, 4), 16);
}

function sumOf(a: v128): f32 {
  return f32x4.extract_lane(a, 0) + f32x4.extract_lane(a, 1) + (f32x4.extract_lane(a, 2) + f32x4.extract_lane(a, 3));
}

/** Two real frames under a window, side by side as the real and the imaginary part; n is rounded up to a multiple of four. */
export function pair(a: usize, b: usize, window: usize, n: i32, out: usize): void {
  for (let i = 0; i < n; i += 4) {
    const w = v128.load(window);
    const u = f32x4.mul(v128.load(a), w);
    const v = f32x4.mul(v128.load(b), w);
    putPairs(out, u, v);
    a += 16;
    b += 16;
    window += 16;
    out += 32;
  }
}

/**
 * The first stage of a transform (Stockham's order): m butterflies of radix four, two at a time. m is even.
 * @param w a pair's three twiddles at a time: (re, re) (-im, im) of both
 */
export function first(x: usize, y: usize, m: i32, w: usize): void {
  const quarter: usize = (<usize>m) << 3;
  const sign: v128 = f32x4(0.0, -0.0, 0.0, -0.0);
  const end = x + quarter;
  while (x < end) {
    const a = v128.load(x);
    const b = v128.load(x + quarter);
    const c = v128.load(x + 2 * quarter);
    const d = v128.load(x + 3 * quarter);
    const ap = f32x4.add(a, c);
    const am = f32x4.sub(a, c);
    const bp = f32x4.add(b, d);
    const bm = f32x4.sub(b, d);
    // times -j: (re, im) becomes (im, -re)
    const j = v128.xor(swapped(bm), sign);
    const r0 = f32x4.add(ap, bp);
    const r1 = turned(f32x4.add(am, j), v128.load(w), v128.load(w, 16));
    const r2 = turned(f32x4.sub(ap, bp), v128.load(w, 32), v128.load(w, 48));
    const r3 = turned(f32x4.sub(am, j), v128.load(w, 64), v128.load(w, 80));
    v128.store(y, v128.shuffle<f64>(r0, r1, 0, 2));
    v128.store(y, v128.shuffle<f64>(r2, r3, 0, 2), 16);
    v128.store(y, v128.shuffle<f64>(r0, r1, 1, 3), 32);
    v128.store(y, v128.shuffle<f64>(r2, r3, 1, 3), 48);
    w += 96;
    x += 16;
    y += 64;
  }
}

/** A later stage: m butterflies of s neighbours each; s is even. @param w three twiddles a butterfly, each for a whole vector */
export function four(x: usize, y: usize, m: i32, s: i32, w: usize): void {
  const step: usize = (<usize>s) << 3;
  const quarter: usize = step * <usize>m;
  const sign: v128 = f32x4(0.0, -0.0, 0.0, -0.0);
  for (let p = 0; p < m; p++) {
    const w1r = v128.load(w);
    const w1i = v128.load(w, 16);
    const w2r = v128.load(w, 32);
    const w2i = v128.load(w, 48);
    const w3r = v128.load(w, 64);
    const w3i = v128.load(w, 80);
    w += 96;
    let i = x + step * <usize>p;
    let o = y + 4 * step * <usize>p;
    const end = i + step;
    while (i < end) {
      const a = v128.load(i);
      const b = v128.load(i + quarter);
      const c = v128.load(i + 2 * quarter);
      const d = v128.load(i + 3 * quarter);
      const ap = f32x4.add(a, c);
      const am = f32x4.sub(a, c);
      const bp = f32x4.add(b, d);
      const bm = f32x4.sub(b, d);
      const j = v128.xor(swapped(bm), sign);
      v128.store(o, f32x4.add(ap, bp));
      v128.store(o + step, turned(f32x4.add(am, j), w1r, w1i));
      v128.store(o + 2 * step, turned(f32x4.sub(ap, bp), w2r, w2i));
      v128.store(o + 3 * step, turned(f32x4.sub(am, j), w3r, w3i));
      i += 16;
      o += 16;
    }
  }
}

/** The last stage where the size is no power of four: s butterflies of radix two; s is even. */
export function two(x: usize, y: usize, s: i32): void {
  const half: usize = (<usize>s) << 3;
  const end = x + half;
  while (x < end) {
    const a = v128.load(x);
    const b = v128.load(x + half);
    v128.store(y, f32x4.add(a, b));
    v128.store(y + half, f32x4.sub(a, b));
    x += 16;
    y += 16;
  }
}

/**
 * Power spectra, times four, of the two real frames a transform was made of; or the fourth roots of them.
 * @param z the transform, its first number again after its last @param n its size @param count of bins, rounded up to a multiple of four
 */
export function powers(z: usize, n: i32, count: i32, roots: i32, a: usize, b: usize): void {
  let back = z + ((<usize>(n - 3)) << 3);
  for (let i = 0; i < count; i += 4) {
    const u = v128.load(z);
    const v = v128.load(z, 16);
    const re = firsts(u, v);
    const im = seconds(u, v);
    const s = v128.load(back);
    const t = v128.load(back, 16);
    // from the end on backwards
    const rb = firstsBack(s, t);
    const ib = secondsBack(s, t);
    const ar = f32x4.add(re, rb);
    const ai = f32x4.sub(im, ib);
    const br = f32x4.add(im, ib);
    const bi = f32x4.sub(rb, re);
    let pa = f32x4.add(f32x4.mul(ar, ar), f32x4.mul(ai, ai));
    let pb = f32x4.add(f32x4.mul(br, br), f32x4.mul(bi, bi));
    if (roots) {
      pa = f32x4.sqrt(f32x4.sqrt(pa));
      pb = f32x4.sqrt(f32x4.sqrt(pb));
    }
    v128.store(a, pa);
    v128.store(b, pb);
    z += 32;
    back -= 32;
    a += 16;
    b += 16;
  }
}

/** Two symmetric spectra of n / 2 + 1 bins as the real and imaginary parts of one of n; writes one number more. */
export function mirrored(a: usize, b: usize, n: i32, out: usize): void {
  let back = out + ((<usize>(n - 3)) << 3);
  for (let i = n >> 1; i > 0; i -= 4) {
    const u = v128.load(a);
    const v = v128.load(b);
    putPairs(out, u, v);
    putPairsBack(back, u, v);
    a += 16;
    b += 16;
    out += 32;
    back -= 32;
  }
  store<f32>(out, load<f32>(a));
  store<f32>(out, load<f32>(b), 4);
}

/**
 * Normalised square differences of a frame at the lags from one to another: 2 r / (e1 + e2).
 * @param x the frame, n numbers @param r its autocorrelation, times size, every second number @param out a number a lag, lag 0 at its beginning
 */
export function similarity(x: usize, n: i32, r: usize, size: f64, from: i32, to: i32, out: usize): void {
  let squares: v128 = f64x2.splat(0);
  const end = x + ((<usize>n) << 2);
  for (let i = x; i < end; i += 8) {
    const v = f64x2.promote_low_f32x4(v128.load64_zero(i));
    squares = f64x2.add(squares, f64x2.mul(v, v));
  }
  // of both stretches: what either loses with each lag is taken off
  let both = 2 * (f64x2.extract_lane(squares, 0) + f64x2.extract_lane(squares, 1)) + 1e-10 * <f64>n;
  const scale = 2 / size;
  for (let lag = 0; lag <= to; lag++) {
    if (lag > 0) {
      const u = <f64>load<f32>(x + ((<usize>(n - lag)) << 2));
      const v = <f64>load<f32>(x + ((<usize>(lag - 1)) << 2));
      both -= u * u + v * v;
    }
    if (lag >= from)
      store<f32>(out + ((<usize>lag) << 2), <f32>((<f64>load<f32>(r + ((<usize>lag) << 3)) * scale) / both));
  }
}

/** How alike two stretches are that lie symmetric about a centre: r / sqrt(e1 e2), or 2 r / (e1 + e2); 0 where they reach beyond the sound. */
function likeness(correlated: bool, x: usize, count: i32, centre: i32, length: i32, lag: i32): f32 {
  const a = centre - ((length + lag) >> 1);
  if (a < 0 || a + lag + length > count) return 0;
  let i = x + ((<usize>a) << 2);
  let j = i + ((<usize>lag) << 2);
  let r: v128 = f32x4.splat(0);
  let e: v128 = f32x4.splat(0);
  let g: v128 = f32x4.splat(0);
  let left = length;
  for (; left >= 4; left -= 4) {
    const u = v128.load(i);
    const v = v128.load(j);
    r = f32x4.add(r, f32x4.mul(u, v));
    e = f32x4.add(e, f32x4.mul(u, u));
    g = f32x4.add(g, f32x4.mul(v, v));
    i += 16;
    j += 16;
  }
  let rs = <f64>sumOf(r);
  let es = <f64>sumOf(e);
  let gs = <f64>sumOf(g);
  for (; left > 0; left--) {
    const u = <f64>load<f32>(i);
    const v = <f64>load<f32>(j);
    rs += u * v;
    es += u * u;
    gs += v * v;
    i += 4;
    j += 4;
  }
  return <f32>(correlated ? rs / sqrt<f64>((es + 1e-14) * (gs + 1e-14)) : (2 * rs) / (es + gs + 1e-12));
}

function climbed(
  correlated: bool,
  x: usize,
  count: i32,
  centre: i32,
  length: i32,
  lag: i32,
  steps: i32,
  out: usize,
): i32 {
  let y1 = likeness(correlated, x, count, centre, length, lag);
  let y0 = likeness(correlated, x, count, centre, length, lag - 1);
  let y2 = likeness(correlated, x, count, centre, length, lag + 1);
  for (let left = steps; left > 0 && (y0 > y1 || y2 > y1); left--) {
    if (y0 > y2) {
      lag--;
      y2 = y1;
      y1 = y0;
      y0 = likeness(correlated, x, count, centre, length, lag - 1);
    } else {
      lag++;
      y0 = y1;
      y1 = y2;
      y2 = likeness(correlated, x, count, centre, length, lag + 1);
    }
  }
  store<f32>(out, y0);
  store<f32>(out, y1, 4);
  store<f32>(out, y2, 8);
  return lag;
}

/**
 * Climbs from a lag to the nearest top of the normalised square difference of two stretches of a length, lying symmetric about a centre.
 * @param x so many samples @param steps it climbs at most @param out gets what lies before, at and after the top
 * @returns the lag at the top, or where it was given up
 */
export function climb(x: usize, count: i32, centre: i32, length: i32, lag: i32, steps: i32, out: usize): i32 {
  return climbed(false, x, count, centre, length, lag, steps, out);
}

/** Correlations r / sqrt(e1 e2) of two such stretches at the lags from one to another. */
export function correlations(x: usize, count: i32, centre: i32, length: i32, from: i32, to: i32, out: usize): void {
  for (let lag = from; lag <= to; lag++, out += 4) store<f32>(out, likeness(true, x, count, centre, length, lag));
}

/**
 * The top of the correlation of two such stretches near a lag: the best of those `coarse` apart, up to `spread` away and less a price for
 * the square of what they are off, then climbed from there. @param out gets what lies before, at and after the top
 */
export function match(
  x: usize,
  count: i32,
  centre: i32,
  length: i32,
  near: f64,
  spread: i32,
  coarse: i32,
  price: f64,
  steps: i32,
  out: usize,
): i32 {
  const expected = <i32>floor<f64>(near + 0.5);
  let best: f64 = -2;
  let lag = expected;
  for (let d = expected - spread; d <= expected + spread; d += coarse) {
    const off = <f64>d - near;
    const v = <f64>likeness(true, x, count, centre, length, d) - price * off * off;
    if (v > best) {
      best = v;
      lag = d;
    }
  }
  return climbed(true, x, count, centre, length, lag, steps, out);
}

/** A phasor at four samples one after the other: its cosine, or its sine. */
function lanesOf(c: f32, s: f32, dc: f32, ds: f32, sine: bool): v128 {
  const c1 = c * dc - s * ds;
  const s1 = c * ds + s * dc;
  const c2 = c1 * dc - s1 * ds;
  const s2 = c1 * ds + s1 * dc;
  let v = f32x4.splat(sine ? s : c);
  v = f32x4.replace_lane(v, 1, sine ? s1 : c1);
  v = f32x4.replace_lane(v, 2, sine ? s2 : c2);
  return f32x4.replace_lane(v, 3, sine ? c2 * ds + s2 * dc : c2 * dc - s2 * ds);
}

/**
 * A stretch under a Hann window against a turning phasor: sums of x h c and - x h s, and of x x h.
 * @param n is rounded up to a multiple of four; x is 0 beyond @param c cosine and sine of the phasor at the first sample, @param dc of its turn a sample
 * @param ec of the window's turn a sample @param out three numbers
 */
export function phasor(x: usize, n: i32, c: f32, s: f32, dc: f32, ds: f32, ec: f32, es: f32, out: usize): void {
  let pc = lanesOf(c, s, dc, ds, false);
  let ps = lanesOf(c, s, dc, ds, true);
  let hc = lanesOf(-1, 0, ec, es, false);
  let hs = lanesOf(-1, 0, ec, es, true);
  // four samples on
  const d2c = dc * dc - ds * ds;
  const d2s = dc * ds + dc * ds;
  const d4c = f32x4.splat(d2c * d2c - d2s * d2s);
  const d4s = f32x4.splat(d2c * d2s + d2c * d2s);
  const e2c = ec * ec - es * es;
  const e2s = ec * es + ec * es;
  const e4c = f32x4.splat(e2c * e2c - e2s * e2s);
  const e4s = f32x4.splat(e2c * e2s + e2c * e2s);
  const half = f32x4.splat(0.5);
  let re: v128 = f32x4.splat(0);
  let im: v128 = f32x4.splat(0);
  let power: v128 = f32x4.splat(0);
  for (let i = 0; i < n; i += 4) {
    const u = v128.load(x);
    const v = f32x4.mul(u, f32x4.add(half, f32x4.mul(half, hc)));
    power = f32x4.add(power, f32x4.mul(u, v));
    re = f32x4.add(re, f32x4.mul(v, pc));
    im = f32x4.sub(im, f32x4.mul(v, ps));
    const p = f32x4.sub(f32x4.mul(pc, d4c), f32x4.mul(ps, d4s));
    ps = f32x4.add(f32x4.mul(pc, d4s), f32x4.mul(ps, d4c));
    pc = p;
    const h = f32x4.sub(f32x4.mul(hc, e4c), f32x4.mul(hs, e4s));
    hs = f32x4.add(f32x4.mul(hc, e4s), f32x4.mul(hs, e4c));
    hc = h;
    x += 16;
  }
  store<f32>(out, sumOf(re));
  store<f32>(out, sumOf(im), 4);
  store<f32>(out, sumOf(power), 8);
}

/**
 * The best chain of places, each about a period after the one before: score[i] = worth[i] + the best score[i - d] - price (d / period - 1)^2
 * with d within a spread of the period; a chain may begin within the first period and a fifth.
 * @param periods in places @param from gets where each came from, or -1
 */
export function chain(worth: usize, periods: usize, n: i32, spread: f32, price: f32, score: usize, from: usize): void {
  const prices = f32x4.splat(price);
  const one = f32x4.splat(1);
  const four = i32x4.splat(4);
  for (let i = 0; i < n; i++) {
    const at: usize = (<usize>i) << 2;
    const T = load<f32>(periods + at);
    let best: f32 = <f32>i < T * <f32>1.2 ? 0 : -1e9;
    let origin = -1;
    let j = i - <i32>ceil<f32>(T * (1 + spread));
    if (j < 0) j = 0;
    const nearest = <i32>floor<f32>(T * (1 - spread));
    const last = i - (nearest > 1 ? nearest : 1);
    const turn: f32 = 1 / T;
    if (last - j >= 3) {
      const turns = f32x4.splat(turn);
      let q = f32x4.sub(f32x4.mul(f32x4.sub(f32x4.splat(<f32>(i - j)), f32x4(0, 1, 2, 3)), turns), one);
      const stepped = f32x4.mul(f32x4.splat(4), turns);
      let where = i32x4.add(i32x4.splat(j), i32x4(0, 1, 2, 3));
      let tops = f32x4.splat(-1e9);
      let tip = i32x4.splat(-1);
      for (; j + 3 <= last; j += 4) {
        const v = f32x4.sub(v128.load(score + ((<usize>j) << 2)), f32x4.mul(prices, f32x4.mul(q, q)));
        const more = f32x4.gt(v, tops);
        tops = v128.bitselect(v, tops, more);
        tip = v128.bitselect(where, tip, more);
        q = f32x4.sub(q, stepped);
        where = i32x4.add(where, four);
      }
      const t0 = f32x4.extract_lane(tops, 0);
      const t1 = f32x4.extract_lane(tops, 1);
      const t2 = f32x4.extract_lane(tops, 2);
      const t3 = f32x4.extract_lane(tops, 3);
      if (t0 > best) {
        best = t0;
        origin = i32x4.extract_lane(tip, 0);
      }
      if (t1 > best) {
        best = t1;
        origin = i32x4.extract_lane(tip, 1);
      }
      if (t2 > best) {
        best = t2;
        origin = i32x4.extract_lane(tip, 2);
      }
      if (t3 > best) {
        best = t3;
        origin = i32x4.extract_lane(tip, 3);
      }
    }
    for (; j <= last; j++) {
      const q = <f32>(i - j) * turn - 1;
      const v = load<f32>(score + ((<usize>j) << 2)) - price * q * q;
      if (v > best) {
        best = v;
        origin = j;
      }
    }
    store<f32>(score + at, best + load<f32>(worth + at));
    store<i32>(from + at, origin);
  }
}

/** Autocorrelation of a frame under a window at lags 0 to the highest. @param frame room for it, zeros before it for that many @param n is rounded up to a multiple of four */
export function autocorrelation(x: usize, window: usize, n: i32, highest: i32, frame: usize, out: usize): void {
  for (let i: usize = 0; i < (<usize>n) << 2; i += 16)
    v128.store(frame + i, f32x4.mul(v128.load(x + i), v128.load(window + i)));
  for (let lag = 0; lag <= highest; lag++) {
    let s: v128 = f32x4.splat(0);
    const shift: usize = (<usize>lag) << 2;
    const end = frame + ((<usize>n) << 2);
    for (let i = frame; i < end; i += 16) s = f32x4.add(s, f32x4.mul(v128.load(i), v128.load(i - shift)));
    store<f32>(out, sumOf(s));
    out += 4;
  }
}

/** out[i] = sum of taps[k] x[i + k]; n is rounded up to a multiple of four. */
export function filtered(x: usize, taps: usize, count: i32, n: i32, out: usize): void {
  const last = taps + ((<usize>count) << 2);
  for (let i = 0; i < n; i += 4) {
    let s: v128 = f32x4.splat(0);
    let a = x;
    for (let h = taps; h < last; h += 4) {
      s = f32x4.add(s, f32x4.mul(v128.load32_splat(h), v128.load(a)));
      a += 4;
    }
    v128.store(out, s);
    x += 16;
    out += 16;
  }
}

/** Even and odd numbers of x apart, n of each; n is rounded up to a multiple of four. */
export function apart(x: usize, n: i32, even: usize, odd: usize): void {
  for (let i = 0; i < n; i += 4) {
    const u = v128.load(x);
    const v = v128.load(x, 16);
    v128.store(even, firsts(u, v));
    v128.store(odd, seconds(u, v));
    x += 32;
    even += 16;
    odd += 16;
  }
}

/**
 * A symmetric filter: out[i] = middle[i] taps[0] + sum over k from 1 of taps[k] (left[i - (k - 1) step] + right[i + (k - 1) step]).
 * @param n is rounded up to a multiple of four
 */
export function symmetric(
  middle: usize,
  left: usize,
  right: usize,
  step: i32,
  taps: usize,
  count: i32,
  n: i32,
  out: usize,
): void {
  const stride: usize = (<usize>step) << 2;
  const h0 = v128.load32_splat(taps);
  const end = taps + ((<usize>count) << 2);
  for (let i = 0; i < n; i += 4) {
    let s = f32x4.mul(v128.load(middle), h0);
    let a = left;
    let b = right;
    for (let h = taps + 4; h < end; h += 4) {
      s = f32x4.add(s, f32x4.mul(v128.load32_splat(h), f32x4.add(v128.load(a), v128.load(b))));
      a -= stride;
      b += stride;
    }
    v128.store(out, s);
    middle += 16;
    left += 16;
    right += 16;
    out += 16;
  }
}

/** A sound at a fractional sample, by 8 taps of one of 256 phases. @param x the first of its samples is sample `zero` of the sound */
function readAt(x: usize, zero: i32, table: usize, t: f64): f32 {
  const whole = floor<f64>(t);
  const h = table + ((<usize>(<i32>((t - whole) * 256.0 + 0.5))) << 5);
  const a = x + ((<usize>(<i32>whole - 3 - zero)) << 2);
  return sumOf(f32x4.add(f32x4.mul(v128.load(a), v128.load(h)), f32x4.mul(v128.load(a, 16), v128.load(h, 16))));
}

/**
 * Reads a sound at n places base + (first + i - origin) * step.
 * @param x samples, the first of which is sample `zero` of the sound @param table 257 phases of 8 taps
 */
export function along(
  x: usize,
  zero: i32,
  table: usize,
  base: f64,
  first: f64,
  origin: f64,
  step: f64,
  n: i32,
  out: usize,
): void {
  for (let i = 0; i < n; i++) {
    store<f32>(out, readAt(x, zero, table, base + (first + <f64>i - origin) * step));
    out += 4;
  }
}

/**
 * What a period differs by from those beside it, a quarter of both: .5 x[first + i] - .25 (one read from `before` on, one from `after` on).
 * @param x samples, the first of which is sample `zero` of the sound
 */
export function comb(
  x: usize,
  zero: i32,
  table: usize,
  before: f64,
  stepBefore: f64,
  after: f64,
  stepAfter: f64,
  first: i32,
  n: i32,
  out: usize,
): void {
  let here = x + ((<usize>(first - zero)) << 2);
  for (let i = 0; i < n; i++) {
    const a = readAt(x, zero, table, before + <f64>i * stepBefore);
    const b = readAt(x, zero, table, after + <f64>i * stepAfter);
    store<f32>(out, <f32>0.5 * load<f32>(here) - <f32>0.25 * (a + b));
    here += 4;
    out += 4;
  }
}

/**
 * A filter of second order, its sums in double precision: y = b0 x + b1 x1 + b2 x2 + a1 y1 + a2 y2.
 * @param c doubles: b0, b1, b2, a1, a2, then what came before: x1, x2, y1, y2, kept for the next stretch
 */
export function biquad(x: usize, n: i32, c: usize, out: usize): void {
  const b0 = load<f64>(c);
  const b1 = load<f64>(c, 8);
  const b2 = load<f64>(c, 16);
  const a1 = load<f64>(c, 24);
  const a2 = load<f64>(c, 32);
  let x1 = load<f64>(c, 40);
  let x2 = load<f64>(c, 48);
  let y1 = load<f64>(c, 56);
  let y2 = load<f64>(c, 64);
  const end = x + ((<usize>n) << 2);
  while (x < end) {
    const v = <f64>load<f32>(x);
    const y = b0 * v + b1 * x1 + b2 * x2 + a2 * y2 + a1 * y1;
    x2 = x1;
    x1 = v;
    y2 = y1;
    y1 = y;
    store<f32>(out, <f32>y);
    x += 4;
    out += 4;
  }
  store<f64>(c, x1, 40);
  store<f64>(c, x2, 48);
  store<f64>(c, y1, 56);
  store<f64>(c, y2, 64);
}

/** Distances of one point from n others that lie one after the other: roots of the sums of squares over a number of dimensions. */
export function distances(x: usize, y: usize, dimensions: i32, n: i32, out: usize): void {
  const stride: usize = (<usize>dimensions) << 2;
  const fours: usize = (<usize>(dimensions & ~3)) << 2;
  for (let i = 0; i < n; i++) {
    let s: v128 = f32x4.splat(0);
    for (let d: usize = 0; d < fours; d += 16) {
      const v = f32x4.sub(v128.load(x + d), v128.load(y + d));
      s = f32x4.add(s, f32x4.mul(v, v));
    }
    let sum = sumOf(s);
    for (let d = fours; d < stride; d += 4) {
      const v = load<f32>(x + d) - load<f32>(y + d);
      sum += v * v;
    }
    store<f32>(out, sqrt<f32>(sum));
    y += stride;
    out += 4;
  }
}

/**
 * What whole numbers of 24 bits samples are, one or-ed to the other; -1 where one is none, or is minus zero.
 * @param n a multiple of four
 */
export function wholes(x: usize, n: i32): i32 {
  const most = i32x4.splat(0x800000);
  let used = i32x4.splat(0);
  let odd = i32x4.splat(0);
  for (let i = 0; i < n; i += 4) {
    const v = v128.load(x);
    const steps = f32x4.mul(v, f32x4.splat(8388608));
    const whole = i32x4.trunc_sat_f32x4_s(steps);
    odd = v128.or(odd, f32x4.ne(f32x4.convert_i32x4_s(whole), steps));
    odd = v128.or(odd, i32x4.ge_s(whole, most));
    odd = v128.or(odd, i32x4.lt_s(whole, i32x4.neg(most)));
    odd = v128.or(odd, i32x4.eq(v, i32x4.splat(0x80000000)));
    used = v128.or(used, whole);
    x += 16;
  }
  if (v128.any_true(odd)) return -1;
  const halves = v128.or(used, v128.shuffle<i32>(used, used, 2, 3, 0, 1));
  return (i32x4.extract_lane(halves, 0) | i32x4.extract_lane(halves, 1)) & 0xffffff;
}

/** Samples in steps of so many to one. @param n a multiple of four */
export function counted(x: usize, n: i32, steps: f32, out: usize): void {
  for (let i = 0; i < n; i += 4) {
    v128.store(out, i32x4.trunc_sat_f32x4_s(f32x4.mul(v128.load(x), f32x4.splat(steps))));
    x += 16;
    out += 16;
  }
}

/** What n numbers, from x on, differ by from the one before each. @param n a multiple of four */
export function differences(x: usize, n: i32, out: usize): void {
  for (let i = 0; i < n; i += 4) {
    v128.store(out, i32x4.sub(v128.load(x), v128.load(x - 4)));
    x += 16;
    out += 16;
  }
}

/** Bits that each of so many groups of 128 numbers takes a number, with the sign in the lowest: a byte each. @returns their sum */
export function widths(x: usize, groups: i32, out: usize): i32 {
  let sum = 0;
  for (let g = 0; g < groups; g++) {
    let used = i32x4.splat(0);
    for (let i = 0; i < 32; i++) {
      const v = v128.load(x);
      used = v128.or(used, v128.xor(i32x4.shl(v, 1), i32x4.shr_s(v, 31)));
      x += 16;
    }
    const halves = v128.or(used, v128.shuffle<i32>(used, used, 2, 3, 0, 1));
    const width = 32 - clz<i32>(i32x4.extract_lane(halves, 0) | i32x4.extract_lane(halves, 1));
    store<u8>(out + g, width);
    sum += width;
  }
  return sum;
}

/** Puts groups of 128 numbers one after the other, each number in its group's width, from the lowest bit of a word on. */
export function packed(x: usize, widths: usize, groups: i32, out: usize): void {
  for (let g = 0; g < groups; g++) {
    const width = <i32>load<u8>(widths + g);
    let word: u64 = 0;
    let fill = 0;
    for (let i = 0; i < 128; i++) {
      const v = load<i32>(x);
      x += 4;
      word |= (<u64>(<u32>((v << 1) ^ (v >> 31)))) << fill;
      fill += width;
      if (fill < 32) continue;
      store<u32>(out, <u32>word);
      out += 4;
      word >>= 32;
      fill -= 32;
    }
  }
}

/**
 * The same back, summed up as often as they are differences.
 * @param words of the groups @param before of each order below, the number before the first; overwritten
 * @param out samples: sums times step
 */
export function unpacked(
  words: usize,
  widths: usize,
  groups: i32,
  order: i32,
  before: usize,
  step: f32,
  out: usize,
): void {
  let a = load<i32>(before);
  let b = load<i32>(before, 4);
  let c = load<i32>(before, 8);
  let d = load<i32>(before, 12);
  for (let g = 0; g < groups; g++) {
    const width = <u32>load<u8>(widths + g);
    const mask = <u32>(((<u64>1) << width) - 1);
    let bit: u32 = 0;
    for (let i = 0; i < 128; i++) {
      const number = <u32>(load<u64>(words + (bit >> 3)) >> (bit & 7)) & mask;
      bit += width;
      let v = <i32>(number >> 1) ^ -(<i32>(number & 1));
      if (order > 3) v = d = d + v;
      if (order > 2) v = c = c + v;
      if (order > 1) v = b = b + v;
      if (order > 0) v = a = a + v;
      store<f32>(out, <f32>v * step);
      out += 4;
    }
    words += width << 4;
  }
}

/** What cannot be come to. */
const NEVER: f64 = 1e9;

/**
 * One row of the cheapest way through two takes by dynamic programming, lead frames [lo, hi] at one frame of the follower, in double
 * precision: the price of both going on, of the follower alone, of the lead alone, and how each was come to (three bits, two and two).
 * @param here the row's distances, before those of the row before it @param quiet whether each lead frame is silent, from lo on
 * @param rows where prices lie, f64 each: both here, one and two rows before, alone here and before, skipped here and before
 * @param prices of a slope, of a moment alone in silence and in sound, of beginning to be alone in silence, at its edge, in sound
 * @param first whether nothing lies before
 */
export function wayRow(
  here: usize,
  before: usize,
  quiet: usize,
  rows: usize,
  lo: i32,
  hi: i32,
  lo1: i32,
  hi1: i32,
  lo2: i32,
  hi2: i32,
  quietHere: i32,
  first: i32,
  prices: usize,
  out: usize,
): void {
  const match = <usize>load<u32>(rows);
  const match1 = <usize>load<u32>(rows, 4);
  const match2 = <usize>load<u32>(rows, 8);
  const alone = <usize>load<u32>(rows, 12);
  const alone1 = <usize>load<u32>(rows, 16);
  const skipped = <usize>load<u32>(rows, 20);
  const skipped1 = <usize>load<u32>(rows, 24);
  const slope = load<f64>(prices);
  const silentAlone = load<f64>(prices, 8);
  const soundingAlone = load<f64>(prices, 16);
  const openSilent = load<f64>(prices, 24);
  const openEdge = load<f64>(prices, 32);
  const openSounding = load<f64>(prices, 40);
  const aloneHere = quietHere ? silentAlone : soundingAlone;
  for (let j = lo; j <= hi; j++) {
    const c: usize = <usize>(j - lo);
    const d = <f64>load<f32>(here + (c << 2));
    const quietThere = load<u8>(quiet + c) != 0;
    const skipHere = quietThere ? silentAlone : soundingAlone;
    const at = c << 3;
    if (first && j == 0) {
      store<f64>(match, d);
      store<f64>(alone, aloneHere);
      store<f64>(skipped, skipHere);
      store<u8>(out, 0);
      continue;
    }
    let best = NEVER;
    let how = 0;
    if (j - 1 >= lo1 && j - 1 <= hi1) {
      const diagonal = (<usize>(j - 1 - lo1)) << 3;
      best = load<f64>(match1 + diagonal) + d;
      how = 1;
      const left = load<f64>(alone1 + diagonal) + d;
      if (left < best) {
        best = left;
        how = 4;
      }
      const passed = load<f64>(skipped1 + diagonal) + d;
      if (passed < best) {
        best = passed;
        how = 5;
      }
    }
    if (j - 2 >= lo1 && j - 2 <= hi1) {
      const v = load<f64>(match1 + ((<usize>(j - 2 - lo1)) << 3)) + d * 1.5 + slope;
      if (v < best) {
        best = v;
        how = 2;
      }
    }
    if (j - 1 >= lo2 && j - 1 <= hi2 && j >= lo1 && j <= hi1) {
      const v =
        load<f64>(match2 + ((<usize>(j - 1 - lo2)) << 3)) +
        <f64>load<f32>(before + ((<usize>(j - lo1)) << 2)) +
        d * 0.5 +
        slope;
      if (v < best) {
        best = v;
        how = 3;
      }
    }
    store<f64>(match + at, best);
    let code = how;

    const open = quietHere && quietThere ? openSilent : quietHere || quietThere ? openEdge : openSounding;
    best = NEVER;
    how = 0;
    if (j >= lo1 && j <= hi1) {
      const above = (<usize>(j - lo1)) << 3;
      best = load<f64>(alone1 + above);
      how = 1;
      const v = load<f64>(match1 + above) + open;
      if (v < best) {
        best = v;
        how = 0;
      }
      const passed = load<f64>(skipped1 + above);
      if (passed < best) {
        best = passed;
        how = 2;
      }
    }
    store<f64>(alone + at, best + aloneHere);
    code |= how << 3;

    best = NEVER;
    how = 0;
    if (c > 0) {
      best = load<f64>(skipped + at - 8);
      how = 2;
      const v = load<f64>(match + at - 8) + open;
      if (v < best) {
        best = v;
        how = 0;
      }
      const left = load<f64>(alone + at - 8);
      if (left < best) {
        best = left;
        how = 1;
      }
    }
    store<f64>(skipped + at, best + skipHere);
    store<u8>(out + c, code | (how << 5));
  }
}

/** Natural logarithms of what is above 0 (the usual minimax polynomial of single precision). */
function logOf(x: v128): v128 {
  const one = f32x4.splat(1);
  let e = f32x4.convert_i32x4_s(i32x4.sub(i32x4.shr_u(x, 23), i32x4.splat(126)));
  // between a half and one
  let m = v128.or(v128.and(x, i32x4.splat(0x007fffff)), i32x4.splat(0x3f000000));
  const low = f32x4.lt(m, f32x4.splat(0.70710678));
  e = f32x4.sub(e, v128.and(one, low));
  m = f32x4.sub(f32x4.add(m, v128.and(m, low)), one);
  const z = f32x4.mul(m, m);
  let y = f32x4.splat(7.0376836292e-2);
  y = f32x4.add(f32x4.mul(y, m), f32x4.splat(-1.151461031e-1));
  y = f32x4.add(f32x4.mul(y, m), f32x4.splat(1.167699874e-1));
  y = f32x4.add(f32x4.mul(y, m), f32x4.splat(-1.2420140846e-1));
  y = f32x4.add(f32x4.mul(y, m), f32x4.splat(1.4249322787e-1));
  y = f32x4.add(f32x4.mul(y, m), f32x4.splat(-1.6668057665e-1));
  y = f32x4.add(f32x4.mul(y, m), f32x4.splat(2.0000714765e-1));
  y = f32x4.add(f32x4.mul(y, m), f32x4.splat(-2.4999993993e-1));
  y = f32x4.add(f32x4.mul(y, m), f32x4.splat(3.3333331174e-1));
  y = f32x4.mul(f32x4.mul(y, m), z);
  y = f32x4.sub(f32x4.sub(y, f32x4.mul(e, f32x4.splat(2.1219444e-4))), f32x4.mul(z, f32x4.splat(0.5)));
  return f32x4.add(f32x4.add(m, y), f32x4.mul(e, f32x4.splat(0.693359375)));
}

/** Exponentials of what lies between -80 and 80, the same way. */
function expOf(x: v128): v128 {
  x = f32x4.min(f32x4.max(x, f32x4.splat(-80)), f32x4.splat(80));
  const n = f32x4.nearest(f32x4.mul(x, f32x4.splat(1.44269504)));
  x = f32x4.sub(x, f32x4.mul(n, f32x4.splat(0.693359375)));
  x = f32x4.add(x, f32x4.mul(n, f32x4.splat(2.1219444e-4)));
  let y = f32x4.splat(1.98756915e-4);
  y = f32x4.add(f32x4.mul(y, x), f32x4.splat(1.3981999507e-3));
  y = f32x4.add(f32x4.mul(y, x), f32x4.splat(8.3334519073e-3));
  y = f32x4.add(f32x4.mul(y, x), f32x4.splat(4.1665795894e-2));
  y = f32x4.add(f32x4.mul(y, x), f32x4.splat(1.6666665459e-1));
  y = f32x4.add(f32x4.mul(y, x), f32x4.splat(5.0000001201e-1));
  y = f32x4.add(f32x4.add(f32x4.mul(y, f32x4.mul(x, x)), x), f32x4.splat(1));
  return f32x4.mul(y, i32x4.shl(i32x4.add(i32x4.trunc_sat_f32x4_s(n), i32x4.splat(127)), 23));
}

/** Sines and cosines of up to an eighth of a turn, in radians. */
function sineNear(r: v128): v128 {
  const z = f32x4.mul(r, r);
  let y = f32x4.splat(-1.9515295891e-4);
  y = f32x4.add(f32x4.mul(y, z), f32x4.splat(8.3321608736e-3));
  y = f32x4.add(f32x4.mul(y, z), f32x4.splat(-1.6666654611e-1));
  return f32x4.add(f32x4.mul(f32x4.mul(y, z), r), r);
}
function cosineNear(r: v128): v128 {
  const z = f32x4.mul(r, r);
  let y = f32x4.splat(2.443315711809948e-5);
  y = f32x4.add(f32x4.mul(y, z), f32x4.splat(-1.388731625493765e-3));
  y = f32x4.add(f32x4.mul(y, z), f32x4.splat(4.166664568298827e-2));
  y = f32x4.sub(f32x4.mul(f32x4.mul(y, z), z), f32x4.mul(z, f32x4.splat(0.5)));
  return f32x4.add(y, f32x4.splat(1));
}

/** Numbers whose sign is turned where the second bit of whole ones is set. */
function turnedBy(v: v128, q: v128): v128 {
  return v128.xor(v, i32x4.shl(v128.and(q, i32x4.splat(2)), 30));
}

/**
 * Two stretches of two periods each, folded onto one under a window, as real and imaginary part.
 * @param n samples of a period, a multiple of four @param window of 2 n
 */
export function folded(a: usize, b: usize, window: usize, n: i32, out: usize): void {
  const far: usize = (<usize>n) << 2;
  for (let i = 0; i < n; i += 4) {
    const w = v128.load(window);
    const v = v128.load(window + far);
    const p = f32x4.add(f32x4.mul(v128.load(a), w), f32x4.mul(v128.load(a + far), v));
    const q = f32x4.add(f32x4.mul(v128.load(b), w), f32x4.mul(v128.load(b + far), v));
    putPairs(out, p, q);
    a += 16;
    b += 16;
    window += 16;
    out += 32;
  }
}

function harmonic(x: v128, y: v128, gain: v128, least: v128, h: usize, step: usize): void {
  const a = f32x4.mul(x, gain);
  const e = f32x4.mul(y, gain);
  const p = f32x4.add(f32x4.add(f32x4.mul(a, a), f32x4.mul(e, e)), least);
  v128.store(h, f32x4.mul(f32x4.splat(0.5), logOf(p)));
  const v = f32x4.div(f32x4.splat(1), f32x4.sqrt(p));
  v128.store(h + step, f32x4.mul(a, v));
  v128.store(h + 2 * step, f32x4.mul(e, v));
  v128.store(h + 4 * step, p);
}

/**
 * Parts the transform of two real frames: of the first n / 2 bins of each the log amplitude, the unit vector and the power.
 * @param z its first number again after its last @param least power beneath everything
 * @param a rows, `step` bytes apart: log amplitudes, real parts, imaginary ones, room for phases, powers @param b the same of the second
 */
export function harmonics(z: usize, n: i32, gainA: f32, gainB: f32, least: f32, a: usize, b: usize, step: usize): void {
  let back = z + ((<usize>(n - 3)) << 3);
  const ga = f32x4.splat(gainA);
  const gb = f32x4.splat(gainB);
  const l = f32x4.splat(least);
  for (let i = n >> 1; i > 0; i -= 4) {
    const u = v128.load(z);
    const v = v128.load(z, 16);
    const re = firsts(u, v);
    const im = seconds(u, v);
    const s = v128.load(back);
    const t = v128.load(back, 16);
    const rb = firstsBack(s, t);
    const ib = secondsBack(s, t);
    harmonic(f32x4.add(re, rb), f32x4.sub(im, ib), ga, l, a, step);
    harmonic(f32x4.add(im, ib), f32x4.sub(rb, re), gb, l, b, step);
    z += 32;
    back -= 32;
    a += 16;
    b += 16;
  }
}

/** Numbers by a gain; n is rounded up to a multiple of four. */
export function scaled(x: usize, n: i32, gain: f32, out: usize): void {
  const g = f32x4.splat(gain);
  for (let i = 0; i < n; i += 4) {
    v128.store(out, f32x4.mul(v128.load(x), g));
    x += 16;
    out += 16;
  }
}

/**
 * Minimum phases from the transform of two folded cepstra, and unit vectors less by them and by a delay.
 * @param z the transform, its first number again after its last @param delay cosines, then sines, `step` bytes apart
 * @param a as harmonics() left it @param b likewise
 */
export function beyond(z: usize, n: i32, delay: usize, a: usize, b: usize, step: usize): void {
  let back = z + ((<usize>(n - 3)) << 3);
  const half = f32x4.splat(0.5);
  for (let i = n >> 1; i > 0; i -= 4) {
    const u = v128.load(z);
    const v = v128.load(z, 16);
    const s = v128.load(back);
    const t = v128.load(back, 16);
    const pa = f32x4.sub(seconds(u, v), secondsBack(s, t));
    const pb = f32x4.sub(firstsBack(s, t), firsts(u, v));
    turnBack(f32x4.mul(pa, half), delay, a, step);
    turnBack(f32x4.mul(pb, half), delay, b, step);
    z += 32;
    back -= 32;
    delay += 16;
    a += 16;
    b += 16;
  }
}

function turnBack(phase: v128, delay: usize, h: usize, step: usize): void {
  v128.store(h + 3 * step, phase);
  const quarters = f32x4.nearest(f32x4.mul(phase, f32x4.splat(0.636619772)));
  // what is left of the angle, in two pieces
  let r = f32x4.sub(phase, f32x4.mul(quarters, f32x4.splat(1.5703125)));
  r = f32x4.sub(r, f32x4.mul(quarters, f32x4.splat(4.83826794897e-4)));
  const q = i32x4.trunc_sat_f32x4_s(quarters);
  const odd = i32x4.eq(v128.and(q, i32x4.splat(1)), i32x4.splat(1));
  const sn = sineNear(r);
  const cn = cosineNear(r);
  const c0 = turnedBy(v128.bitselect(sn, cn, odd), i32x4.add(q, i32x4.splat(1)));
  const s0 = turnedBy(v128.bitselect(cn, sn, odd), q);
  const dc = v128.load(delay);
  const ds = v128.load(delay + step);
  const c = f32x4.sub(f32x4.mul(c0, dc), f32x4.mul(s0, ds));
  const s = f32x4.add(f32x4.mul(c0, ds), f32x4.mul(s0, dc));
  const x = v128.load(h + step);
  const y = v128.load(h + 2 * step);
  v128.store(h + step, f32x4.add(f32x4.mul(x, c), f32x4.mul(y, s)));
  v128.store(h + 2 * step, f32x4.sub(f32x4.mul(y, c), f32x4.mul(x, s)));
}

/** Four places at once between the second and third of four numbers each, by a cubic through them; between those two alone where told. */
function between(a: v128, b: v128, c: v128, d: v128, f: v128, straight: v128): v128 {
  // from rows to columns
  const p = v128.shuffle<f32>(a, b, 0, 4, 1, 5);
  const q = v128.shuffle<f32>(c, d, 0, 4, 1, 5);
  const r = v128.shuffle<f32>(a, b, 2, 6, 3, 7);
  const s = v128.shuffle<f32>(c, d, 2, 6, 3, 7);
  const y0 = v128.shuffle<f64>(p, q, 0, 2);
  const y1 = v128.shuffle<f64>(p, q, 1, 3);
  const y2 = v128.shuffle<f64>(r, s, 0, 2);
  const y3 = v128.shuffle<f64>(r, s, 1, 3);
  const up = f32x4.sub(y2, y1);
  const third = f32x4.add(f32x4.sub(y3, y0), f32x4.mul(up, f32x4.splat(-3)));
  let second = f32x4.add(f32x4.mul(y0, f32x4.splat(2)), f32x4.mul(y2, f32x4.splat(4)));
  second = f32x4.sub(f32x4.sub(second, f32x4.mul(y1, f32x4.splat(5))), y3);
  let slope = f32x4.add(f32x4.mul(f32x4.add(f32x4.mul(third, f), second), f), f32x4.sub(y2, y0));
  slope = v128.bitselect(up, f32x4.mul(slope, f32x4.splat(0.5)), straight);
  return f32x4.add(y1, f32x4.mul(slope, f));
}

/** What lies between neighbours of four pairs. */
function linear(h: usize, k0: usize, k1: usize, k2: usize, k3: usize, f: v128): v128 {
  let a = v128.load64_zero(h + k0);
  a = v128.load64_lane(h + k1, a, 1);
  let b = v128.load64_zero(h + k2);
  b = v128.load64_lane(h + k3, b, 1);
  const y1 = firsts(a, b);
  const y2 = seconds(a, b);
  return f32x4.add(y1, f32x4.mul(f32x4.sub(y2, y1), f));
}

/**
 * A pulse's spectrum from its harmonics, carried on over frequency, at bins 0 to n - 1 (rounded up to a multiple of four).
 * @param h as beyond() left it; a number before each row and one beyond the top are read
 * @param apart harmonics a bin @param top the highest @param lowest harmonic under which nothing is made up @param delay turns a bin
 * @param fade gain a bin @param size gets the amplitudes before all that @param re @param im the spectrum
 */
export function spectrum(
  h: usize,
  step: usize,
  apart: f64,
  top: i32,
  lowest: f32,
  delay: f32,
  scale: f32,
  fade: usize,
  n: i32,
  size: usize,
  re: usize,
  im: usize,
): void {
  const hRe = h + step;
  const hIm = h + 2 * step;
  const hMin = h + 3 * step;
  const turn = f32x4.splat(0.15915494);
  const perTurn = f32x4.splat(6.2831853);
  const one = f32x4.splat(1);
  const roll = f32x4.splat(1 / lowest);
  const gains = f32x4.splat(scale);
  let bins = f32x4(0, 1, 2, 3);
  for (let b = 0; b < n; b += 4) {
    const t0 = <f64>b * apart;
    const t1 = t0 + apart;
    const t2 = t1 + apart;
    const t3 = t2 + apart;
    const k0 = min<i32>(<i32>t0, top - 1);
    const k1 = min<i32>(<i32>t1, top - 1);
    const k2 = min<i32>(<i32>t2, top - 1);
    const k3 = min<i32>(<i32>t3, top - 1);
    let place = f32x4.splat(<f32>t0);
    place = f32x4.replace_lane(place, 1, <f32>t1);
    place = f32x4.replace_lane(place, 2, <f32>t2);
    place = f32x4.replace_lane(place, 3, <f32>t3);
    let f = f32x4.splat(<f32>(t0 - <f64>k0));
    f = f32x4.replace_lane(f, 1, <f32>(t1 - <f64>k1));
    f = f32x4.replace_lane(f, 2, <f32>(t2 - <f64>k2));
    f = f32x4.min(f32x4.replace_lane(f, 3, <f32>(t3 - <f64>k3)), one);
    const straight = f32x4.lt(place, one);
    const o0: usize = (<usize>k0) << 2;
    const o1: usize = (<usize>k1) << 2;
    const o2: usize = (<usize>k2) << 2;
    const o3: usize = (<usize>k3) << 2;
    const l = h - 4;
    const v = between(v128.load(l + o0), v128.load(l + o1), v128.load(l + o2), v128.load(l + o3), f, straight);
    const m = hMin - 4;
    const phase = between(v128.load(m + o0), v128.load(m + o1), v128.load(m + o2), v128.load(m + o3), f, straight);
    const x = linear(hRe, o0, o1, o2, o3, f);
    const y = linear(hIm, o0, o1, o2, o3, f);
    let g = expOf(v);
    v128.store(size, g);
    const r = f32x4.min(f32x4.mul(place, roll), one);
    g = f32x4.mul(f32x4.mul(g, f32x4.mul(r, r)), f32x4.mul(v128.load(fade), gains));
    const p = f32x4.add(f32x4.mul(x, x), f32x4.mul(y, y));
    g = f32x4.div(g, f32x4.sqrt(f32x4.add(p, f32x4.splat(1e-9))));
    let turns = f32x4.add(f32x4.mul(phase, turn), f32x4.mul(bins, f32x4.splat(delay)));
    turns = f32x4.sub(turns, f32x4.nearest(turns));
    const quarters = f32x4.nearest(f32x4.mul(turns, f32x4.splat(4)));
    const q = i32x4.trunc_sat_f32x4_s(quarters);
    const odd = i32x4.eq(v128.and(q, i32x4.splat(1)), i32x4.splat(1));
    const left = f32x4.mul(f32x4.sub(turns, f32x4.mul(quarters, f32x4.splat(0.25))), perTurn);
    const sn = sineNear(left);
    const cn = cosineNear(left);
    const c = f32x4.mul(g, turnedBy(v128.bitselect(sn, cn, odd), i32x4.add(q, i32x4.splat(1))));
    const s = f32x4.mul(g, turnedBy(v128.bitselect(cn, sn, odd), q));
    v128.store(re, f32x4.sub(f32x4.mul(x, c), f32x4.mul(y, s)));
    v128.store(im, f32x4.add(f32x4.mul(x, s), f32x4.mul(y, c)));
    bins = f32x4.add(bins, f32x4.splat(4));
    fade += 16;
    size += 16;
    re += 16;
    im += 16;
  }
}

/**
 * The spectra of two real signals as what an inverse transform of size n begins with, which is a forward one with real and imaginary part
 * exchanged; bins 0 to count - 1, a multiple of four; writes one number more than n.
 */
export function joined(ar: usize, ai: usize, br: usize, bi: usize, count: i32, n: i32, z: usize): void {
  let back = z + ((<usize>(n - 3)) << 3);
  for (let i = 0; i < count; i += 4) {
    const p = v128.load(ar);
    const q = v128.load(ai);
    const r = v128.load(br);
    const s = v128.load(bi);
    const x = f32x4.add(q, r);
    const y = f32x4.sub(p, s);
    putPairs(z, x, y);
    const u = f32x4.sub(r, q);
    const v = f32x4.add(p, s);
    putPairsBack(back, u, v);
    ar += 16;
    ai += 16;
    br += 16;
    bi += 16;
    z += 32;
    back -= 32;
  }
}

/** The largest magnitude of n numbers; n is a multiple of four. */
export function largest(x: usize, n: i32): f32 {
  let m: v128 = f32x4.splat(0);
  for (let i = 0; i < n; i += 4) {
    m = f32x4.max(m, f32x4.abs(v128.load(x)));
    x += 16;
  }
  return max<f32>(
    max<f32>(f32x4.extract_lane(m, 0), f32x4.extract_lane(m, 1)),
    max<f32>(f32x4.extract_lane(m, 2), f32x4.extract_lane(m, 3)),
  );
}

/** Adds to n numbers of out the sums of eight taps times x[i + k]. */
export function added(x: usize, taps: usize, n: i32, out: usize): void {
  const h0 = v128.load32_splat(taps);
  const h1 = v128.load32_splat(taps, 4);
  const h2 = v128.load32_splat(taps, 8);
  const h3 = v128.load32_splat(taps, 12);
  const h4 = v128.load32_splat(taps, 16);
  const h5 = v128.load32_splat(taps, 20);
  const h6 = v128.load32_splat(taps, 24);
  const h7 = v128.load32_splat(taps, 28);
  let left = n;
  for (; left >= 4; left -= 4) {
    let s = f32x4.mul(v128.load(x), h0);
    s = f32x4.add(s, f32x4.mul(v128.load(x, 4), h1));
    s = f32x4.add(s, f32x4.mul(v128.load(x, 8), h2));
    s = f32x4.add(s, f32x4.mul(v128.load(x, 12), h3));
    s = f32x4.add(s, f32x4.mul(v128.load(x, 16), h4));
    s = f32x4.add(s, f32x4.mul(v128.load(x, 20), h5));
    s = f32x4.add(s, f32x4.mul(v128.load(x, 24), h6));
    s = f32x4.add(s, f32x4.mul(v128.load(x, 28), h7));
    v128.store(out, f32x4.add(v128.load(out), s));
    x += 16;
    out += 16;
  }
  // one by one in the same order: the same to the bit
  for (; left > 0; left--) {
    let s: f32 = load<f32>(x) * load<f32>(taps);
    for (let k: usize = 4; k < 32; k += 4) s += load<f32>(x + k) * load<f32>(taps + k);
    store<f32>(out, load<f32>(out) + s);
    x += 4;
    out += 4;
  }
}

/** Adds a times what a template holds to the model. @param run its first stretch: where it lies in the model, fours of it, where its amplitudes lie; bytes */
function explained(a: f32, run: usize, last: usize, amplitudes: usize, model: usize): void {
  const gain = f32x4.splat(a);
  for (; run < last; run += 12) {
    let m = model + <usize>load<i32>(run);
    let amplitude = amplitudes + <usize>load<i32>(run, 8);
    for (let n = load<i32>(run, 4); n > 0; n--) {
      v128.store(m, f32x4.add(v128.load(m), f32x4.mul(gain, v128.load(amplitude))));
      m += 16;
      amplitude += 16;
    }
  }
}

/** What the model holds of a template. */
function held(run: usize, last: usize, amplitudes: usize, model: usize): f32 {
  let sum = f32x4.splat(0);
  for (; run < last; run += 12) {
    let m = model + <usize>load<i32>(run);
    let amplitude = amplitudes + <usize>load<i32>(run, 8);
    for (let n = load<i32>(run, 4); n > 0; n--) {
      sum = f32x4.add(sum, f32x4.mul(v128.load(m), v128.load(amplitude)));
      m += 16;
      amplitude += 16;
    }
  }
  return sumOf(sum);
}

/**
 * How strong each template is in a spectrum: non-negative activations, better and better by the Kullback-Leibler divergence.
 * @param bins of the spectrum and the model, a multiple of four @param now the activations it begins from @param count of templates
 * @param firsts where each one's stretches begin, and the last one's end: bytes from the first stretch @param active room for as many
 * @param least what the model holds everywhere @param settled the round after which those under `hardly` of the strongest stay as they are
 */
export function activated(
  spectrum: usize,
  model: usize,
  bins: i32,
  now: usize,
  count: i32,
  firsts: usize,
  runs: usize,
  amplitudes: usize,
  active: usize,
  rounds: i32,
  least: f32,
  settled: i32,
  hardly: f32,
): void {
  let left = count;
  for (let i = 0; i < count; i++) store<i32>(active + 4 * i, i);
  const floor = f32x4.splat(least);
  for (let round = 0; round < rounds; round++) {
    for (let b = 0; b < bins; b += 4) v128.store(model + 4 * b, floor);
    for (let j = 0; j < left; j++) {
      const at = 4 * load<i32>(active + 4 * j);
      const run = runs + <usize>load<i32>(firsts + at);
      const last = runs + <usize>load<i32>(firsts + at, 4);
      explained(load<f32>(now + at), run, last, amplitudes, model);
    }
    for (let b = 0; b < bins; b += 4)
      v128.store(model + 4 * b, f32x4.div(v128.load(spectrum + 4 * b), v128.load(model + 4 * b)));
    for (let j = 0; j < left; j++) {
      const at = 4 * load<i32>(active + 4 * j);
      const run = runs + <usize>load<i32>(firsts + at);
      const last = runs + <usize>load<i32>(firsts + at, 4);
      store<f32>(now + at, load<f32>(now + at) * held(run, last, amplitudes, model));
    }
    if (round != settled) continue;
    let most: f32 = 0;
    for (let i = 0; i < count; i++) most = max(most, load<f32>(now + 4 * i));
    left = 0;
    for (let i = 0; i < count; i++)
      if (load<f32>(now + 4 * i) > hardly * most) {
        store<i32>(active + 4 * left, i);
        left++;
      }
  }
}
