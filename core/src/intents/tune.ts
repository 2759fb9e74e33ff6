import { chordTones, leftAsSung, nearestStep, noteName, semitones, stepFrom, type Scale } from '../music';
import { claimed, guideOf, referenceCents } from '../score';
import { movedStrokes, withPart, type NoteEdit, type PartValues } from '../song';
import { counted, type Cents, type Midi } from '../units';
import type { Values } from './arguments';
import { aimed, inBounds, movableNotes, railOf, setting } from './edit-notes';
import { notesOf, Refused, touchedNotes, type Acted, type Intent, type Stage, type TargetNote } from './intent';

/** Where notes are put and how much life they keep. */

/** The six faders: what they are called, where they lie on a note's life, and their bounds. */
export const FADERS = {
  glide: { name: 'Glide', group: 'Way in', low: 0, high: 400, rest: null, unit: 'ms', step: 5 },
  scoop: { name: 'Scoop', group: 'Way in', low: 0, high: 100, rest: 100, unit: '%', step: 1 },
  aim: { name: 'Aim', group: 'Body', low: 0, high: 100, rest: 100, unit: '%', step: 1 },
  wander: { name: 'Wander', group: 'Body', low: 0, high: 100, rest: 100, unit: '%', step: 1 },
  vibrato: { name: 'Vibrato', group: 'Body', low: 0, high: 200, rest: 100, unit: '%', step: 1 },
  fall: { name: 'Fall', group: 'Way out', low: 0, high: 100, rest: 100, unit: '%', step: 1 },
} as const;
export type Fader = keyof typeof FADERS;
const FADER_NAMES = Object.keys(FADERS) as Fader[];
/** A fader's name among the arguments of shape: a time carries its unit. */
export const faderArgument = (fader: Fader): string => (fader === 'glide' ? 'glideMs' : fader);
/** The longest glide that can be asked for, ms; faders show the useful part of it. */
export const LONGEST_GLIDE = 1000;

const movable = (stage: Stage) => movableNotes(stage, notesOf(stage));
/** A note put somewhere by hand; what was drawn over it goes along. */
const putOn = (edit: NoteEdit, t: TargetNote, target: Midi): NoteEdit => {
  const to = inBounds(target);
  const drawn = edit.drawn && { drawn: movedStrokes(edit.drawn, to - railOf(edit, t)) };
  const { silent, ...heard } = edit;
  return { ...(silent && !restsAsMade(t) ? edit : heard), ...drawn, target: to, pinned: true };
};

/** Whether a part's note rests because its rule has nothing for it: put somewhere it is sung. What was muted by hand stays so. */
function restsAsMade({ track, note }: TargetNote): boolean {
  if (!track.part) return false;
  const [start, end] = [note.start, note.end].map(t => note.place.toTake(t));
  const own = Object.values(track.takes.find(k => k.id === note.takeId)?.edits ?? {});
  return !own.some(e => e.silent && e.start < end && e.end > start);
}

/** A chord is taken to hold a little before it: singers begin early, s. */
const EARLY = 0.05;

/** The steps a way of snapping allows at a moment; null: everything. */
export type Snap = 'key' | 'chord' | 'semitone' | 'free';
const SNAPS = { key: 'key', chord: 'chord', semitones: 'semitone' } as const;
function snapping(stage: Stage, snap: Snap): (seconds: number) => Scale | null {
  if (snap === 'free') return () => null;
  if (snap === 'key') return stage.score.scaleAt;
  if (snap === 'chord') return chordScales(stage);
  const every = semitones(referenceCents(stage.score.song));
  return () => every;
}

/** The tones of the chord in force; the key's steps where there is none. */
function chordScales({ score }: Stage): (seconds: number) => Scale {
  const chords = [...score.song.chords].sort((a, b) => a.start - b.start);
  if (!chords.length) throw new Refused('this song has no chords yet');
  const root = referenceCents(score.song);
  return t => {
    const tones = chordTones(chords.findLast(c => c.start <= t + EARLY)?.name ?? '');
    if (!tones.length) return score.scaleAt(t);
    return { name: 'chord', steps: tones.sort((a, b) => a - b).map(s => s * 100), period: 1200, root };
  };
}

const settle: Intent = {
  name: 'settle',
  title: 'Settle',
  about: 'Puts notes on the nearest allowed pitch; pinned ones stay.',
  on: 'notes',
  args: [
    { name: 'to', about: 'what is allowed', kind: 'choice', of: ['key', 'chord', 'semitones', 'guide'] },
    {
      name: 'pitches',
      about: 'instead, these in any octave, as keys that are held',
      kind: 'numbers',
      most: 128,
      low: 0,
      high: 128,
      unit: 'MIDI',
    },
  ],
  act(stage, { to = 'key', pitches }) {
    if (pitches) return settleTo(stage, onPitches(pitches as readonly Midi[], referenceCents(stage.score.song)));
    if (to === 'guide') return settleToGuide(stage);
    return settleTo(stage, snapping(stage, SNAPS[to as keyof typeof SNAPS]));
  },
};

