import { DIMS, FRAME, type Frames } from './features';
import { BYTES, placesFor } from '../signal/single';
import { intervalIndex } from './intervals';

/** Which lead frames each follower frame may meet: first and last. Both rise. */
export interface Band {
  low: Int32Array;
  high: Int32Array;
}

/** What a way through two takes costs. All prices are for 20 ms. */
export interface Prices {
  /** Distance at which two moments are as likely strangers as the same: half of it is paid for each moment left alone. */
  stranger: number;
  /** For going at half or twice the speed. */
  bending: number;
}

/** A way through two takes. */
export interface Way {
  /** Lead frame met by each follower frame, NaN where it meets none. */
  met: Float32Array;
  /** 1 where the follower sounds alone. */
  alone: Uint8Array;
  /** First and last lead frame passed while at each follower frame. */
  first: Int32Array;
  last: Int32Array;
}

/** A second of offset costs this much: moments far apart in the song must be more alike to be taken for the same. */
const PULL = 0.4;
const MOST_PULL_SECONDS = 1.5;
const SILENT_ALONE = 0.06;
/** For beginning to be alone: in silence, at the edge of silence, in sound (times the stranger's distance). */
const OPEN_SILENT = 0.15;
const OPEN_SOUNDING = 8;
const OPEN_EDGE = 0.35;
const NEVER = 1e9;
/** Rows of prices that are looked at together, and prices. */
const ROWS = 7;
const PRICES = 6;

const UNIT = 0.02;
/** Memory of distances is made so much longer than it need be, to be taken over. */
const SPARE = 1.02;

/** Distances of all pairs of frames in a band: row after row. Made once, used with several prices. */
export class Distances {
  readonly offsets: Int32Array;
  readonly values: Float32Array;

  constructor(
    readonly follower: Frames,
    readonly lead: Frames,
    readonly band: Band,
    /** Length of a frame in frames of FRAME. */
    readonly step: number,
    /** Of the same takes in another band, with the same intervals: where the bands overlap they are taken over. */
    known?: Distances,
    /** What intervals add, by intervalIndex. */
    intervals: Float32Array | null = null,
    /** Of distances nobody needs any more. */
    memory?: ArrayBufferLike,
  ) {
    const n = follower.frames;
    this.offsets = new Int32Array(n + 1);
    for (let i = 0; i < n; i++) this.offsets[i + 1] = this.offsets[i] + band.high[i] - band.low[i] + 1;
    const length = this.offsets[n];
    const fits = memory && memory.byteLength >= BYTES * length;
    // the next pair's band is as long within a thousandth or so
    const room = fits ? memory : new ArrayBuffer(BYTES * Math.ceil(length * SPARE));
    this.values = new Float32Array(room, 0, length);
    const seconds = FRAME * step;
    const scale = seconds / UNIT;
    const places = placesFor({ x: DIMS, y: lead.values.length, out: lead.frames });
    places.y.values.set(lead.values);
    const apart = places.out.values;
    /** Puts the distances of lead frames [first, last] at their place in a row that begins with the frame low. */
    const tell = (first: number, last: number, low: number) => {
      if (last < first) return;
      const y = places.y.at + first * DIMS * BYTES;
      const out = places.out.at + (first - low) * BYTES;
      places.run.distances(places.x.at, y, DIMS, last - first + 1, out);
    };
    const [sung, led] = [follower.pitch, lead.pitch];
    for (let i = 0, at = 0; i < n; i++) {
      const pitch = sung[i];
      const pitched = intervals !== null && pitch === pitch;
      const low = band.low[i];
      const high = band.high[i];
      const from = known ? Math.max(low, known.band.low[i]) : high + 1;
      const to = known ? Math.min(high, known.band.high[i]) : high;
      for (let q = 0; q < DIMS; q++) places.x.values[q] = follower.values[i * DIMS + q];
      // but for what is known
      tell(low, Math.min(high, from - 1), low);
      tell(Math.max(low, to + 1), high, low);
      for (let j = low; j <= high; j++, at++) {
        if (j === from && to >= from) {
          const first = known!.offsets[i] + from - known!.band.low[i];
          this.values.set(known!.values.subarray(first, first + to - from + 1), at);
          at += to - from;
          j = to;
          continue;
        }
        const away = Math.abs(j - i) * seconds;
        let v = apart[j - low];
        if (pitched && led[j] === led[j]) v = Math.max(0, v + intervals[intervalIndex(pitch, led[j])]);
        v += PULL * (away < MOST_PULL_SECONDS ? away : MOST_PULL_SECONDS);
        this.values[at] = v * scale;
      }
    }
  }

