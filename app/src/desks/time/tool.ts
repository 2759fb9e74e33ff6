import { extend, select } from '@essim/core';
import { pointAt } from '../../commands/corrections';
import { mirrorAxes, offsetAt, offsetY, SHORTEST_LEAF } from '../../field/draw/mirror';
import { groundHandle, noteHandle, pressNothing } from '../../field/choosing';
import { handle, type Drag, type FieldPointer, type FieldTool } from '../../field/tool';
import { xOf } from '../../field/viewport';
import { act, choose, drop, giveUp, useSession, viewOf } from '../../open-song';
import { nudge, partsAt, pointsAt, stretch } from './edits';
import { useTime } from './state';
import { nearestOf, timedNotes, type TimedNote } from './timed';

const state = useSession.getState;
/** With Shift things move this much of the way. */
const FINE = 0.2;
/** Nearer than this a moment catches, px. */
const CATCH = 7;
const GRIP = 6;

const ms = (s: number) => `${s > 0 ? '+' : s < 0 ? '−' : ''}${Math.abs(Math.round(s * 1000))} ms`;
const inMirror = (p: FieldPointer) => p.area === 'mirror' && !!p.scene;
const below = (p: FieldPointer) => inMirror(p) && p.y > mirrorAxes(p.scene!.layout).follower - 4;
const perPixel = ({ scene }: FieldPointer) =>
  (scene!.view.to - scene!.view.from) / (scene!.layout.width - scene!.layout.ladder);

const isChosen = (key: string) => {
  const { selection, editTrackId } = state();
  return selection.trackId === editTrackId && selection.notes.has(key);
};

/** How far a pointer was moved, s. */
const moved = (start: FieldPointer, now: FieldPointer) => (now.time - start.time) * (now.shift ? FINE : 1);

/** By how much a moment goes when it would go so far: onto what it is told beside where that is near. */
function caught(now: FieldPointer, onset: number, was: number, by: number): number {
  const t = useTime.getState();
  if (!t.snap || now.alt || now.shift) return by;
  const to = nearestOf(state(), t)(onset + by, was);
  return to !== null && Math.abs(to - onset - by) < CATCH * perPixel(now) ? to - onset : by;
}

/** So much to either side of a swell's top is softer, s. */
const SWELL = 0.06;

/** By how much a moment inside a note goes: onto a swell of the track it is told beside where one is near, else as any other. */
function swellCaught(now: FieldPointer, at: number, by: number): number {
  const { against, snap } = useTime.getState();
  const other = viewOf(state(), against).reading;
  if (!snap || now.alt || now.shift || !other) return caught(now, at, at, by);
  const { levelDb, hop } = other;
  const reach = Math.round((2 * CATCH * perPixel(now)) / hop);
  const middle = Math.round((at + by) / hop);
  const half = Math.round(SWELL / hop);
  const isTop = (k: number) => levelDb[k] > levelDb[k - half] + 0.3 && levelDb[k] > levelDb[k + half] + 0.3;
  let best: number | null = null;
  for (let k = middle - reach; k <= middle + reach; k++)
    if (isTop(k) && (best === null || levelDb[k] > levelDb[best])) best = k;
  return best === null ? by : best * hop - at;
}

