import { chordTones, degreeIn, inSemitones, nearestStep, pitchClass, stepFrom } from '../music';
import { isVocal, type Take, type Track } from '../song';
import { lastAtMost, overlapOf, type Cents, type HeardSeconds, type Midi, type Seconds, type Span } from '../units';
import { pitchNow } from './pitch-now';
import type { Score } from './score';
import { stepsMeant, type StepsMeant, type Surrounding } from './steps';
import type { TrackNote, TrackView } from './track-view';

/** What may be wrong with a note as it is heard now, and where it could go instead. */

export const HINT_KINDS = ['semitone', 'octave', 'outside', 'halfway', 'clash-chord', 'clash-track'] as const;
export type HintKind = (typeof HINT_KINDS)[number];

export interface Hint extends Span<HeardSeconds> {
  kind: HintKind;
  trackId: string;
  /** The note's key in its track's view. */
  noteKey: string;
  takeId: string;
  /** Where it lies now. */
  now: Midi;
  /** Where it could go, the likeliest first. */
  alternatives: Midi[];
  /** Another track it clashes with, or the chord, in words. */
  against?: string;
  /** Found right by the user. */
  looked: boolean;
}

/** From so likely on the other step is told. */
const OTHER_STEP = 0.4;
/** Further than this from a step, a note is between two. */
const HALFWAY: Cents = 35;
/** A note so far from those about it, and so near an octave higher or lower, was read an octave off or slipped. */
const OCTAVE = { away: 9, near: 4.5, reach: 3 };
/** Shorter than this nothing is heard to clash. */
const LEAST_TOGETHER: Seconds = 0.12;
/** What passes by on a weak beat rubs against nothing. */
const LEAST_IN_CHORD: { strong: Seconds; weak: Seconds } = { strong: 0.3, weak: 0.6 };
/** A semitone apart, and a unison or octave that is none. */
const SEMITONE = { low: 70, high: 130 };
const BEATING = { low: 25, high: 50 };

/** Names a hint among those of a take, for the list of what was found right. @param start take time */
export const hintName = (kind: HintKind, start: Seconds): string => `hint ${kind} ${Math.round(start * 1000)}`;

const median = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1];
interface Sung {
  note: TrackNote;
  now: Midi;
}
type Found = Pick<Hint, 'kind' | 'alternatives' | 'against'>;

const distinct = (list: Midi[]): Midi[] => [...new Set(list.map(m => Math.round(m * 1e4) / 1e4))];

/** The allowed steps about a pitch, the nearer first. */
function stepsAbout(score: Score, t: HeardSeconds, pitch: Midi): Midi[] {
  const scale = score.scaleAt(t);
  const near = nearestStep(scale, pitch * 100);
  const next = stepFrom(scale, near, pitch * 100 > near ? 1 : -1);
  return distinct([near / 100, next / 100]).sort((a, b) => Math.abs(a - pitch) - Math.abs(b - pitch));
}

/** An octave off what is sung about it. */
function octaveOff(all: readonly Sung[], i: number): Found | null {
  const { note, now } = all[i];
  const about = all
    .slice(Math.max(0, i - OCTAVE.reach), i + OCTAVE.reach + 1)
    .filter(s => s !== all[i] && Math.abs(s.note.start - note.start) < 6)
    .map(s => s.now);
  if (about.length < 2) return null;
  const middle = median(about);
  const by = now > middle ? -12 : 12;
  if (Math.abs(now - middle) < OCTAVE.away || Math.abs(now + by - middle) > OCTAVE.near) return null;
  // a leap that the melody makes and stays on is none
  const beside = [all[i - 1], all[i + 1]].filter(Boolean).map(s => Math.abs(s.now - now));
  return beside.every(d => d > OCTAVE.away - 2) ? { kind: 'octave', alternatives: distinct([now + by]) } : null;
}

/** Against the chord sounding: a semitone beside one of its tones and none itself. */
function againstChord({ note, now }: Sung, chordAt: Score['chordAt'], strong: boolean): Found | null {
  if (note.end - note.start < LEAST_IN_CHORD[strong ? 'strong' : 'weak']) return null;
  const name = chordAt(note.start);
  const tones = chordTones(name);
  if (!tones.length) return null;
  const own = pitchClass(Math.round(now));
  // a seventh written or sung belongs to its chord
  if (tones.includes(own) || !tones.some(t => [1, 11].includes(pitchClass(own - t)))) return null;
  const near = [-2, -1, 1, 2].map(d => Math.round(now) + d).filter(m => tones.includes(pitchClass(m)));
  return {
    kind: 'clash-chord',
    alternatives: near.sort((a, b) => Math.abs(a - now) - Math.abs(b - now)).slice(0, 2),
    against: name,
  };
}

/** Another track that may sound with a note. */
interface Beside {
  name: string;
  sung: Sung[];
  /** Whether the note's track goes by the other one: of two voices that beat, the lead is not the one to move. */
  follows: boolean;
}

