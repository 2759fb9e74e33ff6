import { nearestStep, semitones } from '../music';
import { addNote, HOP, minus, noCorrections, setKind, type Reading, type ReadingCorrections } from '../read';
import { placedClips, referenceCents } from '../score';
import {
  changeTake,
  correctionsWith,
  strokeAt,
  strokesWith,
  strokesWithout,
  strokeWithin,
  together,
  VibratoRecord,
  type Change,
  type NoteEdit,
} from '../song';
import { clamp, counted, overlapOf, type Span } from '../units';
import type { Argument, Values } from './arguments';
import { aimed, movableNotes, setting } from './edit-notes';
import { notesOf, ownReading, Refused, touchedNotes, type Intent, type Stage, type TargetNote } from './intent';

/** What a note does beyond where it lies and how much of its life it keeps: drawn, tilted, given a vibrato. */

const notes = (stage: Stage): TargetNote[] => {
  const list = notesOf(stage);
  if (!list.length) throw new Refused('there are no notes to act on');
  return list;
};
const requireOne = (args: Values, what: string) => {
  if (Object.values(args).every(v => v === undefined)) throw new Refused(`nothing was said about ${what}`);
};
const signed = (cents: number) => `${cents > 0 ? '+' : cents < 0 ? '−' : ''}${Math.abs(cents)} cents`;

/** An edit with fields set; undefined takes one off, so that nothing is stored of what is as sung. */
function withFields(edit: NoteEdit, fields: Partial<NoteEdit>): NoteEdit {
  const out: NoteEdit = { ...edit, ...fields };
  for (const [name, value] of Object.entries(fields)) if (value === undefined) delete out[name as keyof NoteEdit];
  return out;
}

const cents = (name: string, about: string, required = false): Argument => ({
  name,
  about,
  kind: 'number',
  low: -1200,
  high: 1200,
  unit: 'cents',
  ...(required ? { required } : {}),
});

const tilt: Intent = {
  name: 'tilt',
  title: 'Tilt',
  about: 'Lets notes rise or sink from their start to their end, about their middle; 0 is as sung.',
  on: 'notes',
  args: [cents('cents', 'from its start to its end', true)],
  act(stage, args) {
    const by = args.cents as number;
    return setting(stage, `Tilt ${signed(by)}`, notes(stage), e => withFields(e, { tilt: by || undefined }));
  },
};

const ends: Intent = {
  name: 'ends',
  title: 'First and last pitch',
  about: 'Moves where notes begin and where they end; 0 is as sung.',
  on: 'notes',
  args: [cents('startCents', 'its first moment'), cents('endCents', 'its last moment')],
  act(stage, args) {
    requireOne(args, 'their ends');
    const { startCents, endCents } = args as { startCents?: number; endCents?: number };
    const label = [
      startCents === undefined ? '' : `First pitch ${signed(startCents)}`,
      endCents === undefined ? '' : `Last pitch ${signed(endCents)}`,
    ];
    return setting(stage, label.filter(Boolean).join(', '), notes(stage), e =>
      withFields(e, {
        ...(startCents === undefined ? {} : { startCents: startCents || undefined }),
        ...(endCents === undefined ? {} : { endCents: endCents || undefined }),
      }),
    );
  },
};

const begin: Intent = {
  name: 'begin',
  title: 'Where correction begins',
  about: 'Leaves the beginning of notes as sung for so long after their onset; null corrects all of them.',
  on: 'notes',
  args: [
    {
      name: 'ms',
      about: 'after the onset',
      kind: 'number',
      low: 0,
      high: 10000,
      unit: 'ms',
      nullable: true,
      required: true,
    },
  ],
  act(stage, { ms }) {
    const label = ms === null ? 'Corrected from the start' : `Corrected from ${ms as number} ms on`;
    return setting(stage, label, notes(stage), e => withFields(e, { begin: (ms as number) || undefined }));
  },
};

