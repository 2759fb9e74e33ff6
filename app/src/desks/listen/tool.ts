import { extend, select, toggle, type ReadNoise, type Span } from '@essim/core';
import type { FieldPointer, FieldTool } from '../../field/Field';
import type { GestureMark } from '../../field/draw/overlay';
import { notesIn } from '../../field/hit';
import type { Scene, SceneNote } from '../../field/scene';
import { RAIL_HALF, xOf, yOf } from '../../field/viewport';
import { addNoteAt, grabBorder, grabNoise, hearScopeAt, pointAt, splitAt } from '../../store/corrections';
import { choose, chooseSpan, seek, useSession } from '../../store/session';

const REACH = 5;
const DOUBLE_CLICK_MS = 350;

type Grip =
  { kind: 'border'; move: (to: number) => void } | { kind: 'add' } | { kind: 'span' } | { kind: 'band' } | null;

/** The border of a note under the pointer: the nearer side where two meet at one. */
function borderAt(s: Scene, x: number, y: number): { note: SceneNote; side: 'start' | 'end' } | null {
  let best: ReturnType<typeof borderAt> = null;
  let nearest = REACH + 0.5;
  for (const note of s.notes) {
    if (Math.abs(y - yOf(s.view, s.layout, note.rail)) > RAIL_HALF + 5) continue;
    for (const side of ['start', 'end'] as const) {
      const away = Math.abs(x - xOf(s.view, s.layout, side === 'start' ? note.from : note.to));
      if (away < nearest) [nearest, best] = [away, { note, side }];
    }
  }
  return best;
}

const noiseAt = (s: Scene, time: number): ReadNoise | undefined =>
  s.reading?.noises.find(q => time >= q.start && time < q.end);

function noiseBorderAt(s: Scene, x: number): { noise: ReadNoise; side: 'start' | 'end' } | null {
  for (const noise of s.reading?.noises ?? [])
    for (const side of ['start', 'end'] as const)
      if (Math.abs(x - xOf(s.view, s.layout, noise[side])) < REACH) return { noise, side };
  return null;
}

/** What the pointer does at the Listen desk: choose, move borders, add notes, pick another way to hear, mark stretches in the lane. */
export function listenTool(): FieldTool {
  let grip: Grip = null;
  let lastClick = 0;

  const hearingAt = (p: FieldPointer) =>
    p.scene?.listen?.hearings.find(
      h =>
        p.time >= h.start &&
        p.time <= h.end &&
        Math.abs(p.y - yOf(p.scene!.view, p.scene!.layout, h.midi)) < RAIL_HALF + 1,
    );

  const spanOf = (a: FieldPointer, b: FieldPointer): Span => ({
    start: Math.max(0, Math.min(a.time, b.time)),
    end: Math.max(a.time, b.time),
  });

  return {
    areas: ['noises'],

    hover(p) {
      pointAt(p.area === 'field' ? p.time : null);
      const s = p.scene;
      if (!s) return null;
      if (p.area === 'noises') return noiseBorderAt(s, p.x) ? 'ew-resize' : 'default';
      if (p.area !== 'field') return null;
      if (borderAt(s, p.x, p.y)) return 'ew-resize';
      return hearingAt(p) || p.note ? 'pointer' : 'default';
    },

    leave: () => pointAt(null),

    down(p) {
      const s = p.scene;
      const { selection, editTrackId } = useSession.getState();
      grip = null;
      if (!s) return;
      if (p.area === 'noises') {
        const border = noiseBorderAt(s, p.x);
        const move = border && grabNoise(border.noise, border.side);
        grip = move ? { kind: 'border', move } : { kind: 'span' };
        return;
      }
      const border = borderAt(s, p.x, p.y);
      const move = border && grabBorder(border.note.key, border.side);
      if (move) {
        grip = { kind: 'border', move };
        return;
      }
      if (hearingAt(p)) return;
      if (p.note && !p.alt) {
        if (p.shift) choose(extend(selection, editTrackId, [p.note.key]));
        else if (p.ctrl) choose(toggle(selection, editTrackId, p.note.key));
        else if (!selection.notes.has(p.note.key)) choose(select(editTrackId, [p.note.key]));
        return;
      }
      grip = p.alt ? { kind: 'span' } : p.shift || p.ctrl ? { kind: 'band' } : { kind: 'add' };
    },

    drag(start, now): GestureMark | null {
      const s = now.scene;
      if (!s || !grip) return null;
      if (grip.kind === 'border') {
        grip.move(now.time);
        return { tag: { x: now.x + 14, y: now.y - 32, text: `${now.time.toFixed(3)} s` } };
      }
      if (grip.kind === 'span') {
        chooseSpan(start.time, now.time);
        return start.area === 'noises'
          ? null
          : { tag: { x: now.x + 14, y: now.y - 32, text: `${Math.abs(now.time - start.time).toFixed(2)} s` } };
      }
      const keys = notesIn(s.notes, s.view, s.layout, start, now).map(n => n.key);
      const band = { band: { x0: start.x, y0: start.y, x1: now.x, y1: now.y } };
      const { selection, editTrackId } = useSession.getState();
      const { start: from, end: to } = spanOf(start, now);
      const empty = !s.notes.some(n => n.to > from + 0.02 && n.from < to - 0.02);
      if (grip.kind === 'add' && empty && to - from > 0.04)
        return { ...band, tag: { x: now.x + 14, y: now.y - 32, text: `new note, ${(to - from).toFixed(2)} s` } };
      choose(start.shift ? extend(selection, editTrackId, keys) : select(editTrackId, keys));
      return band;
    },

    up(start, now, moved) {
      const s = now.scene;
      const held = grip;
      grip = null;
      if (!s) return;
      if (start.area === 'noises') {
        if (moved || held?.kind !== 'span') return;
        const noise = noiseAt(s, now.time);
        if (noise) chooseSpan(noise.start, noise.end);
        else choose(select(useSession.getState().editTrackId, []));
        return;
      }
      if (moved) {
        const { start: from, end: to } = spanOf(start, now);
        const empty = !s.notes.some(n => n.to > from + 0.02 && n.from < to - 0.02);
        if (held?.kind === 'add' && empty && to - from > 0.04) addNoteAt(from, to);
        return;
      }
      const hearing = hearingAt(start);
      if (hearing) return hearScopeAt(hearing.midi);
      const double = performance.now() - lastClick < DOUBLE_CLICK_MS;
      lastClick = performance.now();
      if (start.note && double) splitAt(start.time);
      else if (start.note) {
        if (!start.shift && !start.ctrl) choose(select(useSession.getState().editTrackId, [start.note.key]));
      } else if (held?.kind !== 'border') {
        choose(select(useSession.getState().editTrackId, []));
        seek(now.time);
      }
    },

    cancel() {
      grip = null;
    },
  };
}
