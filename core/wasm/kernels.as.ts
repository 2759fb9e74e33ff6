/**
 * Inner loops over samples, in double precision and in the order in which script would add, so that they give the same bits as script.
 * AssemblyScript; `node scripts/wasm.mjs` compiles it to core/src/signal/kernels-code.ts, and a test holds the two together.
 */

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
    const h = table + ((<usize>(<i32>((t - whole) * 256.0 + 0.5))) << 6);
    const a = x + ((<usize>(<i32>whole - 3 - zero)) << 3);
    store<f64>(
      out,
      load<f64>(a) * load<f64>(h) +
        load<f64>(a, 8) * load<f64>(h, 8) +
        load<f64>(a, 16) * load<f64>(h, 16) +
        load<f64>(a, 24) * load<f64>(h, 24) +
        load<f64>(a, 32) * load<f64>(h, 32) +
        load<f64>(a, 40) * load<f64>(h, 40) +
        load<f64>(a, 48) * load<f64>(h, 48) +
        load<f64>(a, 56) * load<f64>(h, 56),
    );
    out += 8;
  }
}

/** out[i] = sum of x[i + k] taps[k] over 8 taps; n is rounded up to even. */
export function shifted(x: usize, taps: usize, n: i32, out: usize): void {
  const h0 = v128.load64_splat(taps);
  const h1 = v128.load64_splat(taps, 8);
  const h2 = v128.load64_splat(taps, 16);
  const h3 = v128.load64_splat(taps, 24);
  const h4 = v128.load64_splat(taps, 32);
  const h5 = v128.load64_splat(taps, 40);
  const h6 = v128.load64_splat(taps, 48);
  const h7 = v128.load64_splat(taps, 56);
  for (let i = 0; i < n; i += 2) {
    let s = f64x2.mul(v128.load(x), h0);
    s = f64x2.add(s, f64x2.mul(v128.load(x, 8), h1));
    s = f64x2.add(s, f64x2.mul(v128.load(x, 16), h2));
    s = f64x2.add(s, f64x2.mul(v128.load(x, 24), h3));
    s = f64x2.add(s, f64x2.mul(v128.load(x, 32), h4));
    s = f64x2.add(s, f64x2.mul(v128.load(x, 40), h5));
    s = f64x2.add(s, f64x2.mul(v128.load(x, 48), h6));
    s = f64x2.add(s, f64x2.mul(v128.load(x, 56), h7));
    v128.store(out, s);
    x += 16;
    out += 16;
  }
}

/**
 * A symmetric filter: out[i] = middle[i] taps[0] + sum over k from 1 of taps[k] (left[i - (k - 1) step] + right[i + (k - 1) step]).
 * @param count of taps @param n is rounded up to a multiple of four
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
  const stride: usize = (<usize>step) << 3;
  const h0 = v128.load64_splat(taps);
  const end = taps + ((<usize>count) << 3);
  for (let i = 0; i < n; i += 4) {
    let s = f64x2.mul(v128.load(middle), h0);
    let t = f64x2.mul(v128.load(middle, 16), h0);
    let a = left;
    let b = right;
    for (let h = taps + 8; h < end; h += 8) {
      const w = v128.load64_splat(h);
      s = f64x2.add(s, f64x2.mul(w, f64x2.add(v128.load(a), v128.load(b))));
      t = f64x2.add(t, f64x2.mul(w, f64x2.add(v128.load(a, 16), v128.load(b, 16))));
      a -= stride;
      b += stride;
    }
    v128.store(out, s);
    v128.store(out, t, 16);
    middle += 32;
    left += 32;
    right += 32;
    out += 32;
  }
}
