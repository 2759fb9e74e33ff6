import { alongside, nearestStep, settle, stepFrom, wholeNote, type NoteEdit, type NoteFacts } from '@essim/core';
import { groupOf, runEdits, scaleAtOf, scopeByTrack, useSession, viewOf, type SessionState } from '../../store/session';

/** The tuning commands: each takes its notes from the scope and becomes one entry of the journal. */

const count = (n: number) => `${n} ${n === 1 ? 'note' : 'notes'}`;

export interface Target {
  trackId: string;
  note: NoteFacts;
  edit: NoteEdit | undefined;
}

/** Notes of a track by key, each with the edit it carries now. */
export function targets(s: SessionState, keys: readonly string[], trackId = s.editTrackId): Target[] {
  const { notes, edits } = viewOf(s, trackId);
  const wanted = new Set(keys);
  return notes.flatMap(note => (wanted.has(note.key) ? [{ trackId, note, edit: edits[note.key] }] : []));
}

/**
 * The notes a tuning command acts on now, of every track of the group. Of a note a span cuts through all is tuned, for a note has one
 * pitch to be at; but only when more than half of it lies inside.
 */
export function inScope(s = useSession.getState()): Target[] {
  return scopeByTrack(s).flatMap(({ track, parts }) => {
    const meant = parts.filter(p => p.mostly).map(p => p.key);
    return targets(s, meant, track.id);
  });
}

/** What the other tracks of the group take along when notes of the edited one are moved. */
function alongsideTargets(s: SessionState, list: readonly Target[]): Target[] {
  const parts = list.map(({ note }) => wholeNote(note));
  return groupOf(s).flatMap(track =>
    targets(
      s,
      alongside(parts, viewOf(s, track.id).notes).map(p => p.key),
      track.id,
    ),
  );
}

const whole = (t: Target): NoteEdit => ({ ...t.edit, start: t.note.start, end: t.note.end });

function commit(label: string, edits: Record<string, NoteEdit | null>, gesture: string | null = null): void {
  if (Object.keys(edits).length) runEdits(label, edits, gesture);
}

/** Puts the notes in scope on the nearest allowed step; pinned ones stay. */
export function settleScope(): void {
  const s = useSession.getState();
  const list = inScope();
  const edits = Object.fromEntries(list.flatMap(t => (t.edit ? [[t.note.key, t.edit]] : [])));
  const settled = settle(
    list.map(t => t.note),
    edits,
    scaleAtOf(s),
  );
  commit(`Settle ${count(Object.keys(settled).length)}`, settled);
}

/** Takes every edit off the notes in scope; they sound as sung. */
export function asSungScope(): void {
  const list = inScope().filter(t => t.edit);
  commit(`As sung: ${count(list.length)}`, Object.fromEntries(list.map(t => [t.note.key, null])));
}

export type Snap = 'key' | 'semitone' | 'free';

/** Edits that move notes by an interval from where they are meant to be, snapped. Moved by hand, so pinned. */
export function moved(s: SessionState, list: Target[], semitones: number, snap: Snap): Record<string, NoteEdit> {
  const scaleAt = scaleAtOf(s);
  return Object.fromEntries(
    list.map(t => {
      const from = t.edit?.target ?? t.note.sung;
      const at = (from + semitones) * 100;
      const target =
        snap === 'free'
          ? at / 100
          : snap === 'semitone'
            ? Math.round(at / 100)
            : nearestStep(scaleAt(t.note.start), at) / 100;
      return [t.note.key, { ...whole(t), target, pinned: true }];
    }),
  );
}

/** Moves notes of the edited track, and what lies alongside them in the group, as one entry. */
export function commitMove(list: Target[], semitones: number, snap: Snap): void {
  const s = useSession.getState();
  const edits = moved(s, [...list, ...alongsideTargets(s, list)], semitones, snap);
  commit(`Move ${count(Object.keys(edits).length)}`, edits);
}

/** Moves the scope by a step of the key, a semitone, or five cents. */
export function nudge(by: 1 | -1, size: 'step' | 'semitone' | 'fine'): void {
  const scaleAt = scaleAtOf(useSession.getState());
  const list = inScope();
  const edits = Object.fromEntries(
    list.map(t => {
      const from = t.edit?.target ?? t.note.sung;
      const target =
        size === 'step'
          ? stepFrom(scaleAt(t.note.start), from * 100, by) / 100
          : size === 'semitone'
            ? Math.round(from) + by
            : Math.round((from + by * 0.05) * 1000) / 1000;
      return [t.note.key, { ...whole(t), target, pinned: true }];
    }),
  );
  commit(`Move ${count(list.length)} ${by > 0 ? 'up' : 'down'}`, edits, `nudge ${list.map(t => t.note.key).join()}`);
}

/** The six faders and what they mean when absent. */
export const FADERS = {
  glide: { name: 'Glide', group: 'Way in', low: 0, high: 400, rest: null, unit: ' ms', step: 5 },
  scoop: { name: 'Scoop', group: 'Way in', low: 0, high: 100, rest: 100, unit: ' %', step: 1 },
  aim: { name: 'Aim', group: 'Body', low: 0, high: 100, rest: 100, unit: ' %', step: 1 },
  wander: { name: 'Wander', group: 'Body', low: 0, high: 100, rest: 100, unit: ' %', step: 1 },
  vibrato: { name: 'Vibrato', group: 'Body', low: 0, high: 200, rest: 100, unit: ' %', step: 1 },
  fall: { name: 'Fall', group: 'Way out', low: 0, high: 100, rest: 100, unit: ' %', step: 1 },
} as const;
export type Fader = keyof typeof FADERS;

/** A fader's value on a note; Aim is 0 while the note has no target. Null: as sung. */
export function faderValue(t: Target, fader: Fader): number | null {
  if (fader === 'aim') return t.edit?.target === undefined ? 0 : (t.edit.aim ?? 100);
  return t.edit?.[fader] ?? FADERS[fader].rest;
}

/** Sets a fader on the notes in scope; moves of one gesture are one entry. Null goes back to as sung. */
export function setFader(fader: Fader, value: number | null, gesture: string): void {
  const s = useSession.getState();
  const scaleAt = scaleAtOf(s);
  const edits = Object.fromEntries(
    inScope().map(t => {
      const edit = whole(t);
      if (fader === 'aim') {
        edit.target ??= nearestStep(scaleAt(t.note.start), t.note.sung * 100) / 100;
        edit.aim = value ?? 0;
      } else if (value === null) delete edit[fader];
      else edit[fader] = value;
      return [t.note.key, edit];
    }),
  );
  commit(`${FADERS[fader].name} ${value === null ? 'as sung' : `${value}${FADERS[fader].unit}`}`, edits, gesture);
}

/** Pins or unpins the notes in scope. */
export function togglePin(): void {
  const list = inScope();
  const pin = !list.every(t => t.edit?.pinned);
  commit(
    `${pin ? 'Pin' : 'Unpin'} ${count(list.length)}`,
    Object.fromEntries(list.map(t => [t.note.key, { ...whole(t), pinned: pin }])),
  );
}
