import {
  BarGrid,
  claimed,
  guideNotes,
  guideOf,
  HOP,
  referenceCents,
  commonLag,
  inTimeScore,
  inTuneScore,
  meritOf,
  sharedOnsets,
  type CellScore,
  type Guide,
  type Phrase,
  type Scale,
  type Tempo,
  type Track,
  pickedFrom,
} from '@essim/core';
import { editTrackOf, editViewOf, rankedKeys, scaleAtOf, songOf, type SessionState } from '../../open-song/state';
import type { TakeView } from '@essim/core';

/** Where takes, phrases and scores meet: the cells of the take lanes. */

/** Scores of one phrase's takes; a take that does not sing it has none. */
export interface PhraseCells {
  cells: CellScore[];
  /** What they are judged by: a melody guide, the tempo's grid, or each other. */
  by: 'guide' | 'grid' | 'takes';
}

/** Onsets a sixteenth apart at most: finer than singers place syllables. */
const PARTS_OF_BEAT = 4;

/** Notes of a take in one phrase, song time. */
const notesIn = (view: TakeView, offset: number, phrase: { start: number; end: number }) =>
  view.notes
    .map(n => ({ ...n, start: n.start + offset, end: n.end + offset, onset: n.onset + offset }))
    .filter(n => (n.start + n.end) / 2 > phrase.start - 0.15 && (n.start + n.end) / 2 < phrase.end + 0.15);

/** Moments of the grid about a phrase. */
function gridAbout(tempo: Tempo, phrase: { start: number; end: number }): number[] {
  const grid = new BarGrid(tempo);
  const out: number[] = [];
  const last = grid.beatAt(phrase.end + 0.3);
  for (let b = Math.floor(grid.beatAt(phrase.start - 0.3) * PARTS_OF_BEAT); b <= last * PARTS_OF_BEAT; b++)
    out.push(grid.secondsAt(b / PARTS_OF_BEAT));
  return out;
}

/** Scores of every phrase of a track. */
export function scoreCells(
  track: Track,
  takes: Readonly<Record<string, TakeView | undefined>>,
  phrases: readonly Phrase[],
  tempo: Tempo | null,
  scaleAt: (t: number) => Scale,
  guide: Guide | null = null,
  referenceAt = 0,
): PhraseCells[] {
  const melody = guide ? guideNotes(guide) : null;
  const sungAt = phrases.map(phrase => ({
    grid: melody
      ? melody.flatMap(n => (n.start > phrase.start - 0.3 && n.start < phrase.end + 0.3 ? [n.start] : []))
      : tempo
        ? gridAbout(tempo, phrase)
        : null,
    sung: pickedFrom(track).flatMap(take => {
      const view = takes[take.id];
      const notes = view?.reading ? notesIn(view, take.offsetSeconds, phrase) : [];
      return notes.length ? [{ take, view: view!, notes }] : [];
    }),
  }));
  // headphones and latency make every take late by the same; it tells none from another
  const lag = commonLag(
    sungAt.flatMap(p => p.sung.flatMap(s => s.notes.map(n => n.onset))),
    (melody ?? tempo) && sungAt.flatMap(p => p.grid ?? []).sort((a, b) => a - b),
  );
  return sungAt.map(({ grid, sung }) => {
    const expected = sharedOnsets(
      sung.map(s => s.notes.map(n => n.onset)),
      grid,
      lag,
    );
    const cells = sung.map(({ take, view, notes }): CellScore => {
      const own = notes.map(n => ({
        ...n,
        start: n.start - take.offsetSeconds,
        end: n.end - take.offsetSeconds,
      }));
      const tune = inTuneScore(
        view.sungLine,
        HOP,
        own,
        t => scaleAt(t + take.offsetSeconds),
        guide
          ? n => {
              const meant = claimed(guide, {
                ...n,
                start: n.start + take.offsetSeconds,
                end: n.end + take.offsetSeconds,
              });
              return meant && meant.midi * 100 + referenceAt;
            }
          : undefined,
      );
      // one take and no tempo: nothing to be in time with
      const time = inTimeScore(melody || tempo || sung.length > 1 ? notes.map(n => n.onset) : [], expected);
      return { takeId: take.id, tune, time, merit: meritOf(tune, time) };
    });
    return { cells, by: melody ? 'guide' : tempo ? 'grid' : 'takes' };
  });
}

/** The parts of a take that scores are made of: what is read, not how far the reading is. */
const judged = (s: SessionState, track: Track) => pickedFrom(track).map(t => s.takes[t.id]?.notes);

let last: { of: unknown[]; cells: PhraseCells[] } = { of: [], cells: [] };
/** Scores of the edited track's cells; made again when a reading, a phrase, the tempo or the key changes. */
export function cellsOf(s: SessionState): PhraseCells[] {
  const track = editTrackOf(s);
  const song = songOf(s);
  if (!track || !song) return none;
  const { phrases } = editViewOf(s);
  const of = [
    ...judged(s, track),
    ...pickedFrom(track).map(t => t.offsetSeconds),
    ...phrases.flatMap(p => [p.start, p.end]),
    song.tempo,
    song.key ?? rankedKeys(s),
    song.keyChanges,
    song.referenceHz,
    song.tuning,
    guideOf(song, track),
  ];
  if (of.length !== last.of.length || of.some((v, i) => v !== last.of[i]))
    last = {
      of,
      cells: scoreCells(track, s.takes, phrases, song.tempo, scaleAtOf(s), guideOf(song, track), referenceCents(song)),
    };
  return last.cells;
}
const none: PhraseCells[] = [];

