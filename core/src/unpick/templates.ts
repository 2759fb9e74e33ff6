import { BYTES, placesFor } from '../signal/single';

/**
 * Spectra as sums of templates: non-negative activations, found by multiplying (Lee and Seung 2001, for the Kullback-Leibler divergence,
 * with the templates fixed). Single precision, four bins at a time.
 */

const ROUNDS = 18;
/** After so many rounds what is under this part of the strongest stays as it is. */
const SETTLED = 2;
const HARDLY = 3e-3;
/** What the sum holds of every bin. */
const LEAST = 1e-9;
/** What is under this of a template is nothing. */
const NOTHING = 0.01;
/** Numbers a stretch is told by: where it lies, how long it is, where its amplitudes lie. */
const TOLD_BY = 3;

const inFours = (n: number) => Math.ceil(n / 4) * 4;

export class Templates {
  private readonly places;

  /** @param templates each as long as a spectrum; their sums are made one @param bins of a spectrum */
  constructor(
    templates: readonly Float64Array[],
    private readonly bins: number,
  ) {
    const each = templates.map(stretches);
    const all = each.flat();
    const length = all.reduce((sum, { to, from }) => sum + to - from, 0);
    const count = templates.length;
    this.places = placesFor({
      spectrum: inFours(bins),
      model: inFours(bins),
      now: count,
      active: count,
      firsts: count + 1,
      runs: TOLD_BY * all.length,
      amplitudes: length,
    });
    const { amplitudes, runs, firsts } = this.places;
    const [runAt, firstAt] = [runs, firsts].map(
      ({ values: { buffer, byteOffset, length } }) => new Int32Array(buffer, byteOffset, length),
    );
    let [run, amplitude] = [0, 0];
    each.forEach((list, t) => {
      firstAt[t] = run * BYTES;
      const sum = templates[t].reduce((s, v) => s + (v > NOTHING ? v : 0), 0);
      for (const { from, to } of list) {
        runAt.set([from * BYTES, (to - from) / 4, amplitude * BYTES], run);
        run += TOLD_BY;
        for (let b = from; b < to; b++) {
          const v = templates[t][b] ?? 0;
          amplitudes.values[amplitude++] = v > NOTHING ? v / sum : 0;
        }
      }
    });
    firstAt[count] = run * BYTES;
  }

  /** How strong each is in a spectrum, looked for from what stands in `now`, where it is written. */
  activate(spectrum: Float32Array, now: Float32Array): void {
    const { places } = this;
    places.spectrum.values.set(spectrum);
    places.now.values.set(now);
    places.run.activated(
      places.spectrum.at,
      places.model.at,
      inFours(this.bins),
      places.now.at,
      now.length,
      places.firsts.at,
      places.runs.at,
      places.amplitudes.at,
      places.active.at,
      ROUNDS,
      LEAST,
      SETTLED,
      HARDLY,
    );
    now.set(places.now.values.subarray(0, now.length));
  }
}

/** Where a template is not empty, whole fours of bins. */
function stretches(template: Float64Array): { from: number; to: number }[] {
  const out: { from: number; to: number }[] = [];
  for (let from = 0; from < template.length; from += 4) {
    if (!template.subarray(from, from + 4).some(v => v > NOTHING)) continue;
    const last = out[out.length - 1];
    if (last?.to === from) last.to = from + 4;
    else out.push({ from, to: from + 4 });
  }
  return out;
}
