import { BarGrid, nearestStep, ruledScale, scaleOfKey, semitones, type Key, type Scale } from '../music';
import type { KeyEstimate } from '../read';
import { estimateKey, type BackingEstimate } from '../setup';
import type { ReadNote } from '../read';
import type { Song } from '../song';
import type { Cents, HeardSeconds, Midi } from '../units';

/** Which key and which steps hold at a moment of a song. */

/** A key is taken to hold a little before its bar: singers begin early. */
const EARLY: HeardSeconds = 0.05;

/** How far a song's reference pitch lies from 440 Hz. */
export const referenceCents = (song: Pick<Song, 'referenceHz'>): Cents => 1200 * Math.log2(song.referenceHz / 440);

export interface KeyInForce {
  key: Key | null;
  /** Said by hand, not estimated. */
  chosen: boolean;
  confidence: number;
}

/** Keys ranked from a voice's notes and the backing together. */
export const rankedKeysOf = (notes: ReadNote[] | null, backing: BackingEstimate | null): KeyEstimate[] =>
  notes?.length || backing ? estimateKey(notes ?? [], backing) : [];

/** A song's first key: chosen, or the likeliest. */
export function keyOf(song: Pick<Song, 'key'>, ranked: readonly KeyEstimate[]): KeyInForce {
  if (song.key) return { key: song.key, chosen: true, confidence: 1 };
  const best = ranked[0] as KeyEstimate | undefined;
  return best
    ? { key: { tonic: best.tonic, mode: best.mode }, chosen: false, confidence: best.confidence }
    : { key: null, chosen: false, confidence: 0 };
}

/** Keys with where they begin. @param first the song's first key */
export function keySpans(
  { tempo, keyChanges }: Pick<Song, 'tempo' | 'keyChanges'>,
  first: Key | null,
): { from: HeardSeconds; key: Key | null }[] {
  const spans: { from: HeardSeconds; key: Key | null }[] = [{ from: -Infinity, key: first }];
  if (!tempo) return spans;
  const grid = new BarGrid(tempo);
  for (const { bar, tonic, mode } of [...keyChanges].sort((a, b) => a.bar - b.bar))
    spans.push({ from: grid.secondsOfBar(bar), key: { tonic, mode } });
  return spans;
}

/** The steps of a song while a key holds. */
export function scaleIn(song: Pick<Song, 'tuning' | 'referenceHz'>, key: Key | null): Scale {
  const cents = referenceCents(song);
  const { tuning } = song;
  if (!tuning) return key ? scaleOfKey(key, cents) : semitones(cents);
  // a keyboard map says where its step 0 sounds, whatever the reference
  const root = tuning.root ?? (key?.tonic ?? 0) * 100 + cents;
  return ruledScale(tuning.name, tuning.steps, tuning.period, root, tuning.rules);
}

const scales = new WeakMap<Song['keyChanges'], { of: unknown[]; scaleAt: (seconds: HeardSeconds) => Scale }>();

/** The steps allowed at each moment: the key's, from where it begins; every semitone where there is none. The same function while nothing changed. */
export function scaleAtOf(song: Song, first: Key | null): (seconds: HeardSeconds) => Scale {
  const of = [first?.tonic, first?.mode, song.tempo, song.referenceHz, song.tuning];
  const known = scales.get(song.keyChanges);
  if (known?.of.every((v, i) => v === of[i])) return known.scaleAt;
  const spans = keySpans(song, first).map(({ from, key }) => ({
    from: from - EARLY,
    scale: scaleIn(song, key),
  }));
  const scaleAt = (t: HeardSeconds) => (spans.findLast(q => q.from <= t) ?? spans[0]).scale;
  spansOf.set(scaleAt, spans);
  scales.set(song.keyChanges, { of, scaleAt });
  return scaleAt;
}

/** Steps from some moment on. */
export interface ScaleSpan {
  from: HeardSeconds;
  scale: Scale;
}
const spansOf = new WeakMap<(seconds: HeardSeconds) => Scale, ScaleSpan[]>();
/** What scaleAtOf says as a list, for where no function can be sent. */
export const scaleSpans = (scaleAt: (seconds: HeardSeconds) => Scale): readonly ScaleSpan[] =>
  spansOf.get(scaleAt) ?? [{ from: -Infinity, scale: scaleAt(0) }];

/** The key in force at a moment. */
export function keyAt(song: Song, first: Key | null, seconds: HeardSeconds): Key | null {
  const spans = keySpans(song, first);
  return (spans.findLast(q => q.from - EARLY <= seconds) ?? spans[0]).key;
}

/**
 * The pitch a note that was put somewhere is meant for: the nearest allowed step, or the semitone it is nearer to, for a note may be
 * meant to lie outside its key. What is in tune is told against this, never against where the note happens to be put.
 */
export function stepMeant(scale: Scale, pitch: Midi): Midi {
  const step = nearestStep(scale, pitch * 100) / 100;
  // where steps are no semitones, what lies between them is meant for one of them
  if (!scale.steps.every(s => Math.abs(s - Math.round(s / 100) * 100) < 30)) return step;
  const semitone = nearestStep(semitones(scale.root), pitch * 100) / 100;
  return Math.abs(pitch - step) <= Math.abs(pitch - semitone) ? step : semitone;
}