/**
 * Where a take may be cut within a phrase: its ends, and half-way between each two of its syllables. Song time.
 * @param span the phrase with what belongs to it of the rests about it
 */
export function cutsIn(
  view: TakeView,
  offset: number,
  phrase: { start: number; end: number },
  span: { from: number; to: number },
): number[] {
  const notes = notesIn(view, offset, phrase);
  const between = notes.slice(1).map((n, i) => (Math.max(n.start, notes[i].end) + Math.min(n.start, notes[i].end)) / 2);
  return [Math.min(span.from, phrase.start), ...between, Math.max(phrase.end, Math.min(span.to, phrase.end + MARGIN))];
}

/**
 * A stretch with one of its ends moved to the next place it may be cut at. One that is not there yet begins with the first syllable.
 * @returns null where nothing of it is left
 */
export function reshaped(
  cuts: readonly number[],
  stretch: { from: number; to: number } | null,
  side: 'from' | 'to',
  by: 1 | -1,
): { from: number; to: number } | null {
  const nearest = (t: number) =>
    cuts.reduce((best, c, i) => (Math.abs(c - t) < Math.abs(cuts[best] - t) ? i : best), 0);
  const last = cuts.length - 1;
  if (!stretch)
    return last < 1
      ? null
      : side === 'to'
        ? { from: cuts[0], to: cuts[1] }
        : { from: cuts[1] ?? cuts[0], to: cuts[last] };
  const at = { from: nearest(stretch.from), to: nearest(stretch.to) };
  at[side] = Math.max(0, Math.min(last, at[side] + by));
  return at.from < at.to ? { from: cuts[at.from], to: cuts[at.to] } : null;
}

/** A phrase's place among the lanes, px. */
export interface Column {
  left: number;
  width: number;
  from: number;
  to: number;
}

export const CELL_GAP = 6;
const NARROWEST = 75;
/** Sound shown before and after a phrase, s. */
const MARGIN = 0.12;

/** Columns of phrases: widths by their lengths, filling the room; wider than it when there are many. */
export function columnsOf(phrases: readonly { start: number; end: number }[], room: number): Column[] {
  const lengths = phrases.map(p => p.end - p.start + 2 * MARGIN);
  const total = lengths.reduce((a, b) => a + b, 0);
  const space = Math.max(phrases.length * NARROWEST, room - CELL_GAP * (phrases.length - 1));
  const flexible = space - phrases.length * NARROWEST;
  let left = 0;
  return phrases.map((p, i) => {
    const width = NARROWEST + (flexible * lengths[i]) / total;
    const column = { left, width, from: p.start - MARGIN, to: p.end + MARGIN };
    left += width + CELL_GAP;
    return column;
  });
}

/** Place of a moment among the columns, px; linear in a phrase and over the rest between two. */
export function xOfTime(columns: readonly Column[], t: number): number {
  const last = columns[columns.length - 1];
  if (!last) return 0;
  for (const [i, c] of columns.entries()) {
    if (t < c.from) {
      const before = columns[i - 1];
      if (!before) return c.left;
      const share = (t - before.to) / Math.max(1e-6, c.from - before.to);
      return before.left + before.width + Math.max(0, Math.min(1, share)) * CELL_GAP;
    }
    if (t <= c.to) return c.left + ((t - c.from) / (c.to - c.from)) * c.width;
  }
  return last.left + last.width;
}

/** Moment at a place among the columns. */
export function timeOfX(columns: readonly Column[], x: number): number {
  for (const [i, c] of columns.entries()) {
    if (x < c.left) {
      const before = columns[i - 1];
      return before ? before.to + ((x - before.left - before.width) / CELL_GAP) * (c.from - before.to) : c.from;
    }
    if (x <= c.left + c.width) return c.from + ((x - c.left) / c.width) * (c.to - c.from);
  }
  return columns[columns.length - 1]?.to ?? 0;
}

/** How much of a whole take is in tune, of what is steady of it; NaN where nothing is. */
export function inTuneOf(cells: readonly PhraseCells[], takeId: string): number {
  const own = cells.flatMap(c => c.cells.filter(s => s.takeId === takeId && s.tune.steadySeconds > 0));
  const steady = own.reduce((s, c) => s + c.tune.steadySeconds, 0);
  return own.reduce((s, c) => s + c.tune.share * c.tune.steadySeconds, 0) / steady;
}

const JUDGED_BY = { guide: 'the guide', grid: 'the grid', takes: 'where the takes agree' };

/** "90% of steady time within 20 cents; 23 of 25 onsets within 30 ms." */
export function explained(score: CellScore, by: PhraseCells['by']): string {
  const tune = Number.isNaN(score.tune.share)
    ? 'Nothing steady enough to judge the tuning.'
    : `${Math.round(score.tune.share * 100)} % of steady time within 20 cents of ${by === 'guide' ? 'the guide' : 'its step'}`;
  const time = Number.isNaN(score.time.share)
    ? 'Set a tempo or add a take to judge the timing.'
    : `${score.time.good} of ${score.time.onsets} onsets within 30 ms of ${JUDGED_BY[by]}.`;
  return `${tune}${tune.endsWith('.') ? ' ' : '; '}${time}`;
}
