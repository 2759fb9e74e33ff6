import type { GainSpan } from '../plan';
import type { ReadNoise, Reading } from '../read';
import type { NoiseSort, Take, Track } from '../song';
import { median } from '../signal/statistics';
import { clamp, overlapOf, type Decibels, type HeardSeconds, type Span, type TakeSeconds } from '../units';
import type { Place } from './place';
import type { TakeView, TrackView } from './track-view';

/** Sibilants, plosives and breaths, as loud as they are beside the voice they belong to, and what turns them up or down. */

export interface Noise extends Span<TakeSeconds> {
  kind: NoiseSort;
  /** Its own level, dB full scale. */
  levelDb: Decibels;
  /** Over the voice beside it. */
  besideDb: Decibels;
}

/** A voice further away than this is not beside it, s. */
const BESIDE = 0.6;
/** Loudest so much over usual, and so much under it a noise is soft enough to be left alone. */
const SOFT = { from: -4, to: -12 };
/** Over which a noise goes over into what is about it, s. */
const OVER: TakeSeconds = 0.012;
const OVER_BREATH: TakeSeconds = 0.03;
/** Two noises begin together when no further apart than this, s. */
const TOGETHER: HeardSeconds = 0.09;
/** Nobody sings: so long after a note its sound may still die away, and so long before one its beginning may be read late, s. */
const TAIL = { after: 0.18, before: 0.06 };
const CLEAN_OVER: TakeSeconds = 0.12;
const SHORTEST_GAP: TakeSeconds = 0.1;

const powerOver = (levelDb: ArrayLike<number>, hop: number, { start, end }: Span): Decibels => {
  let [sum, count] = [0, 0];
  for (let k = Math.max(0, Math.round(start / hop)); k < Math.min(levelDb.length, Math.round(end / hop)); k++, count++)
    sum += 10 ** (levelDb[k] / 10);
  return 10 * Math.log10(sum / Math.max(1, count) + 1e-12);
};

const known = new WeakMap<Reading, Noise[]>();

/** The noises of a reading with their levels; found once. */
export function noisesOf(reading: Reading): Noise[] {
  let noises = known.get(reading);
  if (noises) return noises;
  const { levelDb, hop, notes } = reading;
  const voices = notes.map(n => powerOver(levelDb, hop, { start: n.onset, end: n.end }));
  const whole = notes.length ? median(voices) : 0;
  noises = reading.noises.map((n: ReadNoise): Noise => {
    const near = voices.filter((_, i) => notes[i].end > n.start - BESIDE && notes[i].start < n.end + BESIDE);
    const level = powerOver(levelDb, hop, n);
    return { ...n, levelDb: level, besideDb: level - (near.length ? Math.max(...near) : whole) };
  });
  known.set(reading, noises);
  return noises;
}

/** How far over its voice a kind usually lies in a take. */
export const usualBeside = (noises: readonly Noise[], kind: NoiseSort): Decibels => {
  const list = noises.filter(n => n.kind === kind).map(n => n.besideDb);
  return list.length ? median(list) : 0;
};

/** How much of what is asked of all of its kind a noise takes: a soft one is left soft. */
const shareOf = (n: Noise, usual: Decibels): number =>
  clamp((n.besideDb - usual - SOFT.to) / (SOFT.from - SOFT.to), 0, 1);

/** What one noise is turned by. @param lead noises of the track's lead as they are heard, where there is one */
export function noiseDb(
  n: Noise,
  all: readonly Noise[],
  take: Pick<Take, 'noises'>,
  { noises }: Pick<Track, 'noises'>,
  place: Place | null,
  lead: readonly (Span<HeardSeconds> & { kind: string })[] | null,
): Decibels {
  const own = take.noises.find(e => overlapOf(e, n) > 0.5 * (n.end - n.start));
  if (own) return own.db;
  const rule = noises.find(r => r.kind === n.kind);
  if (!rule) return 0;
  const share = rule.db ? shareOf(n, usualBeside(all, n.kind)) : 0;
  let db = rule.db * share;
  if (rule.together && lead && place) {
    const [start, end] = [place.toSong(n.start), place.toSong(n.end)];
    const meets = lead.some(
      l =>
        l.kind === n.kind &&
        (Math.abs(l.start - start) < TOGETHER || overlapOf(l, { start, end }) > 0.5 * (end - start)),
    );
    if (meets) db += rule.together;
  }
  return db;
}

/** All stretches of a take that its noises, and cleaning, turn up or down. */
export function noiseGains(
  track: Track,
  take: Take,
  view: TakeView | undefined,
  place: Place,
  lead: TrackView | null,
): GainSpan[] {
  const reading = view?.reading;
  if (!reading || !(track.noises.length || take.noises.length || track.clean?.gapsDb)) return [];
  const all = noisesOf(reading);
  const out: GainSpan[] = [];
  for (const n of all) {
    const db = noiseDb(n, all, take, track, place, lead?.reading?.noises ?? null);
    if (db) out.push({ start: n.start, end: n.end, db, over: n.kind === 'breath' ? OVER_BREATH : OVER });
  }
  if (track.clean?.gapsDb) out.push(...gapsOf(reading).map(g => ({ ...g, db: track.clean!.gapsDb, over: CLEAN_OVER })));
  return out;
}

/** Where nobody sings, speaks or breathes. */
export function gapsOf({ notes, noises, spoken, duration }: Reading): Span<TakeSeconds>[] {
  const sounding = [
    ...notes.map(n => ({ start: n.start - TAIL.before, end: n.end + TAIL.after })),
    ...noises.map(n => ({ start: n.start - TAIL.before / 2, end: n.end + TAIL.after / 2 })),
    ...spoken.map(n => ({ start: n.start - TAIL.before, end: n.end + TAIL.after })),
  ].sort((a, b) => a.start - b.start);
  const out: Span[] = [];
  let at = 0;
  for (const s of sounding) {
    if (s.start - at > SHORTEST_GAP + 2 * CLEAN_OVER)
      out.push({ start: at + (at ? CLEAN_OVER : 0), end: s.start - CLEAN_OVER });
    at = Math.max(at, s.end);
  }
  if (duration - at > SHORTEST_GAP + CLEAN_OVER) out.push({ start: at + CLEAN_OVER, end: duration });
  return out;
}