/** Moves what is chosen while a note of it is held. */
function dragNote(start: FieldPointer, n: TimedNote): Drag {
  return {
    move(now) {
      const by = caught(now, n.onset, n.was.onset, moved(start, now));
      nudge(by, { held: true });
      return { tag: { x: now.x + 14, y: now.y, text: `${n.word ? `“${n.word}” ` : ''}${ms(by)}` } };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

/** Moves one end of a note; where it is joined to the next both of them move. */
function dragEnd(start: FieldPointer, n: TimedNote, side: 'start' | 'end'): Drag {
  const from = n[side];
  return {
    move(now) {
      const by = caught(now, from, n.was[side], moved(start, now));
      stretch({ [side]: from + by }, { held: true });
      const length = side === 'end' ? n.end + by - n.start : n.end - n.start - by;
      return {
        tag: { x: now.x + 14, y: now.y, text: `${length.toFixed(2)} s, was ${(n.was.end - n.was.start).toFixed(2)}` },
      };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

/** Moves a moment inside a note; what lies on either side of it gives. */
function dragInside(start: FieldPointer): Drag | null {
  const at = start.time;
  const parts = partsAt(at);
  if (!parts.length) return null;
  return {
    move(now) {
      const by = swellCaught(now, at, moved(start, now));
      const { start: a, end: z } = parts[0];
      const to = Math.max(a + 0.01, Math.min(z - 0.01, at + by));
      act('stitch', { at, to }, { held: true, parts });
      return { tag: { x: now.x + 14, y: now.y, text: `held ${ms(to - at)}` } };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

/** Moves a note by its leaf: up is earlier. */
function dragLeaf(start: FieldPointer, n: TimedNote): Drag | null {
  const { offNow } = n;
  if (offNow === null) return null;
  return {
    move(now) {
      const { layout } = now.scene!;
      const by = (offsetAt(layout, now.y) - offsetAt(layout, start.y)) * (now.shift ? FINE : 1);
      const near = !now.alt && useTime.getState().snap && Math.abs(offNow + by) < 0.006;
      const to = near ? -offNow : by;
      nudge(to, { held: true });
      return { tag: { x: now.x + 14, y: now.y, text: `${n.word ? `“${n.word}” ` : ''}${ms(offNow + to)}` } };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

/** The note whose leaf is at a point. */
function leafAt(p: FieldPointer): TimedNote | null {
  if (p.area !== 'offsets' || !p.scene) return null;
  const { layout: l, view: v } = p.scene;
  let best: TimedNote | null = null;
  let nearest = 14;
  for (const n of timedNotes(state())) {
    if (n.offNow === null) continue;
    const x = xOf(v, l, n.start);
    if (p.x < x - 3 || p.x > Math.max(x + SHORTEST_LEAF, xOf(v, l, n.end)) + 3) continue;
    const away = Math.abs(p.y - offsetY(l, n.offNow));
    if (away < nearest) [nearest, best] = [away, n];
  }
  return best;
}

/** The end of a note at a point of the mirror or the field: of one that is chosen, or where two are joined. */
function endAt(p: FieldPointer): { n: TimedNote; side: 'start' | 'end' } | null {
  if (!p.scene || !(below(p) || p.area === 'field')) return null;
  const { layout: l, view: v } = p.scene;
  const notes = timedNotes(state());
  const near = (t: number) => Math.abs(p.x - xOf(v, l, t)) <= GRIP;
  const chosen = notes.filter(n => isChosen(n.key));
  // of several that are chosen the first and the last are stretched
  if (chosen.length && (below(p) || p.note?.selected || chosen.length === 1)) {
    const [first, last] = [chosen[0], chosen[chosen.length - 1]];
    if (p.area === 'field' && p.note && !p.note.selected) return null;
    if (near(last.end)) return { n: last, side: 'end' };
    if (near(first.start)) return { n: first, side: 'start' };
  }
  const joined = below(p) ? notes.find(n => n.joinedAfter && near(n.end)) : undefined;
  return joined ? { n: joined, side: 'end' } : null;
}

/** The note that sounds under the lower half of the mirror. */
const noteUnder = (p: FieldPointer): TimedNote | null =>
  below(p) ? (timedNotes(state()).find(n => p.time >= n.start && p.time < n.end) ?? null) : null;

const pressed = (p: FieldPointer, { key }: TimedNote) => {
  const { selection, editTrackId } = state();
  if (p.shift) choose(extend(selection, editTrackId, [key]));
  else if (!isChosen(key)) choose(select(editTrackId, [key]));
};

/** Dragging at the Time desk: a note moves, its ends stretch it, with Ctrl a moment inside it; its leaf moves it by how far off it is. */
export const timeTool: FieldTool = {
  over(p) {
    pointAt(p);
    pointsAt(p && (p.area === 'field' || inMirror(p)) ? p.time : null);
  },
  handles: [
    handle<{ n: TimedNote; side: 'start' | 'end' }>({
      hit: p => (p.ctrl ? null : endAt(p)),
      cursor: () => 'ew-resize',
      press: (_, { n }) => {
        if (!isChosen(n.key)) choose(select(state().editTrackId, [n.key]));
      },
      grab: (p, { n, side }) => dragEnd(p, n, side),
    }),
    handle<TimedNote>({
      hit: leafAt,
      cursor: () => 'ns-resize',
      press: pressed,
      grab: dragLeaf,
    }),
    handle<TimedNote>({
      hit: noteUnder,
      cursor: p => (p.ctrl ? 'col-resize' : 'grab'),
      press: pressed,
      grab: (p, n) => (p.ctrl ? dragInside(p) : dragNote(p, n)),
    }),
    noteHandle({
      cursor: p => (p.ctrl ? 'col-resize' : 'grab'),
      grab: (p, note) => {
        if (p.ctrl) return dragInside(p);
        const n = timedNotes(state()).find(q => q.key === note.key);
        return n ? dragNote(p, n) : null;
      },
    }),
    groundHandle,
    handle<true>({
      hit: p => (inMirror(p) || p.area === 'offsets' ? true : null),
      click: pressNothing,
    }),
  ],
};