const at = (name: string, about: string): Argument => ({
  name,
  about,
  kind: 'number',
  low: 0,
  high: 86400,
  unit: 's',
  nullable: true,
  required: true,
});

const centre: Intent = {
  name: 'centre',
  title: 'What counts for the centre',
  about: 'Says which stretch of notes counts for their centre; null for both: what the ear takes for it.',
  on: 'notes',
  args: [at('from', 'where it begins'), at('to', 'where it ends')],
  act(stage, { from, to }) {
    if ((from === null) !== (to === null)) throw new Refused('from and to must both be moments, or both null');
    if (from === null)
      return setting(stage, 'Centre as heard', notes(stage), e => withFields(e, { centre: undefined }));
    const span = { start: from as number, end: to as number };
    if (span.end - span.start < 0.02) throw new Refused('the stretch must be at least 20 ms long');
    const list = touchedNotes(stage).filter(t => overlapOf(span, t.note) > 0.01);
    if (!list.length) throw new Refused('no note lies in this stretch');
    return setting(stage, `Centre of ${counted(list.length, 'note')}`, list, (e, { note }) =>
      withFields(e, {
        centre: {
          start: Math.max(0, note.place.toTake(Math.max(span.start, note.start))),
          end: note.place.toTake(Math.min(span.end, note.end)),
        },
      }),
    );
  },
};

const added = new VibratoRecord();
const addVibrato: Intent = {
  name: 'add-vibrato',
  title: 'Add vibrato',
  about: 'Lets notes swing: after a while, growing, about where they lie; a depth of 0 takes it off again.',
  on: 'notes',
  args: [
    { name: 'delayMs', about: 'after the onset', kind: 'number', low: 0, high: 10000, unit: 'ms' },
    { name: 'buildMs', about: 'in which it grows', kind: 'number', low: 0, high: 10000, unit: 'ms' },
    { name: 'depthCents', about: 'from the middle to the top', kind: 'number', low: 0, high: 200, unit: 'cents' },
    { name: 'rateHz', about: 'swings a second', kind: 'number', low: 2, high: 12, unit: 'Hz' },
    { name: 'unrest', about: 'how irregular it is', kind: 'number', low: 0, high: 100, unit: '%' },
    { name: 'sway', about: 'how much loudness and colour swing along', kind: 'number', low: 0, high: 100, unit: '%' },
  ],
  act(stage, args) {
    const list = notes(stage);
    const given = Object.fromEntries(Object.entries(args).filter(([, v]) => v !== undefined));
    if (args.depthCents === 0)
      return setting(stage, 'No added vibrato', list, e => withFields(e, { added: undefined }));
    return setting(stage, `Vibrato on ${counted(list.length, 'note')}`, list, e =>
      withFields(e, { added: Object.assign(new VibratoRecord(), e.added ?? added, given) }),
    );
  },
};

const setVibrato: Intent = {
  name: 'set-vibrato',
  title: 'Change the sung vibrato',
  about: 'Slows or quickens a vibrato that was sung, and makes its swings alike; null is as sung.',
  on: 'notes',
  args: [
    { name: 'rateHz', about: 'swings a second', kind: 'number', low: 2, high: 12, unit: 'Hz', nullable: true },
    { name: 'even', about: 'how far its swings are made alike', kind: 'number', low: 0, high: 100, unit: '%' },
  ],
  act(stage, args) {
    requireOne(args, 'the vibrato');
    const list = notes(stage).filter(t => t.note.vibrato);
    if (!list.length) throw new Refused('none of these notes was sung with vibrato');
    const { rateHz, even } = args as { rateHz?: number | null; even?: number };
    const said = [
      rateHz === undefined ? '' : rateHz === null ? 'Vibrato as fast as sung' : `Vibrato ${rateHz} Hz`,
      even === undefined ? '' : `Evened ${even} %`,
    ];
    return setting(stage, said.filter(Boolean).join(', '), list, e =>
      withFields(e, {
        ...(rateHz === undefined ? {} : { vibratoHz: rateHz ?? undefined }),
        ...(even === undefined ? {} : { even: even || undefined }),
      }),
    );
  },
};

