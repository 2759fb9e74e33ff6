import { stepRuns, sungLines, USUAL_SLACK, type Slack, type StepRun } from '../plan';
import { HOP, type Reading } from '../read';
import { stepSung } from '../music';
import type { TrackNote } from '../score';
import { matchEdits, together, type Change, type NoteEdit, type Take, type Track } from '../song';
import { counted } from '../units';
import { inBounds } from './edit-notes';
import { notesOf, Refused, type Intent, type Stage } from './intent';
import { longEnough, recut, type Piece } from './recut';

/** How far and how long a voice may stray from its step before it is another note. */

/** A border between two notes is taken to be that of a change of step up to so many frames from it. */
const SAME_BORDER = 12;

/** Chosen notes of one take that are sung on from each other. */
type Chain = TrackNote[];

function chainsOf(notes: readonly TrackNote[], fixed: (n: TrackNote) => boolean): Chain[] {
  const out: Chain[] = [];
  notes.forEach((n, i) => {
    if (fixed(n)) return;
    const before = notes[i - 1] as TrackNote | undefined;
    const chain = out[out.length - 1] as Chain | undefined;
    if (chain && before && chain[chain.length - 1] === before && n.index === before.index + 1 && n.joined)
      chain.push(n);
    else out.push([n]);
  });
  return out;
}

/** Where a chain of notes is cut, frames; its ends first and last. */
function cutsOf(
  chain: readonly TrackNote[],
  runs: readonly StepRun[],
  reading: Reading,
  own: (n: TrackNote) => number,
): number[] {
  const frame = (n: TrackNote, at: 'start' | 'end') => Math.round(reading.notes[n.index][at] / HOP);
  const [first, last] = [frame(chain[0], 'start'), frame(chain[chain.length - 1], 'end')];
  const borders = chain.slice(1).map(n => frame(n, 'start'));
  const changes = runs.slice(1).flatMap((r, i) => (r.start === runs[i].end ? [r.start] : []));
  // where the step changes: at a border that was read, where there is one near
  const snapped = changes.map(c => {
    const near = borders.filter(b => Math.abs(b - c) <= SAME_BORDER);
    return near.length ? near.reduce((a, b) => (Math.abs(b - c) < Math.abs(a - c) ? b : a)) : c;
  });
  // and where a note is sung anew on the step it was on
  const anew = borders.filter((_, i) => own(chain[i]) === own(chain[i + 1]));
  const inside = [...new Set([...snapped, ...anew])].filter(c => c > first && c < last).sort((a, b) => a - b);
  return [first, ...inside, last];
}

/** The step most of a stretch is on; NaN where that is left as sung. */
function stepOver(runs: readonly StepRun[], start: number, end: number): number {
  const held = new Map<number, number>();
  for (const r of runs) {
    const frames = Math.min(end, r.end) - Math.max(start, r.start);
    if (frames > 0) held.set(r.put, (held.get(r.put) ?? 0) + frames);
  }
  return held.size ? [...held].reduce((a, b) => (b[1] > a[1] ? b : a))[0] : NaN;
}

/** Cuts the chosen notes of one take anew; null where they stay. */
function recutTake(
  stage: Stage,
  track: Track,
  take: Take,
  notes: readonly TrackNote[],
  slack: Slack,
): { change: Change; before: number; after: number } | null {
  const { score, newId } = stage;
  const reading = score.takes[take.id]!.reading!;
  const lines = sungLines(reading);
  const ids = matchEdits(reading.notes, take.edits);
  const editOf = (n: TrackNote): NoteEdit | undefined => {
    const id = ids[n.index];
    return id === undefined ? undefined : take.edits[id];
  };
  const gone = new Set<string>();
  const stretches = chainsOf(notes, n => !!editOf(n)?.pinned || !!editOf(n)?.drawn).flatMap(chain => {
    const { place } = chain[0];
    const scaleAt = (k: number) => score.scaleAt(place.toSong(k * HOP));
    const spans = chain.map(n => reading.notes[n.index]);
    const [from, to] = [Math.round(spans[0].start / HOP), Math.round(spans[spans.length - 1].end / HOP)];
    const runs = stepRuns(lines, { start: from, end: to, slack, scaleAt });
    const cuts = cutsOf(chain, runs, reading, n => stepSung(score.scaleAt(n.start), n.sung * 100));
    const pieces = longEnough(cuts.slice(1).map((end, i) => ({ start: cuts[i], end })));
    const same = pieces.length === chain.length && pieces.every((p, i) => p.start === Math.round(spans[i].start / HOP));
    if (same || !pieces.length) return [];
    for (const n of chain) if (ids[n.index] !== undefined) gone.add(ids[n.index]!);
    const made = pieces.map(({ start, end }): Piece => {
      const most = (n: TrackNote) => {
        const { start: a, end: z } = reading.notes[n.index];
        return Math.min(z / HOP, end) - Math.max(a / HOP, start);
      };
      const parent = editOf(chain.reduce((a, b) => (most(b) > most(a) ? b : a)));
      if (!parent) return { start, end, edit: null };
      const { start: _, end: __, ...edit } = parent;
      const put = stepOver(runs, start, end);
      const settled = edit.target !== undefined && !Number.isNaN(put);
      return { start, end, edit: settled ? { ...edit, target: inBounds(put / 100) } : edit };
    });
    return [{ span: { start: spans[0].start, end: spans[spans.length - 1].end }, pieces: made, before: chain.length }];
  });
  if (!stretches.length) return null;
  // an edit that other notes hold too stays theirs
  reading.notes.forEach((_, i) => {
    if (!notes.some(n => n.index === i) && ids[i] !== undefined) gone.delete(ids[i]);
  });
  return {
    change: recut(track, take, stretches, gone, newId),
    before: stretches.reduce((sum, s) => sum + s.before, 0),
    after: stretches.reduce((sum, s) => sum + s.pieces.length, 0),
  };
}

export const slack: Intent = {
  name: 'slack',
  title: 'Slack',
  about:
    'Cuts notes anew where the voice strays from its step further and longer than this, and joins what strays less; pinned and drawn ones stay.',
  on: 'notes',
  args: [
    { name: 'cents', about: 'how far beyond half way', kind: 'number', low: 0, high: 100, unit: 'cents' },
    { name: 'ms', about: 'and how long', kind: 'number', low: 0, high: 1000, unit: 'ms' },
  ],
  act(stage, { cents = USUAL_SLACK.cents, ms = USUAL_SLACK.ms }) {
    const list = notesOf(stage);
    if (!list.length) throw new Refused('there are no notes to act on');
    const made = stage.target.tracks.flatMap(({ track }) =>
      track.takes.flatMap(take => {
        const mine = list.filter(t => t.track === track && t.note.takeId === take.id).map(t => t.note);
        const done = mine.length
          ? recutTake(stage, track, take, mine, { cents: cents as number, ms: ms as number })
          : null;
        return done ? [done] : [];
      }),
    );
    const said = `Slack ${String(cents)} cents, ${String(ms)} ms`;
    if (!made.length) return { label: said, song: stage.score.song };
    const [before, after] = (['before', 'after'] as const).map(k => made.reduce((sum, m) => sum + m[k], 0));
    return {
      label: `${said}: ${counted(before, 'note')} ${before === 1 ? 'becomes' : 'become'} ${after}`,
      song: together(made.map(m => m.change))(stage.score.song),
    };
  },
};