/** Another voice that sounds with it, a semitone away or beating. */
function againstTracks(score: Score, { note, now }: Sung, others: readonly Beside[]): Found | null {
  for (const { name, sung, follows } of others) {
    let best: Sung | null = null;
    let longest = LEAST_TOGETHER;
    // notes of one voice do not overlap: from the one that began before on
    for (
      let i = Math.max(
        0,
        lastAtMost(sung, note.start, s => s.note.start),
      );
      sung[i]?.note.start < note.end;
      i++
    ) {
      const together = overlapOf(sung[i].note, note);
      if (together > longest) [longest, best] = [together, sung[i]];
    }
    if (!best) continue;
    const apart = 100 * (now - best.now);
    const folded = Math.abs(apart - 1200 * Math.round(apart / 1200));
    const semitone = folded > SEMITONE.low && folded < SEMITONE.high;
    const beating = folded >= BEATING.low && folded <= BEATING.high;
    if (!semitone && !(beating && follows)) continue;
    const unison = now - (apart - 1200 * Math.round(apart / 1200)) / 100;
    const steps = semitone
      ? [-2, -1, 1, 2]
          .map(by => stepFrom(score.scaleAt(note.start), now * 100, by) / 100)
          .filter(m => {
            const d = Math.abs(100 * (m - best.now));
            const f = Math.abs(d - 1200 * Math.round(d / 1200));
            return !(f > SEMITONE.low && f < SEMITONE.high) && Math.abs(m - now) > 0.5;
          })
      : [unison];
    return { kind: 'clash-track', alternatives: distinct(steps).slice(0, 2), against: name };
  }
  return null;
}

const sungKnown = new WeakMap<TrackView, Sung[]>();
function sungOf(view: TrackView): Sung[] {
  let sung = sungKnown.get(view);
  if (!sung) sungKnown.set(view, (sung = view.notes.map(note => ({ note, now: pitchNow(view, note) ?? note.sung }))));
  return sung;
}

const meantKnown = new WeakMap<TrackView['notes'], { of: unknown[]; meant: StepsMeant[] }>();
/** What the notes of a track were probably meant for, which no edit changes: found once for what was read, key and chords. */
function meantBy(
  score: Score,
  notes: TrackView['notes'],
  chordAt: Score['chordAt'],
  strongAt: Surrounding['strongAt'],
): StepsMeant[] {
  const of = [score.scaleAt, score.song.chords, score.song.tempo];
  const old = meantKnown.get(notes);
  if (old?.of.every((v, i) => v === of[i])) return old.meant;
  const meant = stepsMeant(notes, { scaleAt: score.scaleAt, chordAt, strongAt });
  meantKnown.set(notes, { of, meant });
  return meant;
}

const known = new WeakMap<TrackView, { of: unknown[]; hints: Hint[] }>();

/**
 * What may be wrong with the notes of a track as they are heard now, in time order; of one note several. Notes pinned by hand have none.
 * Cost: once for each state of what is heard.
 */
export function hintsOf(score: Score, track: Track): Hint[] {
  const view = score.view(track.id);
  const others = score.song.tracks.filter(t => t.id !== track.id && isVocal(t) && !t.mute && score.view(t.id).reading);
  const { song } = score;
  const of = [score.scaleAt, song.chords, song.tempo, track, ...others.map(t => score.view(t.id))];
  const old = known.get(view);
  if (old && old.of.length === of.length && old.of.every((v, i) => v === of[i])) return old.hints;
  const hints = found(score, track, view, others);
  known.set(view, { of, hints });
  return hints;
}

function found(score: Score, track: Track, view: TrackView, others: readonly Track[]): Hint[] {
  const all = sungOf(view);
  const keyed = score.key.key !== null;
  const { chordAt, strongAt } = score;
  const meant = meantBy(score, view.notes, chordAt, strongAt);
  const beside = others.map((t): Beside => {
    const led = t.followsId === track.id || (track.role === 'lead' && t.role !== 'lead');
    return { name: t.name, sung: sungOf(score.view(t.id)), follows: !led };
  });
  const looked = new Map(track.takes.map((t): [string, Set<string>] => [t.id, new Set(t.corrections?.looked)]));
  const takes = new Map(track.takes.map((t): [string, Take] => [t.id, t]));
  return all.flatMap((s, i): Hint[] => {
    const { note, now } = s;
    const edit = view.edits[note.key] as TrackView['edits'][string] | undefined;
    if (edit?.pinned || !takes.has(note.takeId)) return [];
    const list: (Found | null)[] = [];
    const [nearest, other] = meant[i].steps;
    // where it would go if it were settled, or was: not the likelier one
    const goes = Math.abs(now - nearest) <= Math.abs(now - other) ? nearest : other;
    const share = goes === nearest ? meant[i].other : 1 - meant[i].other;
    const better = goes === nearest ? other : nearest;
    if (share > OTHER_STEP && Math.abs(now - better) < 1.5) list.push({ kind: 'semitone', alternatives: [better] });
    list.push(octaveOff(all, i));
    list.push(outsideOrHalfway(score, note, now, keyed));
    list.push(againstChord(s, chordAt, strongAt(note.start)));
    list.push(againstTracks(score, s, beside));
    const start = note.place.toTake(note.start);
    return list.flatMap((f): Hint[] => {
      if (!f?.alternatives.length) return [];
      return [
        {
          ...f,
          start: note.start,
          end: note.end,
          trackId: track.id,
          noteKey: note.key,
          takeId: note.takeId,
          now,
          looked: !!looked.get(note.takeId)?.has(hintName(f.kind, start)),
        },
      ];
    });
  });
}

/** Outside the key, or between two of its steps. @param keyed whether the song has a key */
function outsideOrHalfway(score: Score, note: TrackNote, now: Midi, keyed: boolean): Found | null {
  const scale = score.scaleAt(note.start);
  const found = (kind: HintKind): Found => ({ kind, alternatives: stepsAbout(score, note.start, now) });
  if (keyed && inSemitones(scale) && !degreeIn(scale, Math.round(now))) return found('outside');
  const off = Math.abs(now - nearestStep(scale, now * 100) / 100) * 100;
  return off > HALFWAY ? found('halfway') : null;
}