/** The same pitches in every octave, whenever. */
function onPitches(pitches: readonly Midi[], reference: Cents): () => Scale {
  if (!pitches.length) throw new Refused('no pitch is held');
  const steps = [...new Set(pitches.map(m => (m * 100) % 1200))].sort((a, b) => a - b);
  const [root] = steps;
  const scale: Scale = { name: 'held', steps: steps.map(s => s - root), period: 1200, root: root + reference };
  return () => scale;
}

/** Puts notes on the nearest step that is allowed when they begin; pinned ones stay. */
function settleTo(stage: Stage, scaleAt: (seconds: number) => Scale | null): Acted {
  const all = movableNotes({ ...stage, target: { ...stage.target, broad: true } }, notesOf(stage));
  const list = all.filter(t => !leftAsSung(scaleAt(t.note.start)!, t.note.sung * 100));
  if (!list.length) throw new Refused('the steps of all of these notes are left as sung');
  return setting(stage, `Settle ${counted(list.length, 'note')}`, list, (e, t) => ({
    ...e,
    target: inBounds(nearestStep(scaleAt(t.note.start)!, railOf(e, t) * 100) / 100),
  }));
}

/** Puts notes on the guide's note they are meant to be; those that have none stay. */
function settleToGuide(stage: Stage): Acted {
  const { score, target } = stage;
  const guides = new Map(target.tracks.map(({ track }) => [track, guideOf(score.song, track)]));
  if (![...guides.values()].some(g => g)) throw new Refused('there is no melody guide here yet');
  const all = movableNotes({ ...stage, target: { ...target, broad: true } }, notesOf(stage));
  const meant = new Map(
    all.flatMap((t): [TargetNote, Midi][] => {
      const guide = guides.get(t.track);
      const note = guide && claimed(guide, t.note);
      return note ? [[t, note.midi]] : [];
    }),
  );
  if (!meant.size) throw new Refused('the guide has no note for any of these');
  // a guide is written in semitones of 440 Hz
  const by = referenceCents(score.song) / 100;
  return setting(stage, `Settle ${counted(meant.size, 'note')} on the guide`, [...meant.keys()], (e, t) => ({
    ...e,
    target: inBounds(meant.get(t)! + by),
  }));
}

const place: Intent = {
  name: 'place',
  title: 'Place',
  about: 'Puts every note on one pitch, and pins it there.',
  on: 'notes',
  args: [{ name: 'pitch', about: 'where to', kind: 'number', low: 0, high: 128, unit: 'MIDI', required: true }],
  act(stage, args) {
    const pitch = args.pitch as Midi;
    const list = movable(stage);
    const label = `${counted(list.length, 'note')} to ${noteName(pitch, stage.score.key.key)}`;
    return setting(stage, label, list, (e, t) => putOn(e, t, pitch));
  },
};

const move: Intent = {
  name: 'move',
  title: 'Move',
  about: 'Moves notes by an interval from where they are meant to be, and pins them.',
  on: 'notes',
  args: [
    { name: 'semitones', about: 'how far', kind: 'number', low: -48, high: 48, unit: 'semitones', required: true },
    { name: 'snap', about: 'what they snap to on the way', kind: 'choice', of: ['key', 'chord', 'semitone', 'free'] },
  ],
  act(stage, { semitones: by, snap = 'free' }) {
    const list = movable(stage);
    const scaleAt = snapping(stage, snap as Snap);
    const moved = (e: NoteEdit, t: TargetNote): Midi => {
      const at = railOf(e, t) + (by as number);
      const scale = scaleAt(t.note.start);
      return scale ? nearestStep(scale, at * 100) / 100 : at;
    };
    const way = (by as number) > 0 ? 'up' : 'down';
    return setting(stage, `Move ${counted(list.length, 'note')} ${way}`, list, (e, t) => putOn(e, t, moved(e, t)));
  },
};

const step: Intent = {
  name: 'step',
  title: 'Step',
  about: 'Moves notes by steps of the tuning, and pins them.',
  on: 'notes',
  args: [
    {
      name: 'steps',
      about: 'how many',
      kind: 'number',
      low: -48,
      high: 48,
      unit: 'steps',
      whole: true,
      required: true,
    },
  ],
  act(stage, args) {
    const by = args.steps as number;
    const list = movable(stage);
    return setting(stage, `Move ${counted(list.length, 'note')} ${by > 0 ? 'up' : 'down'}`, list, (e, t) =>
      putOn(e, t, stepFrom(stage.score.scaleAt(t.note.start), railOf(e, t) * 100, by) / 100),
    );
  },
};

