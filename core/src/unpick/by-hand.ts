import { clamp, type Midi, type Seconds, type Span } from '../units';
import type { Candidate } from './unpick';

/** What was unpicked, put right by hand. Every list is a new one; what cannot be done gives the list as it was. */

type Notes = readonly Candidate[];

/** A note is not shorter than this. */
export const SHORTEST_BY_HAND: Seconds = 0.05;

const inOrder = (notes: Candidate[]): Candidate[] => notes.sort((a, b) => a.start - b.start || b.midi - a.midi);
const withNote = (notes: Notes, index: number, fields: Partial<Candidate>): Candidate[] =>
  notes.map((n, i) => (i === index ? { ...n, ...fields } : n));

/** Takes a note out, or in. */
export const toggled = (notes: Notes, index: number): Candidate[] =>
  withNote(notes, index, { is: notes[index].is === 'taken' ? 'weak' : 'taken' });

/** A note's own times and pitch; what is moved is taken. */
export function retimed(notes: Notes, index: number, { start, end, midi }: Partial<Span<Seconds> & { midi: Midi }>) {
  const was = notes[index];
  const latest = (end ?? was.end) - SHORTEST_BY_HAND;
  const from = start === undefined ? was.start : clamp(start, 0, Math.max(0, latest));
  const to = Math.max(from + SHORTEST_BY_HAND, end ?? was.end);
  return withNote(notes, index, { start: from, end: to, midi: clamp(midi ?? was.midi, 0, 127), is: 'taken' });
}

/** Sung anew at a moment: two notes of one pitch. */
export function parted(notes: Notes, index: number, at: Seconds): Notes {
  const n = notes[index];
  if (at < n.start + SHORTEST_BY_HAND || at > n.end - SHORTEST_BY_HAND) return notes;
  return inOrder([...withNote(notes, index, { end: at }), { ...n, start: at }]);
}

/** The note of the same line and pitch that comes next, if it comes soon. */
export function nextAlike(notes: Notes, index: number): number | null {
  const n = notes[index];
  let best: number | null = null;
  notes.forEach((o, i) => {
    if (i === index || o.line !== n.line || o.is !== n.is || Math.abs(o.midi - n.midi) > ALIKE) return;
    if (o.start < n.start || o.start - n.end > SOON) return;
    if (best === null || o.start < notes[best].start) best = i;
  });
  return best;
}
const ALIKE = 0.8;
const SOON: Seconds = 1;

/** One with the next of its line and pitch, the gap sung through. */
export function joined(notes: Notes, index: number): Notes {
  const next = nextAlike(notes, index);
  if (next === null) return notes;
  const [n, o] = [notes[index], notes[next]];
  const [a, b] = [n.end - n.start, o.end - o.start];
  const midi = (a * n.midi + b * o.midi) / (a + b);
  const one = { ...n, end: Math.max(n.end, o.end), midi, strength: Math.max(n.strength, o.strength) };
  return inOrder(notes.flatMap((q, i) => (i === next ? [] : [i === index ? one : q])));
}

/** A note that was not found, of the line nearest in pitch thereabouts. */
export function added(notes: Notes, note: Span<Seconds> & { midi: Midi }): Candidate[] {
  const taken = notes.filter(n => n.is === 'taken');
  const far = (n: Candidate) => Math.abs(n.midi - note.midi) + 2 * Math.max(0, n.start - note.end, note.start - n.end);
  const free = taken.filter(
    n => !taken.some(o => o.line === n.line && o.start < note.end - 0.05 && o.end > note.start + 0.05),
  );
  const near = (free.length ? free : taken).reduce<Candidate | null>((m, n) => (!m || far(n) < far(m) ? n : m), null);
  return inOrder([...notes, { ...note, strength: 1, line: near?.line ?? 0, is: 'taken' }]);
}

/** Another singer's note. */
export const ofLine = (notes: Notes, index: number, line: number): Candidate[] =>
  withNote(notes, index, { line, is: 'taken' });
