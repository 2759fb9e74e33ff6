import en from 'hyphen/en';
import { syllable } from 'syllable';

const VOWELS = /[aeiouyäöüàáâèéêìíîòóôùúû]+/gi;

/**
 * Parts of a word for singing: as many as it has syllables. Cut where hyphenation patterns allow it (Liang 1983), else before the
 * consonant that opens the next vowel: "to-night".
 */
export function hyphenate(word: string): string[] {
  const wanted = syllable(word);
  let parts = en.hyphenateSync(word, { hyphenChar: '|', minWordLength: 4 }).split('|');
  while (parts.length < wanted) {
    const longest = parts.reduce((best, p, i) => (vowels(p).length > vowels(parts[best]).length ? i : best), 0);
    const cut = cutOf(parts[longest]);
    if (!cut) break;
    parts = [
      ...parts.slice(0, longest),
      parts[longest].slice(0, cut),
      parts[longest].slice(cut),
      ...parts.slice(longest + 1),
    ];
  }
  return parts;
}

const vowels = (text: string) => [...text.matchAll(VOWELS)];

/** Where a part with two vowels is cut; 0 when it has only one that sounds. */
function cutOf(text: string): number {
  const found = vowels(text.replace(/e$/i, ' '));
  if (found.length < 2) return 0;
  const end = found[0].index + found[0][0].length;
  const next = found[1].index;
  return next - end > 1 ? end + Math.floor((next - end) / 2) : end;
}
