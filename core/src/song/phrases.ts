import { lastAtMost, middleOf, type Seconds, type Span } from '../units';
import type { PhraseMark, Remark } from './document';

/** A stretch sung in one breath, song time. */
export interface Phrase {
  id: string;
  start: Seconds;
  end: Seconds;
  name: string;
  checked: boolean;
  remarks: Remark[];
}

const REST: Seconds = 0.28;
/** A breath in a rest this long already parts two phrases. */
const BREATHING_REST: Seconds = 0.16;
const SHORTEST: Seconds = 0.6;

/**
 * Phrases from the rests between notes and the breaths in them; scraps shorter than 0.6 s join a near neighbour.
 * @param notes in time order of their starts; may overlap (several takes of one track together)
 * @param breaths in any order
 */
export function findPhrases(notes: readonly Span[], breaths: readonly Span[] = []): Phrase[] {
  const out: Span[] = [];
  for (const n of notes) {
    const last = out[out.length - 1];
    const rest = last ? n.start - last.end : Infinity;
    const breathed =
      !!last &&
      rest >= BREATHING_REST &&
      breaths.some(b => b.end > last.end - 0.05 && b.start < n.start + 0.05 && b.end - b.start > 0.08);
    if (last && rest < REST && !breathed) last.end = Math.max(last.end, n.end);
    else out.push({ start: n.start, end: n.end });
  }
  for (let i = 0; i < out.length;) {
    const p = out[i];
    const gapBefore = i ? p.start - out[i - 1].end : Infinity;
    const gapAfter = i + 1 < out.length ? out[i + 1].start - p.end : Infinity;
    if (p.end - p.start >= SHORTEST || Math.min(gapBefore, gapAfter) > 1.2) {
      i++;
      continue;
    }
    const into = gapBefore <= gapAfter ? i - 1 : i;
    out.splice(into, 2, { start: out[into].start, end: out[into + 1].end });
    i = Math.max(0, into);
  }
  return out.map(p => ({ id: `p${Math.round(p.start * 1000)}`, ...p, name: '', checked: false, remarks: [] }));
}

/** Half of a rest belongs to the phrase before it, the rest to the one after: where a comp joins. Never inside a phrase. */
export function joinBetween(before: Span, after: Span): Seconds {
  // closer to the next phrase, so that a breath goes with the phrase it feeds, but its own lead-in is left
  return Math.max(before.end, Math.min((before.end + after.start) / 2, after.start - 0.02));
}

/** The span a phrase takes when it is picked: to the joins on both sides; 0 and Infinity at the ends. */
export function phraseSpan(phrases: readonly Span[], index: number): { from: Seconds; to: Seconds } {
  const p = phrases[index];
  return {
    from: index ? joinBetween(phrases[index - 1], p) : 0,
    to: index + 1 < phrases.length ? joinBetween(p, phrases[index + 1]) : Infinity,
  };
}

const asMark = (p: Phrase): PhraseMark => ({ ...p });

/** Phrases with one border moved; it stays clear of the neighbours. */
export function movePhraseBorder(
  phrases: readonly Phrase[],
  index: number,
  side: 'start' | 'end',
  to: Seconds,
): PhraseMark[] {
  return phrases.map((p, i) => {
    if (i !== index) return asMark(p);
    const low = side === 'start' ? (phrases[i - 1]?.end ?? 0) : p.start + 0.05;
    const high = side === 'start' ? p.end - 0.05 : (phrases[i + 1]?.start ?? Infinity);
    return { ...asMark(p), [side]: Math.max(low, Math.min(high, to)) };
  });
}

/** Phrases with one cut in two at a moment inside it; unchanged when the moment lies outside. */
export function splitPhrase(phrases: readonly Phrase[], index: number, at: Seconds): PhraseMark[] {
  const p = phrases[index];
  if (!p || at <= p.start + 0.05 || at >= p.end - 0.05) return phrases.map(asMark);
  const second: PhraseMark = { ...asMark(p), id: `p${Math.round(at * 1000)}`, start: at, name: '', remarks: [] };
  return [
    ...phrases.slice(0, index).map(asMark),
    { ...asMark(p), end: at },
    second,
    ...phrases.slice(index + 1).map(asMark),
  ];
}

/** Phrases with one joined to the next. */
export function mergePhrases(phrases: readonly Phrase[], index: number): PhraseMark[] {
  const [p, q] = [phrases[index], phrases[index + 1]];
  if (!p || !q) return phrases.map(asMark);
  const merged = {
    ...asMark(p),
    end: q.end,
    name: [p.name, q.name].filter(Boolean).join(' '),
    checked: p.checked && q.checked,
    remarks: [...p.remarks, ...q.remarks],
  };
  return [...phrases.slice(0, index).map(asMark), merged, ...phrases.slice(index + 2).map(asMark)];
}

/** Phrases with some fields of one set. */
export const setPhrase = (
  phrases: readonly Phrase[],
  index: number,
  fields: Partial<Pick<PhraseMark, 'name' | 'checked' | 'remarks'>>,
): PhraseMark[] => phrases.map((p, i) => (i === index ? { ...asMark(p), ...fields } : asMark(p)));

/** Which phrase each note belongs to, by its middle: the last that has begun; -1 before the first. @param phrases in order */
export const phrasesOfNotes = (notes: readonly Span[], phrases: readonly Span[]): number[] =>
  notes.map(n => lastAtMost(phrases, middleOf(n), p => p.start));

/** A phrase by when its notes are heard, where some were moved or held beyond it. @param phrases in order @throws RangeError when there is none */
export function phraseAsHeard(notes: readonly Span[], phrases: readonly Span[], index: number): Span {
  if (!(index in phrases)) throw new RangeError(`there is no phrase ${index}`);
  const of = phrasesOfNotes(notes, phrases);
  let { start, end } = phrases[index];
  notes.forEach((n, i) => {
    if (of[i] !== index) return;
    start = Math.min(start, n.start);
    end = Math.max(end, n.end);
  });
  return { start, end };
}