const length = (name: string, about: string): Argument => ({
  name,
  about,
  kind: 'number',
  low: 0,
  high: 60000,
  unit: 'ms',
  required: true,
});
const share = (name: string, about: string): Argument => ({
  name,
  about,
  kind: 'number',
  low: 0,
  high: 100,
  unit: '%',
  required: true,
});

const aimByLength: Intent = {
  name: 'aim-by-length',
  title: 'Aim by length',
  about: 'Sets Aim by how long notes are, straight between a short and a long one: short ones can be firmer.',
  on: 'notes',
  args: [
    length('shortMs', 'a short note'),
    share('short', 'Aim of notes that are no longer'),
    length('longMs', 'a long note'),
    share('long', 'Aim of notes that are no shorter'),
  ],
  act(stage, args) {
    const { shortMs, short, longMs, long } = args as Record<'shortMs' | 'short' | 'longMs' | 'long', number>;
    if (!(longMs > shortMs)) throw new Refused('the long note must be longer than the short one');
    const list = movableNotes(stage, notesOf(stage));
    const aimOf = ({ note }: TargetNote) => {
      const t = clamp(((note.end - note.start) * 1000 - shortMs) / (longMs - shortMs), 0, 1);
      return Math.round(short + (long - short) * t);
    };
    return setting(stage, `Aim by length: ${short} to ${long} %`, list, (e, t) => aimed(stage, e, t, aimOf(t)));
  },
};

/** Points nearer than this are one, s. */
const NEAREST_POINTS = 1e-3;

type Point = readonly [number, number];

/** A line's points on the steps nearest to them, where that is asked. */
function snapped({ score }: Stage, points: readonly Point[], snap = 'free'): readonly Point[] {
  if (snap === 'free') return points;
  const every = semitones(referenceCents(score.song));
  return points.map(([t, p]) => [t, nearestStep(snap === 'key' ? score.scaleAt(t) : every, p * 100) / 100] as const);
}

/** A line over less than this where no note is draws none, s. */
const LEAST_NEW = 0.05;

/** So much of it must be voiced, and between two notes it must last so long, for a line over both to be meant there too. */
const LEAST_VOICED = { share: 0.6, seconds: 0.25 };

/** Notes made where a line goes over what was not read as one: sung there, and drawn. @param alone nothing else lies under it */
function drawnWhereNothingIs({ score, target, newId }: Stage, stroke: readonly number[], alone: boolean): Change[] {
  const whole = { start: stroke[0], end: stroke[stroke.length - 2] };
  return target.tracks.flatMap(({ track }) => {
    const gaps = minus(whole, score.view(track.id).notes).filter(g => g.end - g.start >= LEAST_NEW);
    return placedClips(score.song, track).flatMap((clip): Change[] => {
      const take = track.takes.find(t => t.id === clip.takeId);
      const reading = take && score.takes[take.id]?.reading;
      if (!take || !reading) return [];
      const { place } = clip;
      const spans = gaps
        .map(g => ({ start: Math.max(g.start, clip.from), end: Math.min(g.end, clip.to) }))
        .map(g => ({ start: Math.max(0, place.toTake(g.start)), end: Math.min(reading.duration, place.toTake(g.end)) }))
        .filter(g => g.end - g.start >= LEAST_NEW)
        .filter(g => alone || g.end - g.start >= LEAST_VOICED.seconds)
        .filter(g => voicedShare(reading, g) >= LEAST_VOICED.share);
      if (!spans.length) return [];
      return [
        changeTake(ownReading(track).id, take.id, k => {
          let corrections: ReadingCorrections = k.corrections ?? noCorrections;
          const edits = { ...k.edits };
          for (const span of spans) {
            corrections = addNote(setKind(corrections, { ...span, kind: 'sung' }), span);
            const piece = strokeWithin(
              strokeAt(stroke, t => place.toTake(t)),
              span,
            );
            if (piece) edits[newId()] = { ...span, drawn: [piece] };
          }
          return { ...k, edits, corrections: correctionsWith(k, corrections) };
        }),
      ];
    });
  });
}

