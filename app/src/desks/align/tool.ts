import { extend, select, selectSpan } from '@essim/core';
import { leafAt, mirrorAxes, offsetAt } from '../../field/draw/align';
import type { FieldPointer, FieldTool } from '../../field/Field';
import { leavesOf, moveWord, shownFollower, tieWord, toggleAsSung, type Leaf } from '../../store/aligning';
import { newId } from '../../store/ids';
import { choose, undo, useSession } from '../../store/session';
import { finishTie, nearestOnset } from './tying';
import { useAlign } from './state';

const ms = (s: number) => `${s > 0 ? '+' : s < 0 ? '−' : ''}${Math.abs(Math.round(s * 1000))} ms`;

/** Dragging at the Align desk: a leaf moves its word, a word dropped on the lead is tied there, Alt draws an as-sung stretch. */
export function alignTool(): FieldTool {
  let leaf: Leaf | null = null;
  let gesture = '';
  let mode: 'leaf' | 'tie' | 'span' | 'none' = 'none';

  /** The shown follower's syllable under a pointer, wherever it is shown. */
  const leafUnder = (p: FieldPointer): Leaf | null => {
    const shown = shownFollower(useSession.getState());
    if (!shown || !p.scene) return null;
    const all = leavesOf(useSession.getState(), shown.follower);
    if (p.area === 'offsets') {
      const found = leafAt(p.scene, p.x, p.y);
      return all.find(l => l.key === found?.key) ?? null;
    }
    if (p.area === 'mirror') return all.find(l => p.time >= l.start - 0.02 && p.time < l.end) ?? null;
    return all.find(l => l.key === p.note?.key) ?? null;
  };
  const onLead = (p: FieldPointer) => p.area === 'mirror' && !!p.scene && p.y < mirrorAxes(p.scene.layout).lead + 4;
  const meant = (p: FieldPointer, by: number, l: Leaf) => (l.now ?? 0) + by * (p.shift ? 0.2 : 1);

  return {
    areas: ['mirror', 'offsets'],
    down(p) {
      const shown = shownFollower(useSession.getState());
      mode = 'none';
      leaf = null;
      if (!shown) return;
      if (useAlign.getState().tying && onLead(p)) {
        const lead = nearestOnset(p.time);
        if (lead !== null) finishTie(lead);
        return;
      }
      if (p.alt) return void (mode = 'span');
      leaf = onLead(p) ? null : leafUnder(p);
      if (!leaf) return;
      gesture = `word ${newId()}`;
      mode = p.area === 'offsets' ? (leaf.now === null ? 'none' : 'leaf') : p.area === 'mirror' ? 'tie' : 'none';
      const { selection } = useSession.getState();
      const { id } = shown.follower;
      choose(p.shift ? extend(selection, id, [leaf.key]) : select(id, [leaf.key]));
    },
    drag(start, now) {
      const shown = shownFollower(useSession.getState());
      if (!shown || !now.scene) return null;
      if (mode === 'span')
        return {
          band: { x0: start.x, y0: now.scene.layout.offsets!.top, x1: now.x, y1: now.scene.layout.offsets!.bottom },
        };
      if (!leaf) return null;
      if (mode === 'tie') {
        const lead = onLead(now) ? nearestOnset(now.time) : null;
        useAlign.setState({ tying: lead === null ? null : { key: leaf.key, lead } });
        return {
          tag: { x: now.x + 12, y: now.y, text: lead === null ? 'drop it on the lead' : `tie “${leaf.word}” here` },
        };
      }
      if (mode !== 'leaf' || leaf.sung === null || leaf.now === null) return null;
      const { layout } = now.scene;
      const offset = meant(now, offsetAt(layout, now.y) - offsetAt(layout, start.y), leaf);
      moveWord(shown.follower, leaf, leaf.at - leaf.sung + offset, gesture);
      return { tag: { x: now.x + 14, y: now.y, text: `${leaf.word ? `“${leaf.word}” ` : ''}${ms(offset)}` } };
    },
    up(start, now, moved) {
      const shown = shownFollower(useSession.getState());
      if (!shown) return;
      if (mode === 'span' && moved) {
        const { follower } = shown;
        const [a, b] = [Math.min(start.time, now.time), Math.max(start.time, now.time)];
        const inside = leavesOf(useSession.getState(), follower).filter(l => l.start < b && l.end > a);
        choose(selectSpan(follower.id, a, b));
        // a stretch is meant as it is heard; what is kept is where that was sung
        if (inside.length)
          toggleAsSung(
            follower,
            Math.min(...inside.map(l => l.sungStart)) - 0.03,
            Math.max(...inside.map(l => l.sungEnd)) + 0.02,
          );
      }
      if (mode === 'tie' && moved && leaf && onLead(now)) {
        const lead = nearestOnset(now.time);
        useAlign.setState({ tying: null });
        if (lead !== null) void tieWord(shown.follower, leaf, lead);
      } else if (mode === 'tie' && moved) useAlign.setState({ tying: null });
    },
    cancel() {
      if (mode === 'leaf') undo();
      useAlign.setState({ tying: null });
      mode = 'none';
    },
    hover(p) {
      if (p.area === 'offsets') return leafUnder(p) ? 'ns-resize' : p.alt ? 'crosshair' : 'default';
      if (p.area === 'mirror')
        return onLead(p) ? (useAlign.getState().tying ? 'pointer' : 'default') : leafUnder(p) ? 'grab' : 'default';
      return 'default';
    },
  };
}
