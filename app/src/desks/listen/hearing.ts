import { toneOf, type Hearing, type Span } from '@essim/core';
import { hearingsOf } from '../../store/corrections';
import { editViewOf, player, type SessionState } from '../../store/session';

/** How the chosen notes can be heard, each with its stretch; nothing for more than a few notes, which would be a thicket. */
const MOST_NOTES = 6;

export function chosenHearings(s: SessionState): (Hearing & Span)[] {
  const { notes, reading } = editViewOf(s);
  if (!reading || s.selection.trackId !== s.editTrackId) return [];
  const chosen = notes.filter(n => s.selection.notes.has(n.key));
  if (chosen.length > MOST_NOTES) return [];
  return chosen.flatMap(n => hearingsOf(n, reading).map(h => ({ ...h, start: n.start, end: n.end })));
}

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