const shape: Intent = {
  name: 'shape',
  title: 'Shape',
  about: 'Sets how far notes go to their rails and how much of their life they keep; null is as sung.',
  on: 'notes',
  args: [
    ...FADER_NAMES.map(f => ({
      name: faderArgument(f),
      about: `${FADERS[f].name}, ${FADERS[f].group.toLowerCase()}`,
      kind: 'number' as const,
      low: FADERS[f].low,
      high: f === 'glide' ? LONGEST_GLIDE : FADERS[f].high,
      unit: FADERS[f].unit,
      nullable: true,
    })),
    {
      name: 'glidePlaceMs',
      about: 'how much later than sung the way in lies',
      kind: 'number',
      low: -500,
      high: 500,
      unit: 'ms',
      nullable: true,
    },
    {
      name: 'settleMs',
      about: 'drawn to its pitch as a whole take is, with this time; null: by the faders',
      kind: 'number',
      low: 0,
      high: 600,
      unit: 'ms',
      nullable: true,
    },
  ],
  act(stage, args) {
    const given = FADER_NAMES.filter(f => args[faderArgument(f)] !== undefined);
    const { settleMs, glidePlaceMs: place } = args as Record<string, number | null | undefined>;
    if (!given.length && settleMs === undefined && place === undefined)
      throw new Refused('nothing was said about their shape');
    // a span that cuts through a note means that part of it
    const all = touchedNotes(stage);
    if (!all.length) throw new Refused('there are no notes to act on');
    // only Aim moves a note; what life a pinned one keeps may be said broadly
    const free = given.includes('aim') && given.length === 1 ? movableNotes(stage, all) : all;
    return setting(stage, shapeLabel(given, args), free, (e, t) => {
      const meant = given.filter(f => f !== 'aim' || !e.pinned || !stage.target.broad);
      if (!t.part.whole) return shapePart(stage, e, t, meant, args);
      const out = settleMs === undefined ? { ...e } : withSettle(stage, e, t, settleMs);
      if (place !== undefined) {
        delete out.glidePlace;
        if (place) out.glidePlace = place;
      }
      for (const f of meant) shapeNote(stage, out, t, f, args[faderArgument(f)] as number | null);
      return out;
    });
  },
};

/** Shapes a part of a note; a glide, which is the note's, where the part has its start. */
function shapePart(stage: Stage, edit: NoteEdit, t: TargetNote, given: readonly Fader[], args: Values): NoteEdit {
  const { note, part } = t;
  const out = { ...edit };
  const values: PartValues = {};
  for (const f of given) {
    const value = args[faderArgument(f)] as number | null;
    if (f !== 'glide') values[f] = value;
    else if (part.start <= note.start) shapeNote(stage, out, t, 'glide', value);
  }
  if (typeof values.aim === 'number' && out.target === undefined)
    // the rest of it stays as it was sung
    Object.assign(out, aimed(stage, out, t, 0));
  const span = { start: note.place.toTake(part.start), end: note.place.toTake(part.end) };
  const parts = withPart(edit.parts ?? [], span, values);
  delete out.parts;
  return parts.length ? { ...out, parts } : out;
}

/** Drawn to its rail with a settle time, or by the faders again. */
function withSettle(stage: Stage, { settle: _, ...edit }: NoteEdit, t: TargetNote, ms: number | null): NoteEdit {
  if (ms === null) return edit;
  return { ...(edit.target === undefined ? aimed(stage, edit, t, 100) : edit), settle: ms };
}

function shapeLabel(given: readonly Fader[], args: Values): string {
  const parts = given.map(f => {
    const value = args[faderArgument(f)] as number | null;
    return `${FADERS[f].name} ${value === null ? 'as sung' : `${value} ${FADERS[f].unit}`}`;
  });
  const { settleMs, glidePlaceMs } = args;
  if (glidePlaceMs !== undefined) parts.push(`Glide ${(glidePlaceMs as number | null) ?? 0} ms later`);
  if (settleMs !== undefined) parts.push(settleMs === null ? 'By the faders' : `Settles in ${settleMs as number} ms`);
  return parts.join(', ');
}

function shapeNote(stage: Stage, edit: NoteEdit, t: TargetNote, fader: Fader, value: number | null): void {
  // what is said of all of a note is no longer said of its parts
  if (edit.parts && fader !== 'glide') {
    const parts = withPart(edit.parts, { start: 0, end: Infinity }, { [fader]: null });
    delete edit.parts;
    if (parts.length) edit.parts = parts;
  }
  if (fader === 'aim') {
    Object.assign(edit, aimed(stage, edit, t, value ?? 0));
  } else if (value === null) delete edit[fader];
  else edit[fader] = value;
}

const pinning = (pinned: boolean): Intent => ({
  name: pinned ? 'pin' : 'unpin',
  title: pinned ? 'Pin' : 'Unpin',
  about: pinned ? 'Keeps notes where they are, whatever is done broadly.' : 'Lets broad commands move notes again.',
  on: 'notes',
  args: [],
  act(stage) {
    const list = notesOf(stage);
    if (!list.length) throw new Refused('there are no notes to act on');
    return setting(stage, `${pinned ? 'Pin' : 'Unpin'} ${counted(list.length, 'note')}`, list, e => {
      const { pinned: _, ...rest } = e;
      return pinned ? { ...rest, pinned } : rest;
    });
  },
});

export const TUNE_INTENTS: readonly Intent[] = [settle, place, move, step, shape, pinning(true), pinning(false)];
