import { stepRuns, sungLines, USUAL_SLACK, type Slack, type StepRun } from '../plan';
import { correctReading, HOP, type ReadNote, type Reading } from '../read';
import { stepSung } from '../music';
import { placedClips } from '../score';
import { matchEdits, together, type Change, type NoteEdit, type Take, type Track } from '../song';
import { counted, type HeardSeconds, type Seconds } from '../units';
import { inBounds } from './edit-notes';
import { Refused, type Intent, type Stage } from './intent';
import { inFrames, longEnough, recut, type Piece } from './recut';

/** How far and how long a voice may stray from its step before it is another note. */

/** A border between two notes is taken to be that of a change of step up to so many frames from it. */
const SAME_BORDER = 12;

/** Where neighbours touch they are sung on, s. */
const TOUCHING = 0.0125;

/** A note of a take as it is read with what is stored, and its place among them. */
interface Read extends ReadNote {
  index: number;
}
/** Chosen notes of one take that are sung on from each other. */
type Chain = Read[];

const known = new WeakMap<Reading, WeakMap<object, Reading>>();
/** The reading a song's corrections make, whatever a gesture shows meanwhile. */
function readingOf(auto: Reading, { corrections }: Take): Reading {
  if (!corrections) return auto;
  const by = known.get(auto) ?? new WeakMap<object, Reading>();
  known.set(auto, by);
  let reading = by.get(corrections);
  if (!reading) by.set(corrections, (reading = correctReading(auto, corrections).reading));
  return reading;
}

function chainsOf(notes: readonly Read[], fixed: (n: Read) => boolean): Chain[] {
  const out: Chain[] = [];
  for (const n of notes) {
    if (fixed(n)) continue;
    const last = out[out.length - 1]?.at(-1);
    if (last?.index === n.index - 1 && n.start - last.end < TOUCHING) out[out.length - 1].push(n);
    else out.push([n]);
  }
  return out;
}

/** Where a chain of notes is cut, frames; its ends first and last. */
function cutsOf(chain: readonly Read[], runs: readonly StepRun[], own: (n: Read) => number): number[] {
  const frame = (n: Read, at: 'start' | 'end') => Math.round(n[at] / HOP);
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
  { score, newId }: Stage,
  track: Track,
  take: Take,
  reading: Reading,
  notes: readonly Read[],
  toSong: (t: Seconds) => HeardSeconds,
  slack: Slack,
): { change: Change; before: number; after: number } | null {
  const lines = sungLines(reading);
  const ids = matchEdits(reading.notes, take.edits);
  const editOf = (n: Read): NoteEdit | undefined => {
    const id = ids[n.index];
    return id === undefined ? undefined : take.edits[id];
  };
  const gone = new Set<string>();
  const scaleAt = (k: number) => score.scaleAt(toSong(k * HOP));
  const stretches = chainsOf(notes, n => !!editOf(n)?.pinned || !!editOf(n)?.drawn).flatMap(chain => {
    const span = { start: chain[0].start, end: chain[chain.length - 1].end };
    const runs = stepRuns(lines, { ...inFrames(span), slack, scaleAt });
    const cuts = cutsOf(chain, runs, n => stepSung(score.scaleAt(toSong(n.start)), n.pitch * 100));
    const pieces = longEnough(cuts.slice(1).map((end, i) => ({ start: cuts[i], end })));
    const same = pieces.length === chain.length && pieces.every((p, i) => p.start === Math.round(chain[i].start / HOP));
    if (same || !pieces.length) return [];
    for (const n of chain) if (ids[n.index] !== undefined) gone.add(ids[n.index]!);
    const made = pieces.map(({ start, end }): Piece => {
      const most = (n: Read) => Math.min(n.end / HOP, end) - Math.max(n.start / HOP, start);
      const parent = editOf(chain.reduce((a, b) => (most(b) > most(a) ? b : a)));
      if (!parent) return { start, end, edit: null };
      const { start: _, end: __, ...edit } = parent;
      const put = stepOver(runs, start, end);
      const settled = edit.target !== undefined && !Number.isNaN(put);
      return { start, end, edit: settled ? { ...edit, target: inBounds(put / 100) } : edit };
    });
    return [{ span, pieces: made, before: chain.length }];
  });
  if (!stretches.length) return null;
  // an edit that other notes hold too stays theirs
  const mine = new Set(notes.map(n => n.index));
  ids.forEach((id, i) => {
    if (!mine.has(i) && id !== undefined) gone.delete(id);
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
    const { score, target } = stage;
    const asked = { cents: cents as number, ms: ms as number };
    let any = false;
    const made = target.tracks.flatMap(({ track, parts }) => {
      const meant = parts.filter(p => p.mostly);
      return placedClips(score.song, track).flatMap(({ takeId, place, from, to }) => {
        const take = track.takes.find(t => t.id === takeId);
        const auto = score.takes[takeId]?.auto;
        if (!take || !auto) return [];
        const reading = readingOf(auto, take);
        const mine = reading.notes.flatMap((n, index): Read[] => {
          const middle = place.toSong((n.start + n.end) / 2);
          const isMeant = middle >= from && middle < to && meant.some(p => middle >= p.start && middle < p.end);
          return isMeant ? [{ ...n, index }] : [];
        });
        any ||= mine.length > 0;
        return recutTake(stage, track, take, reading, mine, t => place.toSong(t), asked) ?? [];
      });
    });
    if (!any) throw new Refused('there are no notes to act on');
    const said = `Slack ${String(cents)} cents, ${String(ms)} ms`;
    if (!made.length) return { label: said, song: stage.score.song };
    const [before, after] = (['before', 'after'] as const).map(k => made.reduce((sum, m) => sum + m[k], 0));
    return {
      label: `${said}: ${counted(before, 'note')} ${before === 1 ? 'becomes' : 'become'} ${after}`,
      song: together(made.map(m => m.change))(stage.score.song),
    };
  },
};
