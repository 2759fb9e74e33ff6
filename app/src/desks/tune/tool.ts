import { extend, noteName, select, toggle, type LiveWish } from '@essim/core';
import type { FieldPointer, FieldTool } from '../../field/Field';
import { notesIn } from '../../field/hit';
import type { GestureMark } from '../../field/draw/overlay';
import {
  choose,
  chooseSpan,
  clientOf,
  editTakeAt,
  editViewOf,
  keyAt,
  player,
  preview,
  seek,
  useSession,
} from '../../store/session';
import { commitMove, moved, targets, type Snap } from './edits';

/** Padding of a note that is sounded while it is dragged, s. */
const BEFORE = 0.03;
const AFTER = 0.06;
/** With Shift a drag moves this much of the way. */
const FINE = 0.1;

/** What the pointer does at the Tune desk: choose notes, drag them up and down, draw a rubber band. */
export function tuneTool(): FieldTool {
  let pending: (() => void) | null = null;
  let sung: { key: string; move: (wish: LiveWish) => void } | null = null;

  const band = (a: FieldPointer, b: FieldPointer): GestureMark => {
    const s = b.scene;
    const session = useSession.getState();
    if (s) {
      const keys = notesIn(s.notes, s.view, s.layout, a, b).map(n => n.key);
      choose(a.shift ? extend(session.selection, session.editTrackId, keys) : select(session.editTrackId, keys));
    }
    return { band: { x0: a.x, y0: a.y, x1: b.x, y1: b.y } };
  };

  const stretch = (a: FieldPointer, b: FieldPointer): GestureMark => {
    const { span } = chooseSpan(a.time, b.time);
    return { tag: { x: b.x + 14, y: b.y - 32, text: `${(span.end - span.start).toFixed(2)} s` } };
  };

  /** Lets the dragged note be sung at its new pitch, while nothing else plays. */
  const singNote = (key: string, target: number, rail: number) => {
    const p = player();
    const wish = { offsetCents: (target - rail) * 100, formantCents: 0, levelDb: 0 };
    if (!p || p.playing) return;
    if (sung) return sung.key === key ? sung.move(wish) : undefined;
    const session = useSession.getState();
    const at = editTakeAt(session, key);
    const client = at && clientOf(at.take.id);
    if (!at || !client) return;
    const from = Math.max(0, Math.round((at.start - BEFORE) * p.sampleRate));
    const to = Math.round((at.end + AFTER) * p.sampleRate);
    let latest = wish;
    let begun = false;
    const mine = {
      key,
      move: (w: typeof wish) => {
        latest = w;
        if (begun) p.moveSung(w);
      },
    };
    sung = mine;
    void client
      .live(at.edits(editViewOf(session).edits), from, to)
      .then(note => {
        // the drag may be over by now
        if (sung !== mine) return;
        begun = true;
        return p.sing(note, latest);
      })
      .catch(() => {});
  };
  const endSinging = () => {
    sung = null;
    player()?.endSinging();
  };

  return {
    down(p) {
      const { selection, editTrackId } = useSession.getState();
      if (!p.note) return;
      if (p.shift) choose(extend(selection, editTrackId, [p.note.key]));
      else if (p.ctrl) choose(toggle(selection, editTrackId, p.note.key));
      else if (!selection.notes.has(p.note.key)) choose(select(editTrackId, [p.note.key]));
    },

    drag(start, now) {
      if (!start.note) return start.alt ? stretch(start, now) : band(start, now);
      const session = useSession.getState();
      const list = targets(session, [...session.selection.notes]);
      const snap: Snap = now.alt || now.shift ? 'free' : now.ctrl ? 'semitone' : 'key';
      const by = (now.pitch - start.pitch) * (now.shift ? FINE : 1);
      const edits = moved(session, list, by, snap);
      pending = () => commitMove(list, by, snap);
      preview(edits);
      const target = edits[start.note.key]?.target ?? start.note.rail;
      singNote(start.note.key, target, start.note.rail);
      const key = keyAt(session, start.note.from);
      const cents = Math.round((target - Math.round(target)) * 100);
      const change = Math.round((target - start.note.sung) * 100);
      const text = `${noteName(target, key)}${cents ? ` ${cents > 0 ? '+' : '−'}${Math.abs(cents)} cents` : ''}   ${change >= 0 ? '+' : '−'}${Math.abs(change)} cents from sung`;
      return { tag: { x: now.x + 16, y: now.y - 30, text } };
    },

    up(start, now, hasMoved) {
      if (hasMoved && start.note) pending?.();
      if (!hasMoved && !start.note) {
        choose(select(useSession.getState().editTrackId, []));
        seek(now.time);
      } else if (!hasMoved && start.note && !start.shift && !start.ctrl)
        choose(select(useSession.getState().editTrackId, [start.note.key]));
      pending = null;
      endSinging();
    },

    cancel() {
      pending = null;
      endSinging();
      preview(null);
    },
  };
}
