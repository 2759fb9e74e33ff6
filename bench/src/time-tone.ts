import {
  BANDS,
  colourFrames,
  findClicks,
  followRecipe,
  frameLoudness,
  heardMap,
  HOP,
  levelAt,
  Listener,
  meanColour,
  meanLoudness,
  median,
  noisesOf,
  quantile,
  readRecipe,
  readTake,
  seededRandom,
  shownSong,
  Tempo,
  type Reading,
  type Song,
  type ShownNote,
  type Span,
} from '@essim/core';
import { singVocal, type Performance } from '@essim/demo';
import { songOf, type Step } from './one-take';
import { hnr } from './sound';

/** What the Time and Tone desks ask, as it is heard in the rendering: on the demo's singers, read as they are. */

type Row = Record<string, string | number>;
interface Made {
  y: Float32Array;
  notes: ShownNote[];
  noises: Span[];
  map(t: number): number;
  reading(): Reading;
}

/** One singer's song, and recipes over it. */
class Bench {
  readonly reading: Reading;
  private readonly song: Song;
  constructor(
    readonly x: Float32Array,
    readonly rate: number,
  ) {
    this.reading = readTake(x, rate);
    const tempo = Object.assign(new Tempo(), { bpm: 92, beatsPerBar: 4, firstBarSeconds: 0 });
    this.song = songOf(null, { sampleRate: rate, tempo });
  }

  async make(steps: readonly Step[]): Promise<Made> {
    const listener = new Listener({ channels: () => Promise.resolve([this.x]), reading: () => this.reading });
    let count = 0;
    const made = await followRecipe(this.song, readRecipe({ recipe: 1, steps }), {
      scoreFor: (s, t, e) => listener.score(s, t, e),
      findAlignment: () => Promise.reject(new Error('nobody follows')),
      newId: () => `new-${++count}`,
    });
    const { song } = made[made.length - 1];
    const { sources } = await listener.rendered(song, song.tracks[0]);
    const { score } = await listener.planned(song, song.tracks);
    const { notes, noises } = shownSong(score, song.tracks).tracks[0];
    const bent = heardMap(song, song.tracks[0]);
    const y = sources.get('take')![0];
    return { y, notes, noises, map: t => bent?.forward(t) ?? t, reading: () => readTake(y, this.rate) };
  }

  power(x: Float32Array, start: number, end: number): number {
    const part = x.subarray(Math.round(start * this.rate), Math.round(end * this.rate));
    return 10 * Math.log10(part.reduce((s, v) => s + v * v, 0) / Math.max(1, part.length) + 1e-14);
  }
}

const one = (index: number) => ({ tracks: 'Lead', notes: { index: [index] } });

/** Where a sound begins to be like a stretch of another: the lag at which they agree best, s, and how well. */
function found(a: Float32Array, b: Float32Array, rate: number, at: number, about: number): { lag: number; r: number } {
  const n = Math.round(0.03 * rate);
  const from = Math.round(at * rate);
  let best = { lag: 0, r: -1 };
  for (let lag = -Math.round(0.03 * rate); lag <= 0.03 * rate; lag++) {
    let [ab, aa, bb] = [0, 1e-12, 1e-12];
    const to = Math.round(about * rate) + lag;
    for (let i = 0; i < n; i++) {
      const [u, v] = [a[from + i] ?? 0, b[to + i] ?? 0];
      ab += u * v;
      aa += u * u;
      bb += v * v;
    }
    const r = ab / Math.sqrt(aa * bb);
    if (r > best.r) best = { lag: lag / rate, r };
  }
  return best;
}

