import type { ReadNoise, Span } from '@essim/core';
import { addNoteAt, grabBorder, grabNoise, hearScopeAt, pointAt, splitAt } from '../../commands/corrections';
import { chooseDrag, pressNothing, pressNote, releaseNote } from '../../field/choosing';
import type { Scene, SceneNote } from '../../field/scene';
import { offeredHearings } from './hearing';
import { handle, type Drag, type FieldPointer, type FieldTool } from '../../field/tool';
import { RAIL_HALF, xOf, yOf } from '../../field/viewport';
import { choose, chooseSpan, drop, giveUp, useSession } from '../../open-song';
import { select } from '@essim/core';

const REACH = 5;
const DOUBLE_CLICK_MS = 350;
const SHORTEST_NOTE = 0.04;

interface Border<T> {
  of: T;
  side: 'start' | 'end';
}

/** The border of a note under the pointer: the nearer side where two meet at one. */
function borderAt(s: Scene, x: number, y: number): Border<SceneNote> | null {
  let best: Border<SceneNote> | null = null;
  let nearest = REACH + 0.5;
  for (const note of s.notes) {
    if (Math.abs(y - yOf(s.view, s.layout, note.rail)) > RAIL_HALF + 5) continue;
    for (const side of ['start', 'end'] as const) {
      const away = Math.abs(x - xOf(s.view, s.layout, side === 'start' ? note.from : note.to));
      if (away < nearest) [nearest, best] = [away, { of: note, side }];
    }
  }
  return best;
}

function noiseBorderAt(s: Scene, x: number): Border<ReadNoise> | null {
  for (const noise of s.reading?.noises ?? [])
    for (const side of ['start', 'end'] as const)
      if (Math.abs(x - xOf(s.view, s.layout, noise[side])) < REACH) return { of: noise, side };
  return null;
}

const noiseAt = (s: Scene, time: number): ReadNoise | undefined =>
  s.reading?.noises.find(q => time >= q.start && time < q.end);

const hearingAt = (p: FieldPointer) =>
  offeredHearings(useSession.getState()).find(
    h =>
      p.time >= h.start &&
      p.time <= h.end &&
      Math.abs(p.y - yOf(p.scene!.view, p.scene!.layout, h.midi)) < RAIL_HALF + 1,
  ) ?? null;

const spanOf = (a: FieldPointer, b: FieldPointer): Span => ({
  start: Math.max(0, Math.min(a.time, b.time)),
  end: Math.max(a.time, b.time),
});

/** Moves a border while it is held. */
function dragBorder(move: ((to: number) => void) | null): Drag | null {
  if (!move) return null;
  return {
    move(now) {
      move(now.time);
      return { tag: { x: now.x + 14, y: now.y - 32, text: `${now.time.toFixed(3)} s` } };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

/** Where nothing is, a note is drawn; over notes the same drag chooses. */
function dragNewNote(start: FieldPointer): Drag {
  const choosing = chooseDrag(start);
  const newNote = (now: FieldPointer): Span | null => {
    const span = spanOf(start, now);
    const empty = !now.scene?.notes.some(n => n.to > span.start + 0.02 && n.from < span.end - 0.02);
    return empty && span.end - span.start > SHORTEST_NOTE ? span : null;
  };
  return {
    move(now) {
      const span = newNote(now);
      if (!span) return choosing.move(now);
      const text = `new note, ${(span.end - span.start).toFixed(2)} s`;
      return { band: { x0: start.x, y0: start.y, x1: now.x, y1: now.y }, tag: { x: now.x + 14, y: now.y - 32, text } };
    },
    drop(now) {
      const span = newNote(now);
      if (span) addNoteAt(span.start, span.end);
    },
    cancel: () => choosing.cancel(),
  };
}

/** A stretch marked in the lane of unpitched sounds. */
function dragLane(start: FieldPointer): Drag {
  const before = useSession.getState().selection;
  return {
    move(now) {
      chooseSpan(start.time, now.time);
      return null;
    },
    drop() {},
    cancel: () => choose(before),
  };
}

let lastClick = { time: 0, key: '' };
/** A second plain click on the same note. */
function isDouble(p: FieldPointer): boolean {
  const key = p.note && !p.shift && !p.ctrl ? p.note.key : '';
  const double = key !== '' && key === lastClick.key && performance.now() - lastClick.time < DOUBLE_CLICK_MS;
  lastClick = { time: performance.now(), key: double ? '' : key };
  return double;
}

const inField = (p: FieldPointer) => p.area === 'field' && p.scene !== null;

/** What the pointer does at the Listen desk: choose, move borders, add notes, pick another way to hear, mark stretches in the lane. */
export const listenTool: FieldTool = {
  over: pointAt,
  handles: [
    handle<Border<ReadNoise>>({
      hit: p => (p.area === 'noises' && p.scene ? noiseBorderAt(p.scene, p.x) : null),
      cursor: () => 'ew-resize',
      grab: (_, { of, side }) => dragBorder(grabNoise(of, side)),
    }),
    handle<true>({
      hit: p => (p.area === 'noises' && p.scene ? true : null),
      grab: dragLane,
      click(p) {
        const noise = noiseAt(p.scene!, p.time);
        if (noise) chooseSpan(noise.start, noise.end);
        else choose(select(useSession.getState().editTrackId, []));
      },
    }),
    handle<Border<SceneNote>>({
      hit: p => (inField(p) ? borderAt(p.scene!, p.x, p.y) : null),
      cursor: () => 'ew-resize',
      grab: (_, { of, side }) => dragBorder(grabBorder(of.key, side)),
      click: p => (isDouble(p) ? splitAt(p.time) : releaseNote(p)),
    }),
    handle<{ midi: number }>({
      hit: p => (inField(p) ? hearingAt(p) : null),
      cursor: () => 'pointer',
      click: (_, { midi }) => hearScopeAt(midi),
    }),
    handle<SceneNote>({
      hit: p => (inField(p) && !p.alt ? p.note : null),
      cursor: () => 'pointer',
      press: pressNote,
      click: p => (isDouble(p) ? splitAt(p.time) : releaseNote(p)),
    }),
    handle<true>({
      hit: p => (inField(p) ? true : null),
      grab: p => (p.alt || p.shift || p.ctrl ? chooseDrag(p) : dragNewNote(p)),
      click: pressNothing,
    }),
  ],
};
