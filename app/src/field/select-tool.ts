import { extend, nothing, select, selectSpan } from '@essim/core';
import { choose, seek, useSession } from '../store/session';
import type { FieldTool } from './Field';
import { notesIn } from './hit';

/** The pointer where notes are only chosen: a click, a frame, with Alt a stretch. */
export function selectTool(): FieldTool {
  return {
    down(p) {
      const { selection, editTrackId } = useSession.getState();
      if (p.note) choose(p.shift ? extend(selection, editTrackId, [p.note.key]) : select(editTrackId, [p.note.key]));
    },
    drag(start, now) {
      if (start.note) return null;
      const { layout } = now.scene!;
      const band = { x0: start.x, y0: start.y, x1: now.x, y1: now.y };
      return { band: start.alt ? { ...band, y0: layout.field.top, y1: layout.field.bottom } : band };
    },
    up(start, now, moved) {
      const { selection, editTrackId } = useSession.getState();
      if (!now.scene || start.note) return;
      if (!moved) {
        choose(nothing);
        return seek(start.time);
      }
      if (start.alt)
        return choose(selectSpan(editTrackId, Math.min(start.time, now.time), Math.max(start.time, now.time)));
      const keys = notesIn(now.scene.notes, now.scene.view, now.scene.layout, start, now).map(n => n.key);
      choose(start.shift ? extend(selection, editTrackId, keys) : select(editTrackId, keys));
    },
    cancel() {},
  };
}