/** Moved, stretched and quantised onsets, and the length of consonants, as they are heard. */
export async function scoreTime(of: string, { samples, truth }: Performance): Promise<Row[]> {
  const bench = new Bench(samples, truth.sampleRate);
  const { notes } = bench.reading;
  const plain = notes.map((n, i) => ({ n, i })).filter(({ n }) => n.end - n.start > 0.25);
  const rows: Row[] = [];
  const off: number[] = [];
  const quantised: number[] = [];
  // a consonant goes with its note, sound for sound: where it is found again tells where the note went
  const heads = (made: Made, asked: (i: number) => number, list: typeof plain) =>
    list.flatMap(({ n, i }) => {
      const noise = bench.reading.noises.find(q => q.kind !== 'breath' && Math.abs(q.end - n.start) < 0.03);
      if (!noise || !made.notes[i]) return [];
      const lag = found(bench.x, made.y, bench.rate, noise.start, noise.start + asked(i));
      return lag.r > 0.7 ? [1000 * Math.abs(lag.lag)] : [];
    });
  for (const ms of [40, -40]) {
    const made = await bench.make([{ do: 'nudge', on: { tracks: 'Lead' }, with: { ms } }]);
    off.push(...heads(made, () => ms / 1000, plain));
  }
  const made = await bench.make([{ do: 'quantise', on: { tracks: 'Lead' }, with: { grid: '1/16' } }]);
  const before = shownNotes(bench);
  quantised.push(...heads(made, i => made.notes[i].start - before[i].start, plain));
  // phrases a seventh longer: each consonant goes with the vowel after it
  const stretched: number[] = [];
  for (let i = 0; i + 4 < notes.length; i += 5) {
    const [first, last] = [notes[i], notes[i + 3]];
    const longer = await bench
      .make([
        {
          do: 'stretch',
          on: { tracks: 'Lead', notes: { index: [0, 1, 2, 3].map(k => i + k) } },
          with: { end: first.start + (last.end - first.start) * 1.15 },
        },
      ])
      .catch(() => null);
    const inner = plain.filter(({ i: k }) => k > i && k < i + 4);
    if (longer) stretched.push(...heads(longer, k => longer.notes[k].start - before[k].start, inner));
  }
  rows.push({
    of,
    what: 'phrases stretched',
    notes: stretched.length,
    'median ms': stretched.length ? median(stretched) : NaN,
    '95 %': stretched.length ? quantile(stretched, 0.95) : NaN,
  });
  rows.push({ of, what: 'moved by 40 ms', notes: off.length, 'median ms': median(off), '95 %': quantile(off, 0.95) });
  rows.push({
    of,
    what: 'to sixteenths',
    notes: quantised.length,
    'median ms': median(quantised),
    '95 %': quantile(quantised, 0.95),
  });
  return rows;
}

/** Consonants of stretched phrases: by how much their length is off, %. */
export async function stretchedConsonants({ samples, truth }: Performance): Promise<number[]> {
  const bench = new Bench(samples, truth.sampleRate);
  const { notes } = bench.reading;
  // a phrase half as long again: its consonants' length, by where their two ends are found
  const lengths: number[] = [];
  for (let i = 0; i + 4 < notes.length; i += 5) {
    const [first, last] = [notes[i], notes[i + 3]];
    const keys = [0, 1, 2, 3].map(k => i + k);
    const end = first.start + (last.end - first.start) * 1.15;
    try {
      const longer = await bench.make([
        { do: 'stretch', on: { tracks: 'Lead', notes: { index: keys } }, with: { end } },
      ]);
      const inner = bench.reading.noises.filter(
        q => q.kind !== 'breath' && q.start > first.end && q.end < last.start && q.end - q.start > 0.05,
      );
      for (const q of inner) {
        // where it is heard is planned; where its two ends are found again tells how long it is
        const heard = longer.noises.find((_, k) => bench.reading.noises[k] === q)!;
        const [a, b] = [q.start, q.end - 0.03].map((t, k) => {
          const guess = k ? heard.end - 0.03 : heard.start;
          return guess + found(bench.x, longer.y, bench.rate, t, guess).lag;
        });
        lengths.push(100 * Math.abs((b - a) / (q.end - 0.03 - q.start) - 1));
      }
    } catch {
      // there is no room for it
    }
  }
  return lengths;
}

const shownNotes = (b: Bench) => b.reading.notes;

/** How periodic a held sound is over times in which a loop would repeat: the best autocorrelation of its level line. */
function repeats(x: Float32Array, rate: number, start: number, end: number): number {
  const step = Math.round(0.005 * rate);
  const line: number[] = [];
  for (let i = Math.round(start * rate); i + step < end * rate; i += step)
    line.push(Math.log(x.subarray(i, i + step).reduce((s, v) => s + v * v, 0) + 1e-10));
  const mean = line.reduce((s, v) => s + v, 0) / line.length;
  const y = line.map(v => v - mean);
  const energy = y.reduce((s, v) => s + v * v, 0) + 1e-12;
  let best = 0;
  for (let lag = 8; lag < Math.min(80, y.length / 2); lag++) {
    let r = 0;
    for (let i = 0; i + lag < y.length; i++) r += y[i] * y[i + lag];
    best = Math.max(best, r / energy);
  }
  return best;
}

