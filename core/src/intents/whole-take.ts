import { stepRuns, sungLines, type StepRun, type WholeSpan } from '../plan';
import { HOP, type Reading } from '../read';
import { guideOf, heardMap, placedClips, sungStretch, wholeInTake, wholeSpans } from '../score';
import {
  matchEdits,
  setTrack,
  together,
  WholeTakeRecord,
  type Change,
  type NoteEdit,
  type Take,
  type Track,
} from '../song';
import { counted, type Seconds, type Span } from '../units';
import type { Values } from './arguments';
import { inBounds } from './edit-notes';
import { inFrames, longEnough, recut, SHORTEST_FRAMES, type Piece } from './recut';
import { ownReading, Refused, tracksMeant, type Intent, type Stage } from './intent';

/** Tuning a take as a whole, without notes, and turning that into notes. */

/** The end of a stretch that has none. */
const FOREVER: Seconds = 86400;

/** What a target means of a track, song time as sung. */
const meant = ({ score, target }: Stage, track: Track): Span =>
  target.span ? sungStretch(score.song, track, target.span) : { start: 0, end: FOREVER };

/** Stretches without what a span covers of them. */
const without = (list: readonly WholeTakeRecord[], { start, end }: Span): WholeTakeRecord[] =>
  list.flatMap(w =>
    [
      { ...w, end: Math.min(w.end, start) },
      { ...w, start: Math.max(w.start, end) },
    ].flatMap(piece => (piece.end - piece.start > 1e-6 ? [Object.assign(new WholeTakeRecord(), piece)] : [])),
  );

/** The settings in force at a moment as sung. */
export const wholeAt = (track: Pick<Track, 'whole'>, t: Seconds): WholeTakeRecord | undefined =>
  track.whole.find(w => t >= w.start && t < w.end);

const FIELDS = ['settleMs', 'aim', 'glideMs', 'vibrato', 'slackCents', 'slackMs'] as const;
const NAMES: Record<(typeof FIELDS)[number], string> = {
  settleMs: 'settle time',
  aim: 'Aim',
  glideMs: 'glide',
  vibrato: 'vibrato kept',
  slackCents: 'slack',
  slackMs: 'slack',
};

function labelOf(args: Values, span: Span | null): string {
  const said = FIELDS.flatMap(f => {
    const v = args[f];
    if (v === undefined) return [];
    const unit = f.endsWith('Ms') ? ' ms' : f === 'slackCents' ? ' cents' : ' %';
    return [`${NAMES[f]} ${v === null ? 'as it settles' : `${String(v)}${unit}`}`];
  });
  return [span ? 'Whole take, a stretch' : 'Whole take', ...said].join(', ');
}

const wholeTake: Intent = {
  name: 'whole-take',
  title: 'Whole take',
  about:
    'Tunes tracks, or a stretch of them, without notes: the voice approaches its step with a settle time. Notes with edits of their own keep them.',
  on: 'tracks',
  args: [
    { name: 'settleMs', about: 'settle time', kind: 'number', low: 0, high: 600, unit: 'ms' },
    { name: 'aim', about: 'how far it goes there', kind: 'number', low: 0, high: 100, unit: '%' },
    {
      name: 'glideMs',
      about: 'way from step to step; null: as quick as it settles',
      kind: 'number',
      low: 0,
      high: 1000,
      unit: 'ms',
      nullable: true,
    },
    { name: 'vibrato', about: 'vibrato kept', kind: 'number', low: 0, high: 200, unit: '%' },
    {
      name: 'slackCents',
      about: 'how far it may stray from its step',
      kind: 'number',
      low: 0,
      high: 100,
      unit: 'cents',
    },
    { name: 'slackMs', about: 'and for how long', kind: 'number', low: 0, high: 1000, unit: 'ms' },
    { name: 'to', about: 'what it is drawn to', kind: 'choice', of: ['key', 'guide'] },
    { name: 'off', about: 'no more of it', kind: 'flag' },
  ],
  act(stage, { off, ...given }) {
    const { song } = stage.score;
    const changes = tracksMeant(stage).map((track): Change => {
      const span = meant(stage, track);
      const rest = without(track.whole, span);
      if (given.to === 'guide' && !guideOf(song, track)) throw new Refused(`${track.name} has no melody guide yet`);
      if (off) return setTrack(track.id, { whole: rest });
      const before = wholeAt(track, span.start) ?? new WholeTakeRecord();
      const made = Object.assign(new WholeTakeRecord(), before, given, span);
      return setTrack(track.id, { whole: [...rest, made].sort((a, b) => a.start - b.start) });
    });
    if (off && !tracksMeant(stage).some(t => t.whole.length)) throw new Refused('no track is tuned as a whole');
    return { label: off ? 'Whole take off' : labelOf(given, stage.target.span), song: together(changes)(song) };
  },
};

