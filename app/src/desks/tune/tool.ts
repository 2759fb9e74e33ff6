import { clamp, noteName, rowsBetween, wholeNote, type LiveSetting, type ScopePart, type Selection } from '@essim/core';
import { pointAt } from '../../commands/corrections';
import { groundHandle, noteHandle, releaseNote } from '../../field/choosing';
import type { Scene, SceneNote } from '../../field/scene';
import { handle, type Drag, type FieldPointer, type FieldTool, type Handle } from '../../field/tool';
import { choose, drop, editViewOf, giveUp, keyAt, liveSpan, player, playRound, useSession } from '../../open-song';
import { ADDED_DETAILS, LINE_DETAILS, PLACE_DETAIL, setDetail, type Detail } from './details';
import { envelopeOf, glideOf, gripsOf, type Envelope } from './draw';
import { useDragging } from './dragging';
import { drawHandle } from './drawing';
import { guideHandles } from './guide';
import { hintHandle, overHints } from './hints';
import {
  FADERS,
  faderValue,
  inScope,
  moveNotes,
  placeScope,
  setFader,
  type Fader,
  type Snap,
  type Target,
} from './edits';

/** Padding of a note that is sounded while it is dragged, s. */
const BEFORE = 0.03;
const AFTER = 0.06;
/** With Shift a drag moves this much of the way. */
const FINE = 0.1;
/** A glide as long as singers make it, where it is as sung so far, ms. */
const USUAL_GLIDE_MS = 80;
/** A drag that leaves the row it began in by less tunes nothing: sideways belongs to Time. px */
const LEAST_RISE = 4;

/** What sounds while a note is dragged, until it is let go: the note alone, or its place in the song with what Hear says. */
function soundDragged(note: SceneNote): { move(cents: number): void; end(): void } {
  if (useDragging.getState().sound === 'note') return new SungNote(note.key);
  const end = playRound(Math.max(0, note.from - ROUND_BEFORE), note.to + ROUND_AFTER);
  return { move: () => {}, end };
}
/** What of the song is heard before and after a note that is dragged, s. */
const ROUND_BEFORE = 0.15;
const ROUND_AFTER = 0.25;

/** Sings a note on while it is dragged and nothing else plays. */
class SungNote {
  private latest: LiveSetting = { offsetCents: 0, formantCents: 0, levelDb: 0 };
  private begun = false;
  private ended = false;

  constructor(key: string) {
    const s = useSession.getState();
    const note = editViewOf(s).notes.find(n => n.key === key);
    const p = player();
    if (!note || !p || p.playing) return;
    const { place } = note;
    void liveSpan(s, note.takeId, place.toTake(note.start) - BEFORE, place.toTake(note.end) + AFTER).then(live => {
      // the drag may be over by now
      if (!live || this.ended) return;
      this.begun = true;
      return p.sing(live, this.latest);
    });
  }

  /** @param cents from where it was when the drag began */
  move(cents: number): void {
    this.latest = { ...this.latest, offsetCents: cents };
    if (this.begun) player()?.moveSung(this.latest);
  }

  end(): void {
    this.ended = true;
    if (this.begun) player()?.endSinging();
  }
}

const signed = (cents: number) => `${cents >= 0 ? '+' : '−'}${Math.abs(cents)} cents`;

/** Drags the chosen notes up and down: seen and heard at once, stored when they are let go. */
function dragNotes(start: FieldPointer, note: SceneNote): Drag {
  const s = useSession.getState();
  const chosen = editViewOf(s).notes.filter(n => s.selection.notes.has(n.key));
  const parts: ScopePart[] = chosen.map(wholeNote);
  const sung = soundDragged(note);
  let risen = false;
  return {
    move(now) {
      risen ||= Math.abs(now.y - start.y) >= LEAST_RISE;
      if (!risen || !parts.length) return null;
      const snap: Snap = now.alt || now.shift ? 'free' : now.ctrl ? 'semitone' : useDragging.getState().snap;
      moveNotes(parts, (now.pitch - start.pitch) * (now.shift ? FINE : 1), snap, { held: true });
      const target = editViewOf(useSession.getState()).edits[note.key]?.target ?? note.rail;
      sung.move((target - note.rail) * 100);
      const key = keyAt(useSession.getState(), note.from);
      const cents = Math.round((target - Math.round(target)) * 100);
      const change = Math.round((target - note.sung) * 100);
      const text = `${noteName(target, key)}${cents ? ` ${signed(cents)}` : ''}   ${signed(change)} from sung`;
      return { tag: { x: now.x + 16, y: now.y - 30, text } };
    },
    drop() {
      sung.end();
      drop();
    },
    cancel() {
      sung.end();
      giveUp();
    },
  };
}

