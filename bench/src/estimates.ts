import {
  analyseBacking,
  chordsOf,
  commonLag,
  comparePerformances,
  estimateKey,
  estimateReference,
  findPhrases,
  inTimeScore,
  inTuneScore,
  meritOf,
  parseKey,
  readTake,
  scaleOfKey,
  seededRandom,
  sharedOnsets,
  stepName,
  type Reading,
} from '@essim/core';
import { BEAT, madeUpSong, perform, smallRoom, songScore, type Performance, type Truth } from '@essim/demo';

/** How good the estimates of the set-up are, on songs made up from seeds. */

const share = (hits: boolean[]): number => hits.filter(Boolean).length / Math.max(1, hits.length);

export interface EstimateScores {
  /** Tempo within 1 %, or its half or double named beside it. */
  tempo: number;
  key: number;
  keyFromNotes: number;
  /** Reference pitch within 3 cents. */
  reference: number;
  /** Beats with the right root and kind. */
  chords: number;
  /** Bar 1 on the right beat, of songs whose tempo and metre are right. */
  firstBar: number;
  /** Audio seconds a second. */
  speed: number;
}

/** Estimates of made-up songs against what they are. */
export function scoreEstimates(seeds: readonly number[]): EstimateScores {
  const hits: Record<'tempo' | 'key' | 'keyFromNotes' | 'reference' | 'chords' | 'firstBar', boolean[]> = {
    tempo: [],
    key: [],
    keyFromNotes: [],
    reference: [],
    chords: [],
    firstBar: [],
  };
  let audio = 0;
  let spent = 0;
  for (const seed of seeds) {
    const song = madeUpSong(seed, 40);
    const t = performance.now();
    const found = analyseBacking(song.samples, song.sampleRate);
    spent += (performance.now() - t) / 1000;
    audio += song.samples.length / song.sampleRate;
    const near = (bpm: number | null | undefined) => !!bpm && Math.abs(bpm / song.bpm - 1) < 0.01;
    const exact = near(found.tempo?.bpm);
    hits.tempo.push(exact || near(found.tempo?.alsoBpm));
    if (exact && found.tempo!.beatsPerBar === song.beatsPerBar) {
      const bar = (60 / song.bpm) * song.beatsPerBar;
      const off = (found.tempo!.firstBarSeconds - song.firstBarSeconds) / bar;
      hits.firstBar.push(Math.abs(off - Math.round(off)) < 0.06);
    }
    const right = (k: { tonic: number; mode: string }) => k.tonic === song.key.tonic && k.mode === song.key.mode;
    const keys = estimateKey(song.melody, found);
    hits.key.push(right(keys[0]));
    hits.keyFromNotes.push(right(estimateKey(song.melody, null)[0]));
    hits.reference.push(Math.abs(estimateReference(song.melody, found)!.cents - song.tuningCents) < 3);
    const beats = Array.from(
      { length: song.chords.length * song.beatsPerBar + 1 },
      (_, i) => song.firstBarSeconds + (i * 60) / song.bpm,
    );
    const chords = chordsOf(found, keys[0], beats, song.beatsPerBar, 0);
    beats.slice(0, -1).forEach((b, i) => {
      const name = chords.findLast(c => c.start <= b + 0.01)?.name ?? '';
      const wanted = song.chords[Math.floor(i / song.beatsPerBar)];
      const root = name.replace(/(maj7|m7|m|7|dim)$/, '');
      const minor = /m7?$/.test(name) && !name.endsWith('dim');
      const key = { tonic: keys[0].tonic, mode: keys[0].mode };
      hits.chords.push(root === stepName(wanted.root, key) && minor === wanted.minor);
    });
  }
  return {
    tempo: share(hits.tempo),
    key: share(hits.key),
    keyFromNotes: share(hits.keyFromNotes),
    reference: share(hits.reference),
    chords: share(hits.chords),
    firstBar: share(hits.firstBar),
    speed: audio / spent,
  };
}

/** Share of phrase borders found within 150 ms of the first or last sung moment of a phrase. */
export function scorePhrases(readings: { reading: Reading; truth: Truth }[]): number {
  const hits: boolean[] = [];
  for (const { reading, truth } of readings) {
    const found = findPhrases(
      reading.notes,
      reading.noises.filter(n => n.kind === 'breath'),
    );
    const wanted = new Map<number, { start: number; end: number }>();
    for (const w of truth.words) {
      const notes = truth.notes.filter(n => n.start >= w.start - 0.02 && n.start < w.end);
      if (!notes.length) continue;
      const p = wanted.get(w.phrase) ?? { start: Infinity, end: 0 };
      wanted.set(w.phrase, {
        start: Math.min(p.start, ...notes.map(n => n.voiceStart)),
        end: Math.max(p.end, ...notes.map(n => n.end)),
      });
    }
    for (const p of wanted.values()) {
      hits.push(found.some(f => Math.abs(f.start - p.start) < 0.15));
      hits.push(found.some(f => Math.abs(f.end - p.end) < 0.15));
    }
  }
  return share(hits);
}