/** The notes a stretch of a take becomes. @param whole how it is tuned, the stretch its span */
function piecesOf(reading: Reading, record: WholeTakeRecord, whole: WholeSpan): Piece[] {
  const runs = stepRuns(sungLines(reading), whole);
  // a note that is sung anew on the step it was on is a note of its own
  const borders = reading.notes.map(n => Math.round(n.start / HOP));
  const cut = longEnough(runs).flatMap((r): StepRun[] => {
    const inside = borders.filter(b => b >= r.start + SHORTEST_FRAMES && b <= r.end - SHORTEST_FRAMES);
    const edges = [r.start, ...inside, r.end];
    return edges.slice(1).map((end, i) => ({ ...r, start: edges[i], end }));
  });
  const settling = {
    settle: record.settleMs,
    ...(record.aim === 100 ? {} : { aim: record.aim }),
    ...(record.vibrato === 100 ? {} : { vibrato: record.vibrato }),
    ...(record.glideMs === null ? {} : { glide: record.glideMs }),
  };
  return cut.map(({ start, end, put }) => ({
    start,
    end,
    edit: Number.isNaN(put) ? null : { target: inBounds(put / 100), ...settling },
  }));
}

/** What lies between notes that were edited by themselves, frames. */
function between(from: number, to: number, edited: readonly Span[]): { start: number; end: number }[] {
  const out: { start: number; end: number }[] = [];
  let at = from;
  for (const { start, end } of edited.map(inFrames).sort((a, b) => a.start - b.start)) {
    if (end <= at || start >= to) continue;
    if (start > at) out.push({ start: at, end: start });
    at = Math.max(at, end);
  }
  if (to > at) out.push({ start: at, end: to });
  return out;
}

/** Turns what a track's records tune of its takes into notes. */
function notesOfTrack(stage: Stage, track: Track): { changes: Change[]; count: number } {
  const { score } = stage;
  const { song } = score;
  const span = meant(stage, track);
  const bent = heardMap(song, track);
  const inTakes = new Map<Take, { span: Span; pieces: Piece[] }[]>();
  for (const clip of placedClips(song, track)) {
    const take = track.takes.find(t => t.id === clip.takeId);
    const reading = take && score.takes[take.id]?.reading;
    if (!take || !reading) continue;
    const { place } = clip;
    const ids = matchEdits(reading.notes, take.edits);
    const edited = reading.notes.filter((_, i) => tuned(ids[i] === undefined ? undefined : take.edits[ids[i]]));
    const spans = wholeSpans(wholeInTake(song, track, take, score.scaleAt), reading.f0.length, HOP);
    for (const [i, record] of track.whole.entries()) {
      const heard = (t: Seconds) => (bent ? bent.forward(t) : t);
      const from = Math.max(heard(Math.max(record.start, span.start)), clip.from);
      const to = Math.min(heard(Math.min(record.end, span.end)), clip.to);
      if (to <= from) continue;
      const [a, z] = [place.toTake(from), place.toTake(to)].map(t =>
        Math.max(0, Math.min(reading.f0.length, Math.round(t / HOP))),
      );
      const list = inTakes.get(take) ?? [];
      inTakes.set(take, list);
      for (const free of between(a, z, edited)) {
        const pieces = piecesOf(reading, record, { ...spans[i], ...free });
        // a region for each run, so that what lies between stays as it is read
        let run: Piece[] = [];
        pieces.forEach((p, j) => {
          run.push(p);
          if (pieces[j + 1]?.start === p.end) return;
          list.push({ span: { start: run[0].start * HOP, end: p.end * HOP }, pieces: run });
          run = [];
        });
      }
    }
  }
  const changes = [...inTakes].map(([take, list]) => recut(track, take, list, new Set(), stage.newId));
  const count = [...inTakes.values()].flat().reduce((sum, s) => sum + s.pieces.length, 0);
  return { changes: [...changes, setTrack(track.id, { whole: without(track.whole, span) })], count };
}

/** Whether a note's pitch is its own, so that the whole take's tuning leaves it alone. */
const tuned = (edit: NoteEdit | undefined): boolean =>
  !!edit && Object.keys(edit).some(k => k !== 'start' && k !== 'end');

const intoNotes: Intent = {
  name: 'into-notes',
  title: 'Into notes',
  about: 'Turns what a whole take is tuned to into notes that sound the same, each to be edited by itself.',
  on: 'tracks',
  reads: true,
  args: [],
  act(stage) {
    const tracks = tracksMeant(stage)
      .filter(t => t.whole.length)
      .map(ownReading);
    if (!tracks.length) throw new Refused('nothing is tuned as a whole here');
    const all = tracks.map(t => notesOfTrack(stage, t));
    const count = all.reduce((sum, t) => sum + t.count, 0);
    if (!count) throw new Refused('nothing is read yet that could become notes');
    const song = together(all.flatMap(t => t.changes))(stage.score.song);
    return { label: `Into ${counted(count, 'note')}`, song };
  },
};

export const WHOLE_TAKE_INTENTS: readonly Intent[] = [wholeTake, intoNotes];
