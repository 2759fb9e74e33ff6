/** A seeded generator: same seed, same numbers, on every machine. */
export interface Random {
  /** Uniform in [0, 1). */
  uniform(): number;
  /** Roughly normal, mean 0, deviation 1 (sum of six uniforms). */
  normal(): number;
}

/** Small 32-bit mixing generator (a Weyl sequence through two multiplications). */
export function seededRandom(seed: number): Random {
  let state = (Math.imul(seed, 2654435761) ^ 0x9e3779b9) >>> 0;
  const uniform = () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
  const normal = () => {
    let s = 0;
    for (let i = 0; i < 6; i++) s += uniform();
    return (s - 3) * Math.SQRT2;
  };
  return { uniform, normal };
}

/** A number in [-0.5, 0.5) that depends only on the integer key: randomness without state. */
export function hashNoise(key: number): number {
  let k = Math.imul(key ^ 0x9e3779b9, 0x85ebca6b);
  k ^= k >>> 13;
  k = Math.imul(k, 0xc2b2ae35);
  k ^= k >>> 16;
  return (k >>> 0) / 4294967296 - 0.5;
}
