import { counted, hintsOf, nearestStep, select, type Hint, type HintKind, wholeNote, type Midi } from '@essim/core';
import { toast } from 'sonner';
import {
  act,
  choose,
  editTrackOf,
  editViewOf,
  goToMoment,
  keyAt,
  scaleAtOf,
  scoreOf,
  useSession,
  type SessionState,
} from '../../open-song';
import { stopTrying, tryOut } from '../../commands/trying';
import { drawRailOffers, offerAt, type RailOffer } from '../../field/draw/offers';
import type { Pen } from '../../field/draw/shapes';
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

/** Sounds a note in its place as if the hint were taken; nothing is changed. */
export const tryHint = (hint: Hint, pitch: Midi): void =>
  tryOut(`${hint.noteKey} ${pitch}`, () => void act('place', { pitch }, { held: true, parts: partsOf(hint) }), hint);

// ---- in the field

interface Offer extends RailOffer {
  hint: Hint;
}

const OWN_RAIL = 0.3;
const railOf = (hint: Hint, target: Midi | undefined, s: SessionState): Midi =>
  target ?? nearestStep(scaleAtOf(s)(hint.start), hint.now * 100) / 100;

/** The small rails of the chosen notes' hints, where they lie. */
function offers(s: SessionState): Offer[] {
  const out: Offer[] = [];
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
  // all in one go: a long song has hundreds
  pen.beginPath();
  for (const n of visible) {
    if (!hinted.has(n.key)) continue;
    const [x, y] = [xOf(view, layout, n.from) - 6, yOf(view, layout, n.rail) - RAIL_HALF - 5];
    pen.moveTo(x, y - 6);
    pen.lineTo(x + 6, y);
    pen.lineTo(x, y + 6);
    pen.lineTo(x - 6, y);
    pen.closePath();
  }
  pen.fillStyle = palette.amberSoft;
  pen.fill();
  pen.strokeStyle = palette.amber;
  pen.lineWidth = 1.3;
  pen.stroke();
}

/** Where the chosen notes' hints could go, under the lines. */
export function drawOffers(pen: Pen, scene: Scene): void {
  const s = useSession.getState();
  drawRailOffers(pen, scene, offers(s), 'amber', 'amberSoft', t => keyAt(s, t));
}

const hintOffer = (p: FieldPointer): Offer | null =>
  p.area === 'field' && p.scene ? offerAt(p.scene, offers(useSession.getState()), p.x, p.y) : null;

/** Pointing at a small rail sounds it in its place. */
export function overHints(p: FieldPointer | null): void {
  const offer = p && hintOffer(p);
  if (offer) tryHint(offer.hint, offer.pitch);
  else stopTrying();
}

export const hintHandle = handle<Offer>({
  hit: hintOffer,
  cursor: () => 'pointer',
  click: (_, { hint, pitch }) => takeHint(hint, pitch),
});

/** "3 hints" */
export const hintCount = (n: number): string => counted(n, 'hint');
