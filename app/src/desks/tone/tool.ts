import { extend, select } from '@essim/core';
import { pointAt } from '../../commands/corrections';
import { groundHandle, noteHandle, pressNothing } from '../../field/choosing';
import { handle, type Drag, type FieldPointer, type FieldTool } from '../../field/tool';
import { choose, drop, giveUp, playStretch, useSession } from '../../open-song';
import { dbPerPixel, grips, hillAt, noiseAt, noiseDbPerPixel, type Grip } from './draw';
import { ALL_LEVELS, levelBy, setFade, setNoise } from './edits';
import { toneScene } from './scene';
import type { TonedNoise, TonedNote } from './tones';

const FINE = 0.2;
const state = useSession.getState;
const db = (v: number) => `${v > 0 ? '+' : v < 0 ? '−' : ''}${Math.abs(v).toFixed(1)} dB`;
const up = (start: FieldPointer, now: FieldPointer) => (start.y - now.y) * (now.shift ? FINE : 1);

/** Lifts a whole hill, or one grip of it. */
function dragLevel(start: FieldPointer, fields: readonly ('startDb' | 'middleDb' | 'endDb')[]): Drag {
  return {
    move(now) {
      const by = up(start, now) * dbPerPixel(now.scene!.layout);
      levelBy(by, fields, { held: true });
      return { tag: { x: now.x + 14, y: now.y, text: db(by) } };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

function dragFade(start: FieldPointer, { what, note }: Grip): Drag {
  const before = (what === 'fadeIn' ? note.edit?.fadeIn : note.edit?.fadeOut) ?? 0;
  return {
    move(now) {
      const moved = (now.time - start.time) * 1000 * (now.shift ? FINE : 1);
      const most = (note.end - note.start) * 1000;
      const ms = Math.round(Math.max(0, Math.min(most, before + (what === 'fadeIn' ? moved : -moved))));
      setFade(what === 'fadeIn' ? 'inMs' : 'outMs', ms, { held: true });
      return { tag: { x: now.x + 14, y: now.y, text: `fade ${what === 'fadeIn' ? 'in' : 'out'} ${ms} ms` } };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

function dragNoise(start: FieldPointer, n: TonedNoise): Drag {
  const before = n.nowDb - n.sungDb;
  return {
    move(now) {
      const by = before + up(start, now) * noiseDbPerPixel(now.scene!.layout);
      setNoise(n, by, { held: true });
      return { tag: { x: now.x + 14, y: now.y, text: `${n.kind} ${db(by)}` } };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

const gripAt = (p: FieldPointer): Grip | null =>
  p.area === 'hills' && p.scene
    ? (grips(p.scene, toneScene()).find(g => Math.hypot(g.x - p.x, g.y - p.y) < 9) ?? null)
    : null;

const pressed = (p: FieldPointer, { key }: TonedNote) => {
  const { selection, editTrackId } = state();
  if (p.shift) choose(extend(selection, editTrackId, [key]));
  else if (selection.trackId !== editTrackId || !selection.notes.has(key)) choose(select(editTrackId, [key]));
};

/** Dragging at the Tone desk: a hill is lifted, its grips tilt it, its shoulders fade it; a noise is as high as it is loud. */
export const toneTool: FieldTool = {
  over: pointAt,
  handles: [
    handle<Grip>({
      hit: gripAt,
      cursor: (_, { what }) => (what.startsWith('fade') ? 'ew-resize' : 'ns-resize'),
      grab: (p, g) => (g.what === 'fadeIn' || g.what === 'fadeOut' ? dragFade(p, g) : dragLevel(p, [g.what])),
    }),
    handle<TonedNote>({
      hit: p => (p.area === 'hills' && p.scene ? hillAt(p.scene, toneScene(), p.x, p.y) : null),
      cursor: () => 'ns-resize',
      press: pressed,
      grab: p => dragLevel(p, ALL_LEVELS),
    }),
    handle<TonedNoise>({
      hit: p => (p.area === 'sounds' && p.scene ? noiseAt(p.scene, toneScene(), p.x) : null),
      cursor: () => 'ns-resize',
      grab: dragNoise,
      click: (_, n) => void playStretch(Math.max(0, n.start - 0.3), n.end + 0.3),
    }),
    noteHandle(),
    groundHandle,
    handle<true>({
      hit: p => (['hills', 'sounds', 'grain'].includes(p.area) ? true : null),
      click: pressNothing,
    }),
  ],
};