interface SungPhrase extends Performance {
  /** Mean distance of the notes from what is written, cents; of their onsets, s. */
  offCents: number;
  offSeconds: number;
}

function singPhrase(phrase: number, seed: number, tune: number, loose: number): SungPhrase {
  const score = songScore({ seed, phrases: [phrase], tune, loose });
  // the phrase stays on the grid: moved back by whole bars
  const back = Math.floor((score[0].t - 1) / (4 * BEAT)) * 4 * BEAT;
  for (const s of score) s.t -= back;
  const last = score[score.length - 1];
  const { samples, truth } = perform(score, 'tenor', { seed: seed + 9, duration: last.t + last.duration + 0.6 });
  const mean = (list: number[]) => list.reduce((a, b) => a + b, 0) / list.length;
  return {
    samples: smallRoom(samples, seed),
    truth,
    offCents: mean(truth.notes.map(n => Math.abs(n.sung - n.midi) * 100)),
    offSeconds: mean(
      truth.notes.map(n => {
        const parts = (n.start - 0.012) / (BEAT / 4);
        return Math.abs(parts - Math.round(parts)) * (BEAT / 4);
      }),
    ),
  };
}

/** Share of made-up pairs of takes whose ranking by the scores agrees with the truth. */
export function scoreRanking(pairs: number, firstSeed: number): { tune: number; time: number; merit: number } {
  const random = seededRandom(firstSeed);
  const hits = { tune: [] as boolean[], time: [] as boolean[], merit: [] as boolean[] };
  const scale = scaleOfKey(parseKey('D major'));
  for (let i = 0; i < pairs; i++) {
    const takes = [0, 1].map(k =>
      singPhrase(i % 8, firstSeed + 2 * i + k, 4 + 26 * random.uniform(), 0.005 + 0.05 * random.uniform()),
    );
    const read = takes.map(t => readTake(t.samples, t.truth.sampleRate));
    const grid = Array.from({ length: 80 }, (_, k) => (k * BEAT) / 4);
    const onsets = read.map(r => r.notes.map(n => n.onset));
    const expected = sharedOnsets(onsets, grid, commonLag(onsets.flat(), grid));
    const scores = read.map(r => {
      const line = Float32Array.from(r.f0, hz => (hz > 0 ? 69 + 12 * Math.log2(hz / 440) : NaN));
      const tune = inTuneScore(
        line,
        r.hop,
        r.notes.map(n => ({ ...n, sung: n.pitch })),
        () => scale,
      );
      const time = inTimeScore(
        r.notes.map(n => n.onset),
        expected,
      );
      return { tune, time, merit: meritOf(tune, time) };
    });
    const [a, b] = takes;
    const [sa, sb] = scores;
    // pairs that are truly alike have no ranking to agree with
    if (Math.abs(a.offCents - b.offCents) > 6)
      hits.tune.push(
        a.offCents < b.offCents === sa.tune.share - sa.tune.meanCents / 1000 > sb.tune.share - sb.tune.meanCents / 1000,
      );
    if (Math.abs(a.offSeconds - b.offSeconds) > 0.012)
      hits.time.push(
        a.offSeconds < b.offSeconds ===
          sa.time.share - sa.time.meanSeconds / 0.1 > sb.time.share - sb.time.meanSeconds / 0.1,
      );
    const truth = (t: SungPhrase) => t.offCents / 20 + t.offSeconds / 0.025;
    if (Math.abs(truth(a) - truth(b)) > 0.3) hits.merit.push(truth(a) < truth(b) === sa.merit > sb.merit);
  }
  return { tune: share(hits.tune), time: share(hits.time), merit: share(hits.merit) };
}

/** A recording found again in another file of it: trimmed, louder, a little noise; and another take refused. */
export function scoreReplacing(take: Float32Array, other: Float32Array, rate: number) {
  const shift = Math.round(1.237 * rate);
  const random = seededRandom(3);
  const newer = new Float32Array(take.length + shift);
  newer.set(take, shift);
  const changed = newer.map(v => 1.6 * v + 0.001 * random.normal()).subarray(0, newer.length - 4 * rate);
  const t = performance.now();
  const same = comparePerformances(take, changed, rate);
  const speed = take.length / rate / ((performance.now() - t) / 1000);
  return {
    'offset error samples': Math.abs(same.offsetSeconds * rate - shift),
    'level error dB': Math.abs(same.levelDb - 20 * Math.log10(1.6)),
    'sound found %': same.found * 100,
    'another take': comparePerformances(take, other, rate).same ? 'taken for it' : 'refused',
    'speed ×': speed,
  };
}