/** The last notes of phrases held to three times their length. */
export async function scoreHeld(of: string, { samples, truth }: Performance): Promise<Row> {
  const bench = new Bench(samples, truth.sampleRate);
  const { notes } = bench.reading;
  const cents: number[] = [];
  const level: number[] = [];
  const more: number[] = [];
  const harder: number[] = [];
  for (const [i, n] of notes.entries()) {
    const next = notes[i + 1] as (typeof notes)[number] | undefined;
    const room = (next?.start ?? Infinity) - n.end;
    if (n.end - n.start < 0.35 || room < 2 * (n.end - n.start)) continue;
    const end = n.start + 3 * (n.end - n.start);
    const made = await bench.make([{ do: 'stretch', on: one(i), with: { end } }]);
    const again = made.reading();
    const off: number[] = [];
    for (let k = Math.round(n.onset / HOP) + 8; k < Math.round(n.end / HOP) - 8; k++) {
      const hz = again.f0[Math.round(made.map(k * HOP) / HOP)];
      if (bench.reading.f0[k] > 0 && hz > 0) off.push(1200 * Math.log2(hz / bench.reading.f0[k]));
    }
    cents.push(Math.abs(median(off)));
    const inner = 0.08;
    level.push(
      Math.abs(
        bench.power(made.y, n.start + 3 * inner, end - 3 * inner) -
          bench.power(bench.x, n.start + inner, n.end - inner),
      ),
    );
    // stretches as long as the note was: a longer line would repeat more by its length alone
    const [from, to] = [n.start + inner, n.end - inner];
    const windows: number[] = [];
    for (let t = n.start + 0.2; t + to - from < end - 0.2; t += 0.1)
      windows.push(repeats(made.y, bench.rate, t, t + to - from));
    more.push(median(windows) - repeats(bench.x, bench.rate, from, to));
    const clear = (y: Float32Array, f0: ArrayLike<number>, a: number, z: number) => {
      const list: number[] = [];
      for (let k = Math.round(a / HOP); k < z / HOP; k++)
        if (f0[k] > 0) list.push(hnr(y, Math.round(k * HOP * bench.rate), bench.rate / f0[k]));
      return median(list);
    };
    harder.push(clear(made.y, again.f0, n.start + 0.2, end - 0.2) - clear(bench.x, bench.reading.f0, from, to));
  }
  return {
    of,
    notes: cents.length,
    'off, median c': median(cents),
    'off, most c': Math.max(0, ...cents),
    'level, most dB': Math.max(0, ...level),
    'repeats more, median': median(more),
    'repeats more, most': Math.max(-1, ...more),
    'HNR, median dB': median(harder),
    'HNR, most dB': Math.max(...harder.map(Math.abs)),
  };
}

