import { noteName, wholeNote, type LiveSetting, type ScopePart } from '@essim/core';
import { pointAt } from '../../commands/corrections';
import { noteHandle, groundHandle } from '../../field/choosing';
import type { SceneNote } from '../../field/scene';
import { type Drag, type FieldPointer, type FieldTool } from '../../field/tool';
import { drop, editViewOf, giveUp, keyAt, liveSpan, player, useSession } from '../../open-song';
import { moveNotes, type Snap } from './edits';

/** Padding of a note that is sounded while it is dragged, s. */
const BEFORE = 0.03;
const AFTER = 0.06;
/** With Shift a drag moves this much of the way. */
const FINE = 0.1;
/** A drag that leaves the row it began in by less tunes nothing: sideways belongs to Time. px */
const LEAST_RISE = 4;

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
  const sung = new SungNote(note.key);
  let risen = false;
  return {
    move(now) {
      risen ||= Math.abs(now.y - start.y) >= LEAST_RISE;
      if (!risen || !parts.length) return null;
      const snap: Snap = now.alt || now.shift ? 'free' : now.ctrl ? 'semitone' : 'key';
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

/** What the pointer does at the Tune desk: notes are dragged up and down, the rest chooses. */
export const tuneTool: FieldTool = {
  over: pointAt,
  handles: [noteHandle({ cursor: () => 'ns-resize', grab: dragNotes }), groundHandle],
};