  /** Adds what intervals cost, once they are known. */
  charge(intervals: Float32Array): void {
    const { follower, lead, band, values } = this;
    const scale = (FRAME * this.step) / UNIT;
    for (let i = 0, at = 0; i < follower.frames; i++) {
      const pitch = follower.pitch[i];
      if (Number.isNaN(pitch)) at += band.high[i] - band.low[i] + 1;
      else
        for (let j = band.low[i]; j <= band.high[i]; j++, at++) {
          const led = lead.pitch[j];
          if (led === led) values[at] = Math.max(0, values[at] + intervals[intervalIndex(pitch, led)] * scale);
        }
    }
  }
}

/** How the cells of the last search were come to: 7 MB of ten minutes, which three searches a pair would leave behind. */
let cells = new Uint8Array(0);

// how a cell was come to, as wayRow writes it: three bits for a match (0: not at all, 1: after a match), two for each of the others
const LEAD_TWICE = 2;
const FOLLOWER_TWICE = 3;
const AFTER_ALONE = 4;
const AFTER_SKIPPED = 5;

/**
 * The cheapest way through two takes by dynamic programming (Sakoe and Chiba 1978), in three states: both go on, the follower sounds
 * alone, the lead goes on alone; a stretch alone costs something to begin and something a moment (affine gaps).
 * @param onRow called now and then with the share done; may throw to stop
 */
export function findWay(d: Distances, { stranger, bending }: Prices, onRow: (share: number) => void = () => {}): Way {
  const { follower, lead, band, offsets, values } = d;
  const { low, high } = band;
  const n = follower.frames;
  const scale = (FRAME * d.step) / UNIT;
  const opening = OPEN_SOUNDING * stranger;
  if (cells.length < values.length) cells = new Uint8Array(Math.ceil(values.length * SPARE));
  let width = 1;
  for (let i = 0; i < n; i++) width = Math.max(width, high[i] - low[i] + 1);
  const { run, here, before, quiet, out, addresses, prices, rows } = placesFor({
    here: width,
    before: width,
    quiet: Math.ceil(lead.frames / BYTES),
    out: Math.ceil(width / BYTES),
    addresses: ROWS,
    prices: 2 * PRICES,
    rows: 2 * ROWS * width,
  });
  const { buffer } = here.values;
  new Uint8Array(buffer, quiet.at, lead.frames).set(lead.silent);
  new Float64Array(buffer, prices.at, PRICES).set([
    bending * scale,
    SILENT_ALONE * scale,
    stranger * 0.5 * scale,
    OPEN_SILENT,
    opening * OPEN_EDGE,
    opening,
  ]);
  const come = new Uint8Array(buffer, out.at, width);
  new Float64Array(buffer, rows.at, ROWS * width).fill(NEVER);
  const turn = new Uint32Array(buffer, addresses.at, ROWS);
  let [match, match1, match2, alone, alone1, skipped, skipped1] = Array.from(
    turn,
    (_, r) => rows.at + r * width * Float64Array.BYTES_PER_ELEMENT,
  );
  let [now, last] = [here, before];
  for (let i = 0; i < n; i++) {
    if (i % 500 === 0) onRow(i / n);
    const from = low[i];
    const wide = high[i] - from + 1;
    const offset = offsets[i];
    for (let c = 0; c < wide; c++) now.values[c] = values[offset + c];
    turn[0] = match;
    turn[1] = match1;
    turn[2] = match2;
    turn[3] = alone;
    turn[4] = alone1;
    turn[5] = skipped;
    turn[6] = skipped1;
    run.wayRow(
      now.at,
      last.at,
      quiet.at + from,
      addresses.at,
      from,
      high[i],
      i > 0 ? low[i - 1] : 0,
      i > 0 ? high[i - 1] : -1,
      i > 1 ? low[i - 2] : 0,
      i > 1 ? high[i - 2] : -1,
      follower.silent[i],
      i === 0 ? 1 : 0,
      prices.at,
      out.at,
    );
    for (let c = 0; c < wide; c++) cells[offset + c] = come[c];
    if (i === n - 1) break;
    const [oldest, lone, passed, told] = [match2, alone1, skipped1, last];
    match2 = match1;
    match1 = match;
    match = oldest;
    alone1 = alone;
    alone = lone;
    skipped1 = skipped;
    skipped = passed;
    last = now;
    now = told;
  }
  const end = high[n - 1] - low[n - 1];
  const ends = [match, alone, skipped].map(at => new Float64Array(buffer, at, width)[end]);
  return followed(d, cells, ends.indexOf(Math.min(...ends)));
}

