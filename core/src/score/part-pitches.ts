import { chordTones, nearestStep, pitchClass, stepsOf } from '../music';
import {
  AS_LEAD,
  leadVoices,
  partTarget,
  type Compass,
  type LedNote,
  type PartManner,
  type PartPitch,
  type Voicing,
} from '../parts';
import type { NoteFacts } from '../plan';
import type { Reading } from '../read';
import { meanLevel } from '../measure';
import { median } from '../signal/statistics';
import type { Edits, NoteEdit, PartRule, Song, Take, Track } from '../song';
import { clamp, overlapOf, type HeardSeconds, type Midi, type TakeSeconds } from '../units';
import { foldedTo, guideNotes } from './guide';
import { heardMap } from './place';
import type { Score } from './score';
import { referenceCents } from './tuning';

/** What a part sings: by steps or semitones from its lead, by the song's chords, or by a guide. */

export type Around = Pick<Score, 'song' | 'scaleAt' | 'chordAt' | 'strongAt' | 'keyAt'>;
type PitchOf = (note: NoteFacts, edit: NoteEdit) => PartPitch;

/** Pitches of a part, and all that they are made of beside the notes and edits of its lead. */
export interface PartPitches {
  of: readonly unknown[];
  along(notes: readonly NoteFacts[], leads: Edits): PitchOf;
}

/** Parts that are led together by chords, the highest first. */
export function choirOf({ tracks }: Pick<Song, 'tracks'>, { part }: Pick<Track, 'part'>): Track[] {
  const middle = ({ part: p }: Track) => (p!.low ?? 0) + (p!.high ?? 0);
  return tracks
    .filter(t => t.part?.by === 'chords' && t.part.fromId === part?.fromId && t.part.choir === part.choir)
    .sort((a, b) => middle(b) - middle(a));
}

export function pitchesOfPart(score: Around, track: Track, take: Take, notes: readonly NoteFacts[]): PartPitches {
  const { song, scaleAt } = score;
  const part = track.part!;
  const bent = heardMap(song, track);
  const heard = (t: TakeSeconds): HeardSeconds => {
    const sung = t + take.offsetSeconds;
    return bent ? bent.forward(sung) : sung;
  };
  const toTake = (t: HeardSeconds): TakeSeconds => (bent ? bent.backward(t) : t) - take.offsetSeconds;
  const of: unknown[] = [notes, part, scaleAt, take.offsetSeconds, bent];
  if (part.by === 'guide')
    return {
      of: [...of, track.guide, song.referenceHz],
      along: () => byGuide(track, heard, toTake, referenceCents(song) / 100),
    };
  if (part.by === 'chords') {
    const choir = choirOf(song, track);
    return {
      of: [...of, song.chords, song.tempo, song.referenceHz, score.keyAt(0), ...choir.map(t => t.part)],
      along: (all, leads) => byChords(score, choir, track, all, leads, heard),
    };
  }
  const line = { by: part.by, amount: part.amount };
  return {
    of,
    along: () => (n, edit) => ({
      midi: partTarget({ sung: n.sung, target: edit.target }, line, scaleAt(n.start + take.offsetSeconds)),
    }),
  };
}

/** Notes of a part's lead as voices are led about them. */
export function ledNotes(
  score: Around,
  notes: readonly NoteFacts[],
  leads: Edits,
  heard: (t: TakeSeconds) => HeardSeconds,
): LedNote[] {
  const reference = referenceCents(score.song);
  return notes.map((n): LedNote => {
    const at = heard(n.onset);
    const key = score.keyAt(at);
    const edit = leads[n.key] as NoteEdit | undefined;
    const rail = edit?.target === undefined ? nearestStep(score.scaleAt(at), n.sung * 100) / 100 : edit.target;
    return {
      start: n.start,
      end: n.end,
      midi: rail - reference / 100,
      chord: chordTones(score.chordAt(at)),
      scale: key ? stepsOf(key) : [],
      leading: key ? pitchClass(key.tonic - 1) : null,
      strong: score.strongAt(at) || n.end - n.start > (score.song.tempo ? LONG : LONG / 2),
    };
  });
}
/** A note held so long is heard against its chord wherever it begins, s; half of it where no beats are known. */
const LONG = 0.6;

