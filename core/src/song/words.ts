import { lastAtMost, lengthOf, overlapOf, type Seconds, type Span } from '../units';
import type { Word } from './document';

interface NoteSpan {
  start: Seconds;
  end: Seconds;
}

/**
 * Lines of pasted words as syllables: a hyphen at a syllable's end says the word goes on ("fer-", "ry"). Hyphens typed by hand are
 * kept; other words go through `hyphenate`, which returns their parts. Empty lines, bar lines and [notes in brackets] are left out.
 */
export function syllablesOf(text: string, hyphenate: (word: string) => string[]): string[][] {
  return text
    .slice(0, 100_000)
    .split(/\r?\n/)
    .map(line => line.replace(/\[[^\]]*\]/g, ' ').trim())
    .filter(Boolean)
    .map(line =>
      line.split(/\s+/).flatMap(word => {
        const parts = word.includes('-') ? word.split('-').filter(Boolean) : hyphenate(word);
        return parts.map((p, i) => (i < parts.length - 1 ? `${p}-` : p).slice(0, 100));
      }),
    );
}

/** Words that lie over one note at most; further back none is looked for. */
const MOST_OVER = 8;
/** A word is a note's when this much of the shorter of the two lies in the other. */
const LEAST_OVER = 0.4;

/** The word a note is sung on: of those that lie over it by enough the one that does most. @param words in time order */
export function wordOver<W extends Span>(words: readonly W[], note: Span): W | null {
  let best: W | null = null;
  let most = 0;
  const last = lastAtMost(words, note.end, w => w.start);
  for (let i = last; i >= 0 && i > last - MOST_OVER; i--) {
    const word = words[i];
    const over = overlapOf(word, note);
    if (over > most && over > LEAST_OVER * Math.min(lengthOf(word), lengthOf(note))) [most, best] = [over, word];
  }
  return best;
}

/** A syllable may be held over several notes; a note it takes beyond its first costs more the longer the gap before it. */
const HELD_COST = 1;
const GAP_COST = 12;
const SHARED_COST = 2.5;

/**
 * Spreads syllables over notes in order, by dynamic programming: every syllable gets a note; where notes are left over, syllables are
 * held over notes that follow without a gap; where syllables are left over, they share a note.
 * @returns words in time order, each over its notes
 */
export function spreadSyllables(syllables: readonly string[], notes: readonly NoteSpan[]): Word[] {
  const [m, n] = [syllables.length, notes.length];
  if (!m || !n) return [];
  // cost[i][j]: syllables 0..i and notes 0..j placed, note j sounding syllable i
  const cost = Array.from({ length: m }, () => new Float64Array(n).fill(Infinity));
  const from: Uint8Array[] = Array.from({ length: m }, () => new Uint8Array(n));
  for (let i = 0; i < m; i++)
    for (let j = 0; j < n; j++) {
      const gap = j ? Math.max(0, notes[j].start - notes[j - 1].end) : 0;
      const next = i && j ? cost[i - 1][j - 1] : i || j ? Infinity : 0;
      const held = j ? cost[i][j - 1] + HELD_COST + GAP_COST * gap : Infinity;
      const shared = i ? cost[i - 1][j] + SHARED_COST : Infinity;
      cost[i][j] = Math.min(next, held, shared);
      from[i][j] = cost[i][j] === next ? 0 : cost[i][j] === held ? 1 : 2;
    }
  const spans: { first: number; last: number }[] = syllables.map(() => ({ first: n, last: -1 }));
  for (let i = m - 1, j = n - 1; i >= 0 && j >= 0;) {
    spans[i].first = Math.min(spans[i].first, j);
    spans[i].last = Math.max(spans[i].last, j);
    const step = from[i][j];
    if (step !== 1) i--;
    if (step !== 2) j--;
  }
  return syllables.map((text, i) => {
    const { first, last } = spans[i];
    let [start, end] = [notes[first].start, notes[last].end];
    // syllables sharing one note divide it
    const sharing = spans.map((s, k) => (s.first === first && s.last === first ? k : -1)).filter(k => k >= 0);
    if (first === last && sharing.length > 1) {
      const part = (end - start) / sharing.length;
      const at = sharing.indexOf(i);
      [start, end] = [start + at * part, start + (at + 1) * part];
    }
    return { text, start, end };
  });
}

/**
 * Words for a track's phrases from pasted lines. One line a phrase when the counts agree; otherwise the whole text is spread over all
 * notes, with long gaps kept between words where possible.
 */
export function spreadWords(
  lines: readonly (readonly string[])[],
  phrases: readonly NoteSpan[],
  notes: readonly NoteSpan[],
): Word[] {
  const sung = phrases
    .map(p => notes.filter(n => (n.start + n.end) / 2 >= p.start && (n.start + n.end) / 2 < p.end))
    .filter(list => list.length);
  if (lines.length === sung.length) return lines.flatMap((line, i) => spreadSyllables(line, sung[i]));
  return spreadSyllables(lines.flat(), notes);
}

/** A word moved by whole notes, pushing the words beyond it along; words pushed off the last note stay on it. */
export function nudgeWord(words: readonly Word[], index: number, by: 1 | -1, notes: readonly NoteSpan[]): Word[] {
  const at = (w: Word) => notes.findIndex(n => Math.min(n.end, w.end) - Math.max(n.start, w.start) > 0.01);
  const out = words.map(w => ({ ...w }));
  let wanted = at(words[index]) + by;
  if (at(words[index]) < 0 || wanted < 0 || wanted >= notes.length) return out;
  for (let i = index; i >= 0 && i < out.length; i += by) {
    const now = at(words[i]);
    const inTheWay = by > 0 ? now >= 0 && now < wanted : now > wanted;
    if (i !== index && !inTheWay && now !== wanted) break;
    if (i !== index && now === wanted && by < 0 && now < 0) break;
    const note = notes[Math.max(0, Math.min(notes.length - 1, wanted))];
    out[i] = { ...out[i], start: note.start, end: note.end };
    wanted += by;
  }
  return out.sort((a, b) => a.start - b.start);
}

/** Syllables as a line to read: "fer-", "ry" become "ferry". */
export const joinedWords = (words: readonly { text: string }[]): string =>
  words
    .map(w => (w.text.endsWith('-') ? w.text.slice(0, -1) : `${w.text} `))
    .join('')
    .trim();