/** Levels, evening, noises, formants, colour, clicks and cleaning, as they are heard. */
export async function scoreTone(of: string, { samples, truth }: Performance): Promise<Row[]> {
  const bench = new Bench(samples, truth.sampleRate);
  const { reading, x } = bench;
  const rows: Row[] = [];
  const say = (what: string, value: number, asked: string) => rows.push({ of, what, value, asked });
  const long = reading.notes.map((n, i) => ({ n, i })).filter(({ n }) => n.end - n.start > 0.3);

  const curve = await bench.make([
    { do: 'level', on: { tracks: 'Lead' }, with: { startDb: -6, middleDb: 0, endDb: -9 } },
  ]);
  const offCurve = long.flatMap(({ n }) =>
    [0.25, 0.5, 0.75].map(u => {
      const t = n.start + u * (n.end - n.start);
      const heard = bench.power(curve.y, t - 0.01, t + 0.01) - bench.power(x, t - 0.01, t + 0.01);
      return Math.abs(heard - levelAt({ startDb: -6, middleDb: 0, endDb: -9 }, u));
    }),
  );
  say('level curve, 95 % within, dB', quantile(offCurve, 0.95), '.3');

  const loudOf = (y: Float32Array) => {
    const loud = frameLoudness([y], bench.rate, HOP, reading.f0.length);
    return long.map(({ n }) => {
      const frames: number[] = [];
      for (let k = Math.round(n.onset / HOP); k < n.end / HOP; k++) if (reading.f0[k] > 0) frames.push(k);
      return meanLoudness(loud, frames) ?? NaN;
    });
  };
  // every phrase has a middle of its own: one note is compared with the one before it
  const even = await bench.make([{ do: 'even-levels', on: { tracks: 'Lead' }, with: { lift: 100, ease: 100 } }]);
  const steps = (v: number[]) =>
    v.slice(1).flatMap((l, i) => (long[i + 1].n.start - long[i].n.end < 0.25 ? [Math.abs(l - v[i])] : []));
  say('even levels, from note to note, 90 %, dB', quantile(steps(loudOf(even.y)), 0.9), '.5');
  say('  as sung', quantile(steps(loudOf(x)), 0.9), '');
  say('  highest peak, dB', 20 * Math.log10(even.y.reduce((m, v) => Math.max(m, Math.abs(v)), 0)), 'under -1');

  for (const kind of ['sibilant', 'breath', 'plosive'] as const) {
    const list = noisesOf(reading).filter(q => q.kind === kind);
    if (!list.length) continue;
    // each by as much: over the track a soft one would be left softer
    const span = [0, x.length / bench.rate];
    const made = await bench.make([{ do: 'noises', on: { tracks: 'Lead', span }, with: { kind, db: -6 } }]);
    const energy = (y: Float32Array) =>
      list.reduce((s, q) => s + 10 ** (bench.power(y, q.start, q.end) / 10) * (q.end - q.start), 0);
    say(`${kind}s by -6 dB, heard`, 10 * Math.log10(energy(made.y) / energy(x)), '-6');
    let changed = 0;
    let whole = 0;
    for (const { n } of long) {
      const [a, b] = [10 ** (bench.power(made.y, n.onset, n.end) / 10), 10 ** (bench.power(x, n.onset, n.end) / 10)];
      changed += Math.abs(a - b);
      whole += b;
    }
    say('  of the vowels, %', (100 * changed) / whole, 'under 1');
  }

  const formant = await bench.make([{ do: 'formant', on: { tracks: 'Lead' }, with: { semitones: 2 } }]);
  const after = formant.reading();
  const cents: number[] = [];
  reading.f0.forEach((hz, k) => {
    if (hz > 0 && after.f0[k] > 0) cents.push(Math.abs(1200 * Math.log2(after.f0[k] / hz)));
  });
  say('formants by 2 semitones: pitch, median c', median(cents), '0');
  const grown = singVocal(of, 2 ** (2 / 12)).samples;
  say('  semitones heard', envelopeShift(x, formant.y, bench), '');
  say('  of a singer whose formants lie 2 higher', envelopeShift(x, grown, bench), '');
  say('  from that singer to what was made', envelopeShift(grown, formant.y, bench), '-.5 to .5');

  const groups: number[][] = [];
  for (let i = 0; i + 4 <= long.length; i += 4) groups.push(long.slice(i, i + 4).map(q => q.i));
  const left: number[] = [];
  const louder: number[] = [];
  const sung = loudOf(x);
  for (const index of groups) {
    const made = await bench.make([
      { do: 'even-colour', on: { tracks: 'Lead', notes: { index } }, with: { amount: 100 } },
    ]);
    left.push(spreadOf(made.y, index, bench) / spreadOf(x, index, bench));
    const now = loudOf(made.y);
    long.forEach(({ i }, k) => index.includes(i) && louder.push(Math.abs(now[k] - sung[k])));
  }
  say('even colour takes of the spread, %', 100 * (1 - median(left)), '60');
  say('  loudness changes by, 90 %, dB', quantile(louder, 0.9), '.5');

  const clean = await bench.make([{ do: 'clean', on: { tracks: 'Lead' }, with: { gapsDb: -20 } }]);
  const rests = reading.notes
    .slice(1)
    .flatMap((n, i) => (n.start - reading.notes[i].end > 1.6 ? [[reading.notes[i].end + 0.6, n.start - 0.9]] : []));
  const spill = rests.filter(
    ([a, z]) => z > a + 0.1 && !reading.noises.some(q => q.end > a - 0.1 && q.start < z + 0.1),
  );
  if (spill.length)
    say(
      'gaps by -20 dB, heard',
      median(spill.map(([a, z]) => bench.power(clean.y, a, z) - bench.power(x, a, z))),
      '-20',
    );
  say(
    "  words' ends lose at most, dB",
    Math.max(
      ...long.map(
        ({ n }) => bench.power(x, n.end - 0.05, n.end + 0.05) - bench.power(clean.y, n.end - 0.05, n.end + 0.05),
      ),
    ),
    '0',
  );

  const { clicked, places } = withClicks(x, bench.rate, reading);
  const heard = findClicks(clicked, bench.rate, reading.f0, HOP, reading.noises);
  const clean0 = findClicks(x, bench.rate, reading.f0, HOP, reading.noises);
  const hit = places.filter(t => heard.some(c => t > c.start - 0.002 && t < c.end + 0.002)).length;
  say('planted clicks found, %', (100 * hit) / places.length, '90');
  say('  false, a minute', clean0.length / (x.length / bench.rate / 60), 'under 2');
  return rows;
}

