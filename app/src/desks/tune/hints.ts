import {
  counted,
  hintsOf,
  nearestStep,
  noteName,
  select,
  type Hint,
  type HintKind,
  wholeNote,
  type Midi,
} from '@essim/core';
import { toast } from 'sonner';
import {
  act,
  choose,
  editTrackOf,
  editViewOf,
  giveUp,
  goToMoment,
  keyAt,
  playStretch,
  scaleAtOf,
  scoreOf,
  stopStretch,
  useSession,
  type SessionState,
} from '../../open-song';
import { fade, font, type Pen } from '../../field/draw/shapes';
import type { Scene, SceneNote } from '../../field/scene';
import { handle, type FieldPointer } from '../../field/tool';
import { RAIL_HALF, xOf, yOf } from '../../field/viewport';

/** What may be wrong with the edited track's notes: marked in the field, stepped through, heard and taken by pointing. */

let last: { of: unknown[]; hints: Hint[] } = { of: [], hints: [] };

/** Hints of the edited track that were not dismissed; while a gesture goes on, those from before it. */
export function hintsNow(s: SessionState): Hint[] {
  if (s.draft) return last.hints;
  const track = editTrackOf(s);
  const of = [s.history?.song, s.editTrackId, s.views, s.backing];
  if (of.every((v, i) => v === last.of[i])) return last.hints;
  const ready = track && editViewOf(s).status === 'ready';
  last = { of, hints: ready ? hintsOf(scoreOf(s), track).filter(h => !h.looked) : [] };
  return last.hints;
}

/** What a hint says, in words. */
export function hintText({ kind, against }: Hint): string {
  const texts: Record<HintKind, string> = {
    semitone: 'probably meant for another step',
    octave: 'an octave from what is around it',
    outside: 'outside the key',
    halfway: 'between two steps',
    'clash-chord': `rubs against ${against ?? 'the chord'}`,
    'clash-track': `rubs against ${against ?? 'another track'}`,
  };
  return texts[kind];
}

const chosenKeys = (s: SessionState) => (s.selection.trackId === s.editTrackId ? s.selection.notes : new Set<string>());

/** Hints of the chosen notes. */
export const chosenHints = (s: SessionState): Hint[] => {
  const keys = chosenKeys(s);
  return keys.size ? hintsNow(s).filter(h => keys.has(h.noteKey)) : [];
};

/** Chooses the note of the hint after or before the chosen one. */
export function stepHint(by: 1 | -1): void {
  const s = useSession.getState();
  const hints = hintsNow(s);
  if (!hints.length) return void toast('No hints: nothing here looks wrong.', { id: 'hints', duration: 2000 });
  const keys = [...new Set(hints.map(h => h.noteKey))];
  const chosen = chosenKeys(s);
  const at = keys.findIndex(k => chosen.has(k));
  const { notes } = editViewOf(s);
  const start = notes.find(n => chosen.has(n.key))?.start ?? s.view.from;
  const startOf = (key: string) => notes.find(n => n.key === key)?.start ?? 0;
  const next =
    at >= 0
      ? keys[(at + by + keys.length) % keys.length]
      : ((by > 0 ? keys.find(k => startOf(k) > start) : keys.findLast(k => startOf(k) < start)) ?? keys[0]);
  choose(select(s.editTrackId, [next]));
  goToMoment(startOf(next));
}

const partsOf = (hint: Hint) =>
  editViewOf(useSession.getState())
    .notes.filter(n => n.key === hint.noteKey)
    .map(wholeNote);

/** Puts a note where a hint says it may belong. */
export const takeHint = (hint: Hint, pitch: Midi): boolean => {
  stopTrying();
  return act('place', { pitch }, { parts: partsOf(hint) });
};

/** Takes the likeliest of the chosen notes' hints. */
export function takeFirst(): void {
  const [first] = chosenHints(useSession.getState());
  if (first) takeHint(first, first.alternatives[0]);
  else toast('Take a hint: choose a note that has one first.', { id: 'refused' });
}

export const dismissChosen = (): boolean => act('dismiss-hints');

/** Before and after a note, when it is heard where it may belong, s. */
const BEFORE = 0.9;
const AFTER = 0.5;
let trying: string | null = null;