/** What all voices of a choir sing with the notes of a take. */
export const choirSings = (notes: readonly LedNote[], choir: readonly Track[], way = choir[0].part!.way): Voicing[] =>
  leadVoices(notes, compassesOf(choir), way);

export const compassesOf = (choir: readonly Track[]): Compass[] =>
  choir.map(({ part }) => ({ low: part!.low!, high: part!.high! }));

function byChords(
  score: Around,
  choir: readonly Track[],
  track: Track,
  notes: readonly NoteFacts[],
  leads: Edits,
  heard: (t: TakeSeconds) => HeardSeconds,
): PitchOf {
  const led = choirSings(ledNotes(score, notes, leads, heard), choir);
  const own = led[choir.findIndex(t => t.id === track.id)];
  const reference = referenceCents(score.song) / 100;
  const byKey = new Map<string, Midi | null>(notes.map((n, i) => [n.key, own[i] === null ? null : own[i] + reference]));
  return n => ({ midi: byKey.get(n.key) ?? null });
}

/** A note of a guide that lasts so long within a sung one is sung in it, s. */
const SUNG_IN = 0.09;
/** Over which it goes from one to the next, s. */
const GLIDE = 0.06;

/** The guide's notes on the lead's words; where the guide has none, it rests. */
function byGuide(
  { guide }: Track,
  heard: (t: TakeSeconds) => HeardSeconds,
  toTake: (t: HeardSeconds) => TakeSeconds,
  reference: number,
): PitchOf {
  if (!guide) return () => ({ midi: null });
  const all = guideNotes(guide);
  return n => {
    const span = { start: heard(n.start), end: heard(n.end) };
    const least = Math.min(SUNG_IN, 0.3 * (span.end - span.start));
    const inside = all.filter(g => overlapOf(g, span) >= least);
    if (!inside.length) return { midi: null };
    const pitch = (midi: Midi) => (guide.fold ? foldedTo(midi, n.sung) : midi) + reference;
    const main = inside.reduce((a, b) => (overlapOf(b, span) > overlapOf(a, span) ? b : a));
    const distinct = inside.filter((g, i) => !i || pitch(g.midi) !== pitch(inside[i - 1].midi));
    if (distinct.length < 2) return { midi: pitch(main.midi) };
    // several on one syllable: one after another, with a short way between
    const stroke: number[] = [];
    distinct.forEach((g, i) => {
      const last = i + 1 === distinct.length;
      const from = i ? Math.max(toTake(g.start) + GLIDE / 2, stroke[stroke.length - 2] + 0.001) : n.start;
      const to = last ? n.end : Math.max(from + 0.001, toTake(distinct[i + 1].start) - GLIDE / 2);
      stroke.push(from, pitch(g.midi), to, pitch(g.midi));
    });
    return { midi: pitch(main.midi), drawn: [stroke] };
  };
}

/** A part that blends entirely is so much darker at 8 kHz, and its notes come so near each other's loudness. */
const DARKER = -5;
const EVENER = 0.7;
const MOST_EVENED = 8;

/** How a part sings beside its lead. */
export function mannerOf(part: PartRule, notes: readonly NoteFacts[], reading: Reading): PartManner {
  const { wander, vibrato, blend } = part;
  if (!blend) return { ...AS_LEAD, wander, vibrato };
  const share = blend / 100;
  const levels = notes.map(n => meanLevel(reading.levelDb, n.onset / reading.hop, n.end / reading.hop));
  const middle = levels.length ? median(levels) : 0;
  const byKey = new Map(
    notes.map((n, i) => [n.key, clamp(EVENER * share * (middle - levels[i]), -MOST_EVENED, MOST_EVENED)]),
  );
  return { wander, vibrato, brightness: DARKER * share, evenDb: n => byKey.get(n.key) ?? 0 };
}
