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

function sumOf(a: v128): f32 {
  return f32x4.extract_lane(a, 0) + f32x4.extract_lane(a, 1) + (f32x4.extract_lane(a, 2) + f32x4.extract_lane(a, 3));
}

/** Two real frames under a window, side by side as the real and the imaginary part; n is rounded up to a multiple of four. */
export function pair(a: usize, b: usize, window: usize, n: i32, out: usize): void {
  for (let i = 0; i < n; i += 4) {
    const w = v128.load(window);
    const u = f32x4.mul(v128.load(a), w);
    const v = f32x4.mul(v128.load(b), w);
    v128.store(out, v128.shuffle<f32>(u, v, 0, 4, 1, 5));
    v128.store(out, v128.shuffle<f32>(u, v, 2, 6, 3, 7), 16);
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
    const re = v128.shuffle<f32>(u, v, 0, 2, 4, 6);
    const im = v128.shuffle<f32>(u, v, 1, 3, 5, 7);
    const s = v128.load(back);
    const t = v128.load(back, 16);
    // from the end on backwards
    const rb = v128.shuffle<f32>(s, t, 6, 4, 2, 0);
    const ib = v128.shuffle<f32>(s, t, 7, 5, 3, 1);
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
    v128.store(out, v128.shuffle<f32>(u, v, 0, 4, 1, 5));
    v128.store(out, v128.shuffle<f32>(u, v, 2, 6, 3, 7), 16);
    v128.store(back, v128.shuffle<f32>(u, v, 3, 7, 2, 6));
    v128.store(back, v128.shuffle<f32>(u, v, 1, 5, 0, 4), 16);
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

function squareDifference(x: usize, count: i32, centre: i32, length: i32, lag: i32): f32 {
  const a = centre - ((length + lag) >> 1);
  if (a < 0 || a + lag + length > count) return 0;
  let i = x + ((<usize>a) << 2);
  let j = i + ((<usize>lag) << 2);
  let r: v128 = f32x4.splat(0);
  let e: v128 = f32x4.splat(0);
  let left = length;
  for (; left >= 4; left -= 4) {
    const u = v128.load(i);
    const v = v128.load(j);
    r = f32x4.add(r, f32x4.mul(u, v));
    e = f32x4.add(e, f32x4.add(f32x4.mul(u, u), f32x4.mul(v, v)));
    i += 16;
    j += 16;
  }
  let rs = sumOf(r);
  let es = sumOf(e);
  for (; left > 0; left--) {
    const u = load<f32>(i);
    const v = load<f32>(j);
    rs += u * v;
    es += u * u + v * v;
    i += 4;
    j += 4;
  }
  return (2 * rs) / (es + <f32>1e-12);
}

/** How alike two stretches are: their correlation, or their normalised square difference. */
function likeness(correlated: bool, x: usize, count: i32, centre: i32, length: i32, lag: i32): f32 {
  return correlated ? correlation(x, count, centre, length, lag) : squareDifference(x, count, centre, length, lag);
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

function correlation(x: usize, count: i32, centre: i32, length: i32, lag: i32): f32 {
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
  return <f32>(rs / sqrt<f64>((es + 1e-14) * (gs + 1e-14)));
}

/** Correlations r / sqrt(e1 e2) of two such stretches at the lags from one to another. */
export function correlations(x: usize, count: i32, centre: i32, length: i32, from: i32, to: i32, out: usize): void {
  for (let lag = from; lag <= to; lag++, out += 4) store<f32>(out, correlation(x, count, centre, length, lag));
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
    const v = <f64>correlation(x, count, centre, length, d) - price * off * off;
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
    v128.store(even, v128.shuffle<f32>(u, v, 0, 2, 4, 6));
    v128.store(odd, v128.shuffle<f32>(u, v, 1, 3, 5, 7));
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

/**
 * Reads a sound at n places base + (first + i - origin) * step, by 8 taps of one of 256 phases each.
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
    const t = base + (first + <f64>i - origin) * step;
    const whole = floor<f64>(t);
    const h = table + ((<usize>(<i32>((t - whole) * 256.0 + 0.5))) << 5);
    const a = x + ((<usize>(<i32>whole - 3 - zero)) << 2);
    const s = f32x4.add(f32x4.mul(v128.load(a), v128.load(h)), f32x4.mul(v128.load(a, 16), v128.load(h, 16)));
    store<f32>(out, sumOf(s));
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