/** Reads a way from its end. */
function followed({ follower, lead, band, offsets }: Distances, back: Uint8Array, state: number): Way {
  const n = follower.frames;
  const sum = new Float32Array(n);
  const count = new Uint8Array(n);
  const way: Way = {
    met: new Float32Array(n).fill(NaN),
    alone: new Uint8Array(n),
    first: new Int32Array(n).fill(-1),
    last: new Int32Array(n).fill(-1),
  };
  const pass = (i: number, j: number, s: number) => {
    const frame = Math.max(0, j);
    if (way.last[i] < 0) way.last[i] = Math.ceil(frame);
    way.first[i] = Math.floor(frame);
    if (s === 0) {
      sum[i] += frame;
      count[i]++;
    } else if (s === 1) way.alone[i] = 1;
  };
  let i = n - 1;
  let j = band.high[n - 1];
  for (let left = 2 * (n + lead.frames); left > 0; left--) {
    pass(i, j, state);
    if (i === 0 && j === 0) break;
    const code = back[offsets[i] + j - band.low[i]];
    if (state === 0) {
      const how = code & 7;
      if (how === 0) break;
      if (how === LEAD_TWICE) j -= 2;
      else if (how === FOLLOWER_TWICE) {
        pass(i - 1, j - 0.5, 0);
        i -= 2;
        j--;
      } else j--;
      if (how !== FOLLOWER_TWICE) i--;
      if (how === AFTER_ALONE) state = 1;
      if (how === AFTER_SKIPPED) state = 2;
    } else if (state === 1) {
      state = (code >> 3) & 3;
      i--;
    } else {
      state = (code >> 5) & 3;
      j--;
    }
    if (i < 0 || j < 0) break;
  }
  for (let k = 0; k < n; k++) {
    if (count[k]) {
      way.met[k] = sum[k] / count[k];
      way.alone[k] = 0;
    }
    if (way.first[k] < 0 && k > 0) {
      way.first[k] = way.first[k - 1];
      way.last[k] = way.last[k - 1];
    }
  }
  return way;
}

/** Makes a band's borders rise, and lets it begin and end where both takes do. */
export function risingBand(low: Int32Array, high: Int32Array, leadFrames: number): Band {
  const n = low.length;
  for (let i = 0; i < n; i++) {
    low[i] = Math.max(0, Math.min(leadFrames - 1, low[i]));
    high[i] = Math.max(0, Math.min(leadFrames - 1, high[i]));
  }
  low[0] = 0;
  high[n - 1] = leadFrames - 1;
  for (let i = 1; i < n; i++) if (high[i] < high[i - 1]) high[i] = high[i - 1];
  for (let i = n - 2; i >= 0; i--) if (low[i] > low[i + 1]) low[i] = low[i + 1];
  return { low, high };
}