const coloursOf = (y: Float32Array, b: Bench) => colourFrames(y, b.rate, b.reading.f0, HOP, BANDS).envelope;

function spreadOf(y: Float32Array, index: readonly number[], b: Bench): number {
  const frames = coloursOf(y, b);
  const list = index.flatMap(i => {
    const { onset, end } = b.reading.notes[i];
    const own = meanColour(frames, BANDS.length, onset / HOP + 4, end / HOP - 4);
    return own ? [own] : [];
  });
  let sum = 0;
  for (let band = 0; band < BANDS.length; band++) {
    const mean = list.reduce((s, l) => s + l[band], 0) / list.length;
    sum += list.reduce((s, l) => s + (l[band] - mean) ** 2, 0);
  }
  return Math.sqrt(sum / BANDS.length / list.length);
}

/** By how many semitones the envelope of one sound lies over another's, by where they agree best. */
function envelopeShift(x: Float32Array, y: Float32Array, b: Bench): number {
  const fine = Float32Array.from({ length: 49 }, (_, i) => 300 * 2 ** (i / 12));
  const [p, q] = [x, y].map(s => {
    const frames = colourFrames(s, b.rate, b.reading.f0, HOP, fine).envelope;
    const mean = meanColour(frames, fine.length, 0, b.reading.f0.length)!;
    return Array.from(mean);
  });
  let best = { at: 0, cost: Infinity };
  for (let shift = -4; shift <= 6; shift += 0.1) {
    let [cost, count] = [0, 0];
    for (let i = 20; i < p.length - 8; i++) {
      const at = i + shift;
      const k = Math.floor(at);
      if (k < 0 || k + 1 >= q.length) continue;
      cost += (p[i] - (q[k] + (q[k + 1] - q[k]) * (at - k))) ** 2;
      count++;
    }
    if (cost / count < best.cost) best = { at: shift, cost: cost / count };
  }
  return best.at;
}

/** Mouth clicks of 1 to 2 ms, planted where the voice sounds and where it rests, as loud as they are heard on close microphones. */
function withClicks(x: Float32Array, rate: number, reading: Reading): { clicked: Float32Array; places: number[] } {
  const random = seededRandom(11);
  const clicked = x.slice();
  const places: number[] = [];
  const away = (t: number) => !reading.noises.some(q => t > q.start - 0.03 && t < q.end + 0.03);
  for (let t = 0.5; t < x.length / rate - 0.5; t += 0.7 + 0.6 * random.uniform()) {
    if (!away(t)) continue;
    const k = Math.round(t / HOP);
    const voiced = reading.f0[k] > 0;
    const level = 10 ** ((voiced ? Math.max(-32, reading.levelDb[k] - 4) : -44) / 20);
    const ring = 1200 + 4000 * random.uniform();
    places.push(t);
    for (let i = 0; i < 0.002 * rate; i++)
      clicked[Math.round(t * rate) + i] +=
        level * Math.exp(-i / (0.0004 * rate)) * Math.cos((2 * Math.PI * ring * i) / rate);
  }
  return { clicked, places };
}