/** The end of a chosen note: what leads into it is shaped at its start, what leads out of it at its end. */
interface Grip {
  note: SceneNote;
  side: 'in' | 'out';
}
const GRIP_X = 6;
const GRIP_Y = 10;

/** The grip under the pointer: the nearest where two notes meet. */
function gripAt({ area, scene, x, y }: FieldPointer): Grip | null {
  if (area !== 'field' || !scene) return null;
  const { view, layout } = scene;
  let best: Grip | null = null;
  let nearest = Infinity;
  for (const note of scene.notes) {
    const grips = gripsOf(note, view, layout);
    if (!grips) continue;
    const dy = Math.abs(y - grips.y);
    for (const side of ['in', 'out'] as const) {
      const dx = Math.abs(x - grips[side]);
      if (dx > GRIP_X || dy > GRIP_Y || dx + dy >= nearest) continue;
      [nearest, best] = [dx + dy, { note, side }];
    }
  }
  return best;
}

const PIXELS_A_STEP = 1.5;

/** What a grip shapes with a key held: Alt the first or last moment's pitch; Ctrl where correction begins, or the tilt. */
function detailOfGrip({ alt, ctrl }: FieldPointer, side: Grip['side']): Detail | null {
  const named = (name: string) => LINE_DETAILS.find(d => d.name === name)!;
  if (alt) return named(side === 'in' ? 'First' : 'Last');
  if (ctrl) return named(side === 'in' ? 'Begins' : 'Tilt');
  return null;
}

