/**
 * Stages of a complex transform in double precision, one complex number a vector (Stockham's order: nothing is sorted afterwards).
 * AssemblyScript; `node scripts/wasm.mjs` compiles it to core/src/signal/transform-code.ts, and a test holds the two together.
 */

/**
 * One stage of radix four: m butterflies of s neighbours each, from x to y, with 3 m twiddles at w: (re, re) (-im, im) each.
 */
export function four(x: usize, y: usize, m: i32, s: i32, w: usize): void {
  const step: usize = (<usize>s) << 4;
  const quarter: usize = step * <usize>m;
  const sign: v128 = f64x2(0.0, -0.0);
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
      const ap = f64x2.add(a, c);
      const am = f64x2.sub(a, c);
      const bp = f64x2.add(b, d);
      const bm = f64x2.sub(b, d);
      // times -j: (re, im) becomes (im, -re)
      const j = v128.xor(v128.shuffle<f64>(bm, bm, 1, 0), sign);
      const r1 = f64x2.add(am, j);
      const r2 = f64x2.sub(ap, bp);
      const r3 = f64x2.sub(am, j);
      v128.store(o, f64x2.add(ap, bp));
      v128.store(o + step, f64x2.add(f64x2.mul(r1, w1r), f64x2.mul(v128.shuffle<f64>(r1, r1, 1, 0), w1i)));
      v128.store(o + 2 * step, f64x2.add(f64x2.mul(r2, w2r), f64x2.mul(v128.shuffle<f64>(r2, r2, 1, 0), w2i)));
      v128.store(o + 3 * step, f64x2.add(f64x2.mul(r3, w3r), f64x2.mul(v128.shuffle<f64>(r3, r3, 1, 0), w3i)));
      i += 16;
      o += 16;
    }
  }
}

/** The last stage where the size is no power of four: s butterflies of radix two, from x to y. */
export function two(x: usize, y: usize, s: i32): void {
  const half: usize = (<usize>s) << 4;
  const end = x + half;
  while (x < end) {
    const a = v128.load(x);
    const b = v128.load(x + half);
    v128.store(y, f64x2.add(a, b));
    v128.store(y + half, f64x2.sub(a, b));
    x += 16;
    y += 16;
  }
}
