import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { HOP, hzToCents, quantile, unpackFlac, type Reading } from '@essim/core';

/**
 * Recorded people made to sing, from a folder beside the project that is for measuring only: nothing of it goes into the product. Their
 * truth has the pitch each frame (0: no voice, -1: not known), the notes, and where nothing voiced is.
 */

export interface PersonTruth {
  /** "C major". */
  key?: string;
  duration: number;
  hop: number;
  f0: number[];
  notes: PersonNote[];
  unvoiced: [number, number][];
  /** Name, kind, start, end; of diphones alone. */
  phones?: [string, string, number, number][];
}
export interface PersonNote {
  start: number;
  end: number;
  /** MIDI: as sung, and the written pitch. */
  sung: number;
  rail: number;
  legato: boolean;
}
export interface Person {
  name: string;
  kind: string;
  samples: Float32Array;
  sampleRate: number;
  truth: PersonTruth;
}

export const voicesFolder = (root: string): string => join(root, '../shared/voices');

/** Kinds as they are told, by how files are named. */
const kindOf = (name: string): string =>
  name.endsWith('-high') ? 'far from the middle' : name.endsWith('-choir') ? 'choir' : name.replace(/-.*/, '');

/** Everybody in the folder; nobody when it is not there. */
export async function people(root: string): Promise<Person[]> {
  const folder = voicesFolder(root);
  if (!existsSync(folder)) return [];
  const names = readdirSync(folder)
    .filter(f => f.endsWith('.flac'))
    .map(f => f.slice(0, -5));
  const out: Person[] = [];
  for (const name of names) {
    const truth = JSON.parse(readFileSync(join(folder, `${name}.json`), 'utf8')) as PersonTruth;
    const bytes = new Uint8Array(readFileSync(join(folder, `${name}.flac`)));
    const { sampleRate, channels } = await unpackFlac(bytes, Math.ceil(truth.duration * 48000) + 48000);
    out.push({ name, kind: kindOf(name), samples: channels[0], sampleRate, truth });
  }
  return out;
}

/** Counts of one reading; those of a kind are added up. */
export interface PersonScore {
  compared: number;
  within50: number;
  within10: number;
  octaves: number;
  voiced: number;
  found: number;
  unvoiced: number;
  alarms: number;
  truths: number;
  reads: number;
  /** True notes that are no louder than where nothing is sung: nobody hears them. */
  inNoise: number;
  inNoise50: number;
  inNoise100: number;
  hits50: number;
  hits100: number;
  quick: number;
  quickFound: number;
  same: number;
  sameFound: number;
  /** p, t and k, as far as where they are is known. */
  stops: number;
  stopsFound: number;
}

const QUICK = 0.15;
const CLOSE_CENTS = 50;
const STOPS = new Set(['p', 't', 'k', 'c']);
const STOP_WITHIN = 0.02;

export function scorePerson(
  { f0, levelDb, notes, noises }: Pick<Reading, 'f0' | 'levelDb' | 'notes' | 'noises'>,
  truth: PersonTruth,
): PersonScore {
  const s: PersonScore = {
    compared: 0,
    within50: 0,
    within10: 0,
    octaves: 0,
    voiced: 0,
    found: 0,
    unvoiced: 0,
    alarms: 0,
    truths: truth.notes.length,
    reads: notes.length,
    inNoise: 0,
    inNoise50: 0,
    inNoise100: 0,
    hits50: 0,
    hits100: 0,
    quick: 0,
    quickFound: 0,
    same: 0,
    sameFound: 0,
    stops: 0,
    stopsFound: 0,
  };
  const frames = Math.min(f0.length, truth.f0.length);
  for (let k = 0; k < frames; k++) {
    if (truth.f0[k] === 0) {
      s.unvoiced++;
      if (f0[k] > 0) s.alarms++;
    }
    if (!(truth.f0[k] > 0)) continue;
    s.voiced++;
    if (!(f0[k] > 0)) continue;
    s.found++;
    const off = Math.abs(hzToCents(f0[k]) - hzToCents(truth.f0[k]));
    s.compared++;
    if (off <= 50) s.within50++;
    if (off <= 10) s.within10++;
    if (Math.abs(off - 1200) < 100 || Math.abs(off - 2400) < 100) s.octaves++;
  }
  const found50 = matched(notes, truth.notes, 0.05);
  const found100 = matched(notes, truth.notes, 0.1);
  s.hits50 = found50.size;
  s.hits100 = found100.size;
  const unheard = notesInNoise(levelDb, truth);
  s.inNoise = unheard.size;
  s.inNoise50 = [...unheard].filter(i => found50.has(i)).length;
  s.inNoise100 = [...unheard].filter(i => found100.has(i)).length;
  truth.notes.forEach((n, i) => {
    const before = truth.notes[i - 1] as PersonNote | undefined;
    if (n.end - n.start < QUICK) {
      s.quick++;
      if (found100.has(i)) s.quickFound++;
    }
    if (before && before.rail === n.rail && n.start - before.end < 0.03) {
      s.same++;
      if (found50.has(i)) s.sameFound++;
    }
  });
  for (const [phone, , start, end] of truth.phones ?? []) {
    if (!STOPS.has(phone)) continue;
    s.stops++;
    if (noises.some(n => n.kind === 'plosive' && n.end > start - STOP_WITHIN && n.start < end + STOP_WITHIN))
      s.stopsFound++;
  }
  return s;
}

