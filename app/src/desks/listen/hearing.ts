import { toneOf, type Hearing, type Selection, type Span, type TrackView } from '@essim/core';
import { hearingsOf } from '../../commands/corrections';
import { currentScope, editViewOf, player, type SessionState } from '../../open-song';

/** More would be a thicket. */
const MOST_NOTES = 6;

let last: { view: TrackView; selection: Selection; found: (Hearing & Span)[] } | null = null;
/**
 * How the chosen notes, or the parts a span holds of them, can be heard, each with its stretch; nothing for more than a few notes. Worked
 * out once for what is read and chosen: the pointer asks wherever it goes.
 */
export function chosenHearings(s: SessionState): (Hearing & Span)[] {
  const view = editViewOf(s);
  if (last?.view !== view || last.selection !== s.selection)
    last = { view, selection: s.selection, found: foundHearings(s) };
  return last.found;
}

function foundHearings(s: SessionState): (Hearing & Span)[] {
  const { reading } = editViewOf(s);
  const { kind, parts } = currentScope(s);
  if (!reading || (kind !== 'selection' && kind !== 'span') || parts.length > MOST_NOTES) return [];
  return parts.flatMap(({ start, end }) => hearingsOf({ start, end }, reading).map(h => ({ ...h, start, end })));
}

const LEAST_SHARE = 0.02;
/** Of these, the ones that are offered in the field: another pitch than is heard now, and likely enough. */
export const offeredHearings = (s: SessionState): (Hearing & Span)[] =>
  chosenHearings(s).filter(h => !h.now && h.share >= LEAST_SHARE);

/** Sounds a stretch of the line as a tone, moved so that its centre lies at a pitch. */
export function soundHearing(s: SessionState, span: Span, by: number): void {
  const p = player();
  const { reading } = editViewOf(s);
  if (!p || !reading) return;
  const a = Math.round(span.start / reading.hop);
  const z = Math.round(span.end / reading.hop);
  const f0 = reading.f0.slice(a, z).map(hz => hz * 2 ** (by / 12));
  const level = new Float32Array(f0.length).fill(-14);
  const tone = toneOf(f0, level, p.sampleRate, Math.round((z - a) * reading.hop * p.sampleRate));
  if (tone.length) void p.sound([tone]);
}
