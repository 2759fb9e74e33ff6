import { pointAt } from '../../commands/corrections';
import { extend, select, selectSpan, type Track } from '@essim/core';
import {
  chosenLeaves,
  leavesOf,
  moveWords,
  shownFollower,
  tieWords,
  toggleAsSung,
  type Leaf,
} from '../../commands/aligning';
import { pressNothing, noteHandle, groundHandle } from '../../field/choosing';

import { handle, type Drag, type FieldPointer, type FieldTool } from '../../field/tool';
import { choose, drop, giveUp, useSession } from '../../open-song';
import { mirrorAxes, offsetAt, offsetsOf } from '../../field/draw/mirror';
import { leafAt } from './draw';
import { fanHandle } from './fan';
import { finishTie, nearestOnset } from './tying';
import { useAlign } from './state';

const ms = (s: number) => `${s > 0 ? '+' : s < 0 ? '−' : ''}${Math.abs(Math.round(s * 1000))} ms`;
const state = useSession.getState;
/** With Shift a leaf is moved this much of the way. */
const FINE = 0.2;

const shown = () => shownFollower(state());
const onLead = (p: FieldPointer) => p.area === 'mirror' && !!p.scene && p.y < mirrorAxes(p.scene.layout).lead + 4;
const inLanes = (p: FieldPointer) => p.area === 'mirror' || p.area === 'offsets';

interface Held {
  follower: Track;
  leaf: Leaf;
}

/** The shown follower's syllable under a pointer, in the lane or the mirror. */
function leafUnder(p: FieldPointer): Held | null {
  const follower = shown()?.follower;
  if (!follower || !p.scene || !inLanes(p) || onLead(p)) return null;
  const all = leavesOf(state(), follower);
  const leaf =
    p.area === 'offsets' ? leafAt(all, p.scene, p.x, p.y) : all.find(l => p.time >= l.start - 0.02 && p.time < l.end);
  return leaf ? { follower, leaf } : null;
}

/** Moves a word while its leaf is held, and with it the others that are chosen. */
function dragLeaf(start: FieldPointer, { follower, leaf }: Held): Drag | null {
  const { now: at } = leaf;
  if (leaf.sung === null || at === null) return null;
  const chosen = chosenLeaves(state()).filter(l => l.sung !== null && l.now !== null);
  const list = chosen.some(l => l.key === leaf.key) ? chosen : [leaf];
  return {
    move(now) {
      const { layout } = now.scene!;
      const by = (offsetAt(layout, now.y) - offsetAt(layout, start.y)) * (now.shift ? FINE : 1);
      moveWords(
        follower,
        list.map(l => ({ leaf: l, to: l.at - l.sung! + l.now! + by })),
        { held: true },
      );
      const what = list.length > 1 ? `${list.length} syllables, ` : leaf.word ? `“${leaf.word}” ` : '';
      return { tag: { x: now.x + 14, y: now.y, text: `${what}${ms(at + by)}` } };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

/** Carries a word up to the lead's; dropped on it, it is tied there. */
function dragToLead({ follower, leaf }: Held): Drag {
  const leadUnder = (p: FieldPointer) => (onLead(p) ? nearestOnset(p.time) : null);
  const letGo = () => useAlign.setState({ tying: null });
  return {
    move(now) {
      const lead = leadUnder(now);
      useAlign.setState({ tying: lead === null ? null : { key: leaf.key, lead } });
      const text = lead === null ? 'drop it on the lead' : `tie “${leaf.word}” here`;
      return { tag: { x: now.x + 12, y: now.y, text } };
    },
    drop(now) {
      const lead = leadUnder(now);
      letGo();
      if (lead !== null) void tieWords(follower, [{ leaf, heard: lead }]);
    },
    cancel: letGo,
  };
}

/** A stretch drawn with Alt is left as sung, whole syllables of it; drawn again it follows. */
function dragAsSung(start: FieldPointer, follower: Track): Drag {
  return {
    move(now) {
      const lane = offsetsOf(now.scene!.layout);
      return { band: { x0: start.x, y0: lane.top, x1: now.x, y1: lane.bottom } };
    },
    drop(now) {
      const [a, b] = [Math.min(start.time, now.time), Math.max(start.time, now.time)];
      const inside = leavesOf(state(), follower).filter(l => l.start < b && l.end > a);
      choose(selectSpan(follower.id, a, b));
      // a stretch is meant as it is heard; what is kept is where that was sung
      if (inside.length)
        toggleAsSung(
          follower,
          Math.max(0, Math.min(...inside.map(l => l.sungStart)) - 0.03),
          Math.max(...inside.map(l => l.sungEnd)) + 0.02,
        );
    },
    cancel() {},
  };
}

/** Dragging at the Align desk: a leaf moves its word, a word dropped on the lead is tied there, Alt draws an as-sung stretch. */
export const alignTool: FieldTool = {
  over: pointAt,
  handles: [
    fanHandle,
    handle<number>({
      hit: p => (useAlign.getState().tying && onLead(p) ? nearestOnset(p.time) : null),
      cursor: () => 'pointer',
      press: (_, lead) => finishTie(lead),
    }),
    handle<Track>({
      hit: p => (p.alt && inLanes(p) ? (shown()?.follower ?? null) : null),
      cursor: () => 'crosshair',
      grab: dragAsSung,
    }),
    handle<Held>({
      hit: leafUnder,
      cursor: p => (p.area === 'offsets' ? 'ns-resize' : 'grab'),
      press(p, { follower, leaf }) {
        const { selection } = state();
        const chosen = selection.trackId === follower.id && selection.notes.has(leaf.key);
        if (p.shift || p.ctrl) choose(extend(selection, follower.id, [leaf.key]));
        // of several the one that is taken hold of leads the others
        else if (!chosen) choose(select(follower.id, [leaf.key]));
      },
      click(p, { follower, leaf }) {
        if (!p.shift && !p.ctrl) choose(select(follower.id, [leaf.key]));
      },
      grab: (p, held) => (p.area === 'offsets' ? dragLeaf(p, held) : dragToLead(held)),
    }),
    noteHandle(),
    groundHandle,
    handle<true>({ hit: p => (inLanes(p) ? true : null), click: pressNothing }),
  ],
};