/** How much of a stretch is voiced, or may be. */
function voicedShare({ f0, candidates }: Reading, { start, end }: Span): number {
  const [from, to] = [Math.round(start / HOP), Math.min(f0.length, Math.round(end / HOP))];
  let count = 0;
  for (let k = from; k < to; k++) if (f0[k] > 0 || candidates.count[k >> 1] > 0) count++;
  return count / Math.max(1, to - from);
}

const draw: Intent = {
  name: 'draw',
  title: 'Draw',
  about: 'Draws the pitch of notes by hand, straight between points; it counts instead of what the faders give.',
  on: 'notes',
  args: [
    {
      name: 'points',
      about: 'moments and pitches in order',
      kind: 'points',
      most: 4000,
      first: { low: 0, high: 86400, unit: 's' },
      second: { low: 0, high: 128, unit: 'MIDI' },
      required: true,
    },
    { name: 'snap', about: 'what each point goes to', kind: 'choice', of: ['free', 'key', 'semitones'] },
  ],
  act(stage, args) {
    const points = snapped(stage, args.points as readonly Point[], args.snap as string | undefined);
    const stroke: number[] = [];
    for (const [i, [t, pitch]] of points.entries()) {
      const last = stroke[stroke.length - 2];
      if (i && t < last) throw new Refused(`point ${i + 1} lies before the one before it`);
      if (i && t - last < NEAREST_POINTS) stroke.splice(-2);
      stroke.push(t, pitch);
    }
    if (stroke.length < 4) throw new Refused('a line needs at least two points, a millisecond apart');
    const drawn = touchedNotes(stage).flatMap(t => {
      const piece = strokeWithin(stroke, t.note);
      return piece ? [{ t, piece: strokeAt(piece, s => Math.max(0, t.note.place.toTake(s))) }] : [];
    });
    const unread = drawnWhereNothingIs(stage, stroke, !drawn.length);
    if (!drawn.length && !unread.length) throw new Refused('nothing lies under this line');
    const pieces = new Map(drawn.map(d => [d.t, d.piece]));
    const { label, song } = setting(
      stage,
      `Draw over ${counted(drawn.length, 'note')}`,
      drawn.map(d => d.t),
      (e, t) => withFields(e, { drawn: strokesWith(e.drawn ?? [], pieces.get(t)!) }),
    );
    return {
      label: unread.length ? `Draw, ${counted(unread.length, 'new note')}` : label,
      song: together(unread)(song),
    };
  },
};

const erase: Intent = {
  name: 'erase',
  title: 'Erase what was drawn',
  about: 'Takes off what was drawn over notes, or over a stretch of them: the faders count again.',
  on: 'notes',
  args: [],
  act(stage) {
    const { score, target } = stage;
    const all = touchedNotes(stage).filter(t => score.view(t.track.id).edits[t.note.key]?.drawn);
    if (!all.length) throw new Refused('nothing was drawn here');
    return setting(stage, `Erase ${counted(all.length, 'drawn note')}`, all, (e, { note }) => {
      const { span } = target;
      const left = span
        ? strokesWithout(e.drawn!, { start: note.place.toTake(span.start), end: note.place.toTake(span.end) })
        : [];
      return withFields(e, { drawn: left.length ? left : undefined });
    });
  },
};

export const DETAIL_INTENTS: readonly Intent[] = [
  aimByLength,
  tilt,
  ends,
  begin,
  centre,
  addVibrato,
  setVibrato,
  draw,
  erase,
];