/** So far over where nothing is sung a note must stand to be heard, dB. */
const OVER_NOISE = 6;

/** True notes that do not stand over where nothing is sung: what made the person sing knows of them, and nobody who listens. */
function notesInNoise(levelDb: Float32Array, { hop, f0, notes }: PersonTruth): Set<number> {
  const silent = levelDb.filter((_, k) => f0[Math.round((k * HOP) / hop)] === 0);
  if (!silent.length) return new Set();
  const noise = quantile(silent, 0.5);
  const loudIn = ({ start, end }: PersonNote) =>
    quantile(levelDb.subarray(Math.round(start / HOP), Math.round(end / HOP) + 1), 0.75);
  return new Set(notes.flatMap((n, i) => (loudIn(n) < noise + OVER_NOISE ? [i] : [])));
}

/** True notes that were read, each by a note of its own. */
export function matched(
  read: readonly { start: number; pitch: number }[],
  truth: readonly PersonNote[],
  seconds: number,
): Set<number> {
  const used = new Set<number>();
  const out = new Set<number>();
  truth.forEach((t, i) => {
    let best = -1;
    let nearest = seconds;
    read.forEach((r, j) => {
      const away = Math.abs(r.start - t.start);
      if (used.has(j) || away > nearest || Math.abs(r.pitch - t.sung) > CLOSE_CENTS / 100) return;
      [nearest, best] = [away, j];
    });
    if (best < 0) return;
    used.add(best);
    out.add(i);
  });
  return out;
}

/** The figures of some scores together, as they are told. */
export function toldOf(of: string, scores: readonly PersonScore[]): Record<string, string | number> {
  const sum = (k: keyof PersonScore) => scores.reduce((n, s) => n + s[k], 0);
  const share = (a: keyof PersonScore, b: keyof PersonScore) => (100 * sum(a)) / Math.max(1, sum(b));
  const f1 = (k: 'hits50' | 'hits100') => (2 * sum(k)) / Math.max(1, sum('truths') + sum('reads'));
  const but = (ms: '50' | '100') =>
    (2 * (sum(`hits${ms}`) - sum(`inNoise${ms}`))) /
    Math.max(1, sum('truths') + sum('reads') - sum('inNoise') - sum(`inNoise${ms}`));
  return {
    of,
    '50c %': share('within50', 'compared'),
    '10c %': share('within10', 'compared'),
    'octaves %': share('octaves', 'compared'),
    'recall %': share('found', 'voiced'),
    'false %': share('alarms', 'unvoiced'),
    'F1 50 ms': f1('hits50'),
    'F1 100 ms': f1('hits100'),
    quick: `${sum('quickFound')} of ${sum('quick')}`,
    'same pitch': `${sum('sameFound')} of ${sum('same')}`,
    'p t k': `${sum('stopsFound')} of ${sum('stops')}`,
    'in noise': `${sum('inNoise100')} of ${sum('inNoise')}`,
    'F1 but these': (['50', '100'] as const).map(ms => but(ms).toFixed(2)).join(', '),
  };
}

/** Every person, then every kind, then the mean over kinds of what is a number. */
export function scorePeople(heard: readonly { person: Person; reading: Reading }[]): Record<string, string | number>[] {
  const all = heard.map(({ person, reading }) => ({ ...person, score: scorePerson(reading, person.truth) }));
  const kinds = [...new Set(all.map(p => p.kind))];
  const byKind = kinds.map(kind =>
    toldOf(
      kind,
      all.filter(p => p.kind === kind).map(p => p.score),
    ),
  );
  const mean: Record<string, string | number> = { of: 'mean over kinds' };
  for (const [name, value] of Object.entries(byKind[0] ?? {}))
    if (typeof value === 'number') mean[name] = byKind.reduce((s, row) => s + Number(row[name]), 0) / byKind.length;
  return [...all.map(p => toldOf(p.name, [p.score])), ...byKind, mean];
}