/** Drags a detail of what is chosen: a pitch up and down, a time sideways. */
function dragDetail(start: FieldPointer, target: Target, detail: Detail): Drag {
  const was = detail.of(target.edit) ?? 0;
  return {
    move(now) {
      const by = detail.unit === 'ms' ? (now.time - start.time) * 1000 : (now.pitch - start.pitch) * 100;
      const value = clamp(
        Math.round(was + by * (now.shift ? FINE : 1)),
        detail.leastTyped ?? detail.low,
        detail.mostTyped ?? detail.high,
      );
      setDetail(detail, value, { held: true });
      return {
        tag: { x: now.x + 14, y: now.y - 32, text: `${detail.name} ${value} ${detail.unit}`.replace('-', '−') },
      };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

/** Drags a grip: sideways at the start it is the glide, up and down the scoop, and at the end the fall; of all that is chosen. */
function dragGrip(start: FieldPointer, { note, side }: Grip): Drag | null {
  const target = inScope().find(t => t.note.key === note.key);
  if (!target) return null;
  const detail = detailOfGrip(start, side);
  if (detail) return dragDetail(start, target, detail);
  let fader: Fader | null = null;
  const valueAt = (now: FieldPointer, of: Fader): number => {
    const { low, high, step } = FADERS[of];
    const fine = now.shift ? FINE : 1;
    const was = faderValue(target, of) ?? USUAL_GLIDE_MS;
    const by = of === 'glide' ? (now.time - start.time) * 1000 : (now.y - start.y) / PIXELS_A_STEP;
    return clamp(Math.round((was + by * fine) / step) * step, low, high);
  };
  return {
    move(now) {
      fader ??= side === 'out' ? 'fall' : Math.abs(now.x - start.x) > Math.abs(now.y - start.y) ? 'glide' : 'scoop';
      const tag = (text: string) => ({ tag: { x: now.x + 14, y: now.y - 32, text } });
      if (fader === 'glide' && target.note.joined === false) return tag('no join, so no glide');
      const value = valueAt(now, fader);
      setFader(fader, value, { held: true });
      return tag(`${FADERS[fader].name} ${value} ${FADERS[fader].unit}`);
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

/** The note whose glide's handle is under the pointer. */
const glideAt = ({ area, scene, x, y }: FieldPointer): SceneNote | null =>
  (area === 'field' &&
    scene?.notes.find(n => {
      const at = glideOf(scene.notes, n, scene.view, scene.layout);
      return at && Math.hypot(x - at.x, y - at.y) <= GRIP_RADIUS;
    })) ||
  null;

/** Drags a glide sideways: it lies later or earlier. */
function dragGlide(start: FieldPointer, { key }: SceneNote): Drag | null {
  const target = inScope().find(t => t.note.key === key);
  return target ? dragDetail(start, target, PLACE_DETAIL) : null;
}

/** The three grips of an added vibrato's envelope. */
interface EnvelopeGrip {
  envelope: Envelope;
  grip: 'delayMs' | 'buildMs' | 'depthCents';
}
const GRIP_RADIUS = 8;

function envelopeGripAt({ area, scene, x, y }: FieldPointer): EnvelopeGrip | null {
  const envelope = area === 'field' && scene ? envelopeOf(scene.notes, scene.view, scene.layout) : null;
  if (!envelope) return null;
  const { begin, full, end, middle, top } = envelope;
  const places = [
    ['depthCents', end - 8, top],
    ['buildMs', full, top],
    ['delayMs', begin, middle],
  ] as const;
  const near = places.find(([, gx, gy]) => Math.hypot(x - gx, y - gy) <= GRIP_RADIUS);
  return near ? { envelope, grip: near[0] } : null;
}

function dragEnvelope(start: FieldPointer, { envelope: { note }, grip }: EnvelopeGrip): Drag | null {
  const added = note.edit?.added;
  if (!added) return null;
  const detail = ADDED_DETAILS.find(d => d.field === grip)!;
  return {
    move(now) {
      const by = grip === 'depthCents' ? (now.pitch - start.pitch) * 100 : (now.time - start.time) * 1000;
      const wanted = added[grip] + by * (now.shift ? FINE : 1);
      // a depth of nothing would take the vibrato off
      const least = grip === 'depthCents' ? 1 : 0;
      const value = clamp(Math.round(wanted), least, detail.mostTyped ?? detail.high);
      setDetail(detail, value, { held: true });
      return { tag: { x: now.x + 14, y: now.y - 32, text: `${detail.name} ${value} ${detail.unit}` } };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

/** A wheel over the envelope changes its rate. */
function turnRate(p: FieldPointer, by: number): boolean {
  const envelope = p.area === 'field' && p.scene ? envelopeOf(p.scene.notes, p.scene.view, p.scene.layout) : null;
  const inside = envelope && p.x >= envelope.begin && p.x <= envelope.end && Math.abs(p.y - envelope.middle) < 30;
  if (!inside || !envelope.note.edit?.added) return false;
  const rate = ADDED_DETAILS.find(d => d.field === 'rateHz')!;
  const value = clamp(Math.round((envelope.note.edit.added.rateHz - Math.sign(by) * rate.step) * 10) / 10, 2, 12);
  setDetail(rate, value, { kind: `wheel ${envelope.note.key}` });
  return true;
}

/** The row of the tuning a pitch lies in, MIDI. */
function rowAt({ keys, view }: Scene, pitch: number): number | null {
  const middle = (view.from + view.to) / 2;
  const { scale } = keys.findLast(k => k.from <= middle) ?? keys[0];
  return rowsBetween(scale, view.low - 2, view.high + 2).find(r => pitch >= r.low && pitch < r.high)?.at ?? null;
}

/** What a click between notes let go of, and where; a second click at once puts that on the row. */
let letGo: { selection: Selection; x: number; y: number; at: number } | null = null;
const DOUBLE_MS = 400;
const DOUBLE_PX = 6;

/** The field between notes: as everywhere, and a double-click puts what was chosen on its row. */
const rowHandle: Handle = {
  ...groundHandle,
  click(p, hit) {
    const { selection } = useSession.getState();
    const again =
      letGo && performance.now() - letGo.at < DOUBLE_MS && Math.hypot(p.x - letGo.x, p.y - letGo.y) < DOUBLE_PX;
    if (again && letGo!.selection.notes.size && p.scene) {
      const row = rowAt(p.scene, p.pitch);
      choose(letGo!.selection);
      letGo = null;
      if (row !== null) placeScope(row);
      return;
    }
    letGo = { selection, x: p.x, y: p.y, at: performance.now() };
    groundHandle.click?.(p, hit);
  },
};

/** What the pointer does at the Tune desk: notes are dragged up and down, their grips shape their ends, the rest chooses. */
export const tuneTool: FieldTool = {
  over(p) {
    pointAt(p);
    overHints(p);
  },
  wheel: turnRate,
  handles: [
    drawHandle,
    ...guideHandles,
    handle<EnvelopeGrip>({
      hit: envelopeGripAt,
      cursor: (_, { grip }) => (grip === 'depthCents' ? 'ns-resize' : 'ew-resize'),
      grab: dragEnvelope,
    }),
    handle<SceneNote>({
      hit: glideAt,
      cursor: () => 'ew-resize',
      grab: dragGlide,
      click: releaseNote,
    }),
    handle<Grip>({
      hit: gripAt,
      cursor: (_, { side }) => (side === 'in' ? 'move' : 'ns-resize'),
      grab: dragGrip,
      click: releaseNote,
    }),
    hintHandle,
    // a row of the ladder: what is chosen goes there
    handle<number>({
      hit: p => (p.area === 'ladder' && p.scene ? rowAt(p.scene, p.pitch) : null),
      cursor: () => 'pointer',
      click: (_, row) => {
        if (useSession.getState().selection.notes.size) placeScope(row);
      },
    }),
    noteHandle({ cursor: () => 'ns-resize', grab: dragNotes }),
    rowHandle,
  ],
};