/** Sounds a note in its place as if the hint were taken; nothing is changed. */
export function tryHint(hint: Hint, pitch: Midi): void {
  const name = `${hint.noteKey} ${pitch}`;
  if (trying === name) return;
  stopTrying();
  trying = name;
  act('place', { pitch }, { held: true, parts: partsOf(hint) });
  if (!useSession.getState().playing) void playStretch(Math.max(0, hint.start - BEFORE), hint.end + AFTER);
}

export function stopTrying(): void {
  if (trying === null) return;
  trying = null;
  giveUp();
  stopStretch();
}

// ---- in the field

const WIDTH = 64;
const HALF = RAIL_HALF - 2;

interface Offer {
  hint: Hint;
  pitch: Midi;
}

const OWN_RAIL = 0.3;
const railOf = (hint: Hint, target: Midi | undefined, s: SessionState): Midi =>
  target ?? nearestStep(scaleAtOf(s)(hint.start), hint.now * 100) / 100;

/** The small rails of the chosen notes' hints, where they lie. */
function offers(s: SessionState): (Offer & { from: number; to: number })[] {
  const out: (Offer & { from: number; to: number })[] = [];
  const { edits } = editViewOf(s);
  for (const hint of chosenHints(s))
    for (const pitch of hint.alternatives)
      // on its own rail it would be in the way of the note
      if (
        Math.abs(pitch - railOf(hint, edits[hint.noteKey]?.target, s)) > OWN_RAIL &&
        !out.some(o => o.hint.noteKey === hint.noteKey && Math.abs(o.pitch - pitch) < 0.01)
      )
        out.push({ hint, pitch, from: hint.start, to: hint.end });
  return out;
}

/** Marks of hints over their notes. */
export function drawHints(pen: Pen, { view, layout, palette }: Scene, visible: readonly SceneNote[]): void {
  const s = useSession.getState();
  const hinted = new Set(hintsNow(s).map(h => h.noteKey));
  for (const n of visible) {
    if (!hinted.has(n.key)) continue;
    const [x, y] = [xOf(view, layout, n.from) + 1, yOf(view, layout, n.rail) - RAIL_HALF - 5];
    pen.beginPath();
    pen.moveTo(x, y - 6);
    pen.lineTo(x + 6, y);
    pen.lineTo(x, y + 6);
    pen.lineTo(x - 6, y);
    pen.closePath();
    pen.fillStyle = palette.amberSoft;
    pen.fill();
    pen.strokeStyle = palette.amber;
    pen.lineWidth = 1.3;
    pen.stroke();
  }
}

/** Where the chosen notes' hints could go, under the lines. */
export function drawOffers(pen: Pen, { view, layout, palette }: Scene): void {
  const s = useSession.getState();
  pen.font = font(10.5, 700);
  pen.textBaseline = 'middle';
  pen.textAlign = 'left';
  for (const { pitch, from, to } of offers(s)) {
    const x = xOf(view, layout, from);
    const w = Math.max(WIDTH, xOf(view, layout, to) - x);
    const y = yOf(view, layout, pitch);
    pen.fillStyle = fade(palette.amberSoft, 0.9);
    pen.fillRect(x, y - HALF, w, 2 * HALF);
    pen.strokeStyle = palette.amber;
    pen.setLineDash([4, 3]);
    pen.strokeRect(x + 0.5, y - HALF + 0.5, w - 1, 2 * HALF - 1);
    pen.setLineDash([]);
    pen.fillStyle = palette.amber;
    pen.fillText(noteName(pitch, keyAt(s, from)), x + 5, y + 0.5);
  }
}

function offerAt(p: FieldPointer): Offer | null {
  if (p.area !== 'field' || !p.scene) return null;
  const { view, layout } = p.scene;
  return (
    offers(useSession.getState()).find(o => {
      const x = xOf(view, layout, o.from);
      const w = Math.max(WIDTH, xOf(view, layout, o.to) - x);
      return p.x >= x && p.x <= x + w && Math.abs(p.y - yOf(view, layout, o.pitch)) <= HALF;
    }) ?? null
  );
}

/** Pointing at a small rail sounds it in its place. */
export function overHints(p: FieldPointer | null): void {
  const offer = p && offerAt(p);
  if (offer) tryHint(offer.hint, offer.pitch);
  else stopTrying();
}

export const hintHandle = handle<Offer>({
  hit: offerAt,
  cursor: () => 'pointer',
  click: (_, { hint, pitch }) => takeHint(hint, pitch),
});

/** "3 hints" */
export const hintCount = (n: number): string => counted(n, 'hint');
