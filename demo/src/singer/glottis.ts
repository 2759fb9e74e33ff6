import { Fourier } from '@essim/core';

/**
 * The glottal flow derivative of Fant, Liljencrants and Lin 1985, by the one shape number Rd of Fant 1995:
 * tables of one period, 25 shapes x 8 band limits, closure at phase 0 so that neighbouring shapes cross-fade
 * without a second closure.
 */
export const TABLE_SIZE = 4096;
export const RD_LOW = 0.3;
export const RD_STEP = 0.1;
const RD_COUNT = 25;
/** Harmonics kept in each band-limited version. */
export const HARMONICS = [240, 170, 120, 85, 60, 42, 30, 20];
const FLOW_SIZE = 512;

/** One period of the flow derivative with unit excitation, and the phase of the closure. */
function flowDerivative(rd: number, n: number): { period: Float64Array; closure: number } {
  const ra = (-1 + 4.8 * rd) / 100;
  const rk = (22.4 + 11.8 * rd) / 100;
  const rg = ((rk / 4) * (0.5 + 1.2 * rk)) / (0.11 * rd - ra * (0.5 + 1.2 * rk));
  const tp = 1 / (2 * rg);
  const te = Math.min(0.97, tp * (1 + rk));
  const ta = Math.max(0.002, Math.min(ra, (1 - te) * 0.6));
  const tb = 1 - te;
  const wg = Math.PI / tp;
  let decay = 1 / ta;
  for (let i = 0; i < 60; i++) decay = (1 - Math.exp(-decay * tb)) / ta;
  const returnArea = (-1 / (decay * ta)) * ((1 - Math.exp(-decay * tb)) / decay - tb * Math.exp(-decay * tb));
  const sin = Math.sin(wg * te);
  const cos = Math.cos(wg * te);
  // the growth that makes the flow end where it began
  const area = (a: number) =>
    ((-1 / (Math.exp(a * te) * sin)) * (Math.exp(a * te) * (a * sin - wg * cos) + wg)) / (a * a + wg * wg) + returnArea;
  let low = -40;
  let high = 120;
  const lowArea = area(low);
  for (let i = 0; i < 80; i++) {
    const middle = (low + high) / 2;
    if (area(middle) * lowArea > 0) low = middle;
    else high = middle;
  }
  const growth = (low + high) / 2;
  const e0 = -1 / (Math.exp(growth * te) * sin);
  const period = Float64Array.from({ length: n }, (_, i) => {
    const t = (i + 0.5) / n;
    return t < te
      ? e0 * Math.exp(growth * t) * Math.sin(wg * t)
      : (-1 / (decay * ta)) * (Math.exp(-decay * (t - te)) - Math.exp(-decay * tb));
  });
  return { period, closure: te };
}

export interface GlottisTables {
  /** [shape][band limit] -> TABLE_SIZE + 1 samples of flow derivative. */
  pulses: Float32Array[][];
  /** [shape] -> 513 samples of glottal opening, 0..1. */
  openings: Float32Array[];
}

let tables: GlottisTables | undefined;

/** Built once; 25 x 8 tables. */
export function glottisTables(): GlottisTables {
  if (tables) return tables;
  const n = 16384;
  const big = Fourier.of(n);
  const small = Fourier.of(TABLE_SIZE);
  tables = { pulses: [], openings: [] };
  for (let r = 0; r < RD_COUNT; r++) {
    const { period, closure } = flowDerivative(RD_LOW + r * RD_STEP, n);
    tables.openings.push(openingOf(period, closure));
    big.input.fill(0);
    for (let i = 0; i < n; i++) big.input[2 * i] = period[i];
    big.forward();
    tables.pulses.push(
      HARMONICS.map(top => {
        // conjugate spectrum through a forward transform = inverse transform of a real signal
        small.input.fill(0);
        for (let h = 1; h <= top; h++) {
          const angle = 2 * Math.PI * h * closure;
          const c = Math.cos(angle);
          const s = Math.sin(angle);
          const weight = h > top * 0.9 ? 0.5 : 1;
          const re = ((big.output[2 * h] * c - big.output[2 * h + 1] * s) / n) * weight;
          const im = ((big.output[2 * h] * s + big.output[2 * h + 1] * c) / n) * weight;
          small.input[2 * h] = re;
          small.input[2 * h + 1] = -im;
          small.input[2 * (TABLE_SIZE - h)] = re;
          small.input[2 * (TABLE_SIZE - h) + 1] = im;
        }
        small.forward();
        const table = new Float32Array(TABLE_SIZE + 1);
        for (let i = 0; i < TABLE_SIZE; i++) table[i] = small.output[2 * i];
        table[TABLE_SIZE] = table[0];
        return table;
      }),
    );
  }
  return tables;
}

function openingOf(period: Float64Array, closure: number): Float32Array {
  const n = period.length;
  const flow = new Float64Array(n);
  let sum = 0;
  let top = 0;
  for (let i = 0; i < n; i++) {
    flow[i] = sum += period[i];
    top = Math.max(top, sum);
  }
  const shift = Math.round(closure * n);
  return Float32Array.from({ length: FLOW_SIZE + 1 }, (_, i) =>
    Math.max(0, flow[(i * (n / FLOW_SIZE) + shift) % n] / top),
  );
}
