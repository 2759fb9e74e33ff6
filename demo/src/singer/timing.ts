import type { Random } from '@essim/core';
import { isSonorant, isVowel, lengthMs } from './phonemes';
import type { Phone, Syllable, TimedSyllable } from './score';

const sum = (a: number[]) => a.reduce((x, y) => x + y, 0);

/**
 * Vowels stand on the beat; the consonants before a vowel take their time from the note before, never more than 45 % of it.
 */
export function timePhones(score: Syllable[], random: Random): { syllables: TimedSyllable[]; phones: Phone[] } {
  const parts = score.map(s => {
    const names = s.phones.split(' ');
    const v = names.findIndex(isVowel);
    const lengths = (list: string[]) =>
      list.map(p => ((lengthMs(p) * (1 + 0.1 * random.normal())) / 1000) * (list.length > 1 ? 0.82 : 1));
    const onset = names.slice(0, v);
    const coda = names.slice(v + 1);
    return { onset, vowel: names[v], coda, onsetLengths: lengths(onset), codaLengths: lengths(coda) };
  });
  const phones: Phone[] = [];
  const syllables: TimedSyllable[] = [];
  score.forEach((s, n) => {
    const part = parts[n];
    const before = score[n - 1];
    const next = score[n + 1];
    const room = n ? s.t - syllables[n - 1].vowelEnd : Infinity;
    const wanted = sum(part.onsetLengths);
    if (wanted > room) part.onsetLengths = part.onsetLengths.map(l => (l * room) / wanted);
    const start = s.t - Math.min(wanted, room);
    const tied = !!next && next.t - (s.t + s.duration) < 0.03;
    const legatoIn = !!before && s.t - (before.t + before.duration) < 0.03;
    const end = tied ? next.t - Math.min(sum(parts[n + 1].onsetLengths), 0.45 * s.duration) : s.t + s.duration;
    let coda = part.codaLengths;
    // a last m, n or l at a rest is held
    if (!tied) coda = coda.map((l, i) => (isSonorant(part.coda[i]) ? l * (i === coda.length - 1 ? 1.9 : 1.3) : l));
    const most = 0.42 * (end - s.t);
    if (sum(coda) > most) coda = coda.map(l => (l * most) / sum(coda));
    const own: Phone[] = [];
    const put = (name: string, from: number, length: number, position: Phone['position']) => {
      own.push({ name, start: from, end: from + length, syllable: n, position });
      return from + length;
    };
    let at = start;
    part.onset.forEach((p, i) => (at = put(p, at, part.onsetLengths[i], 'onset')));
    at = put(part.vowel, s.t, end - sum(coda) - s.t, 'vowel');
    part.coda.forEach((p, i) => (at = put(p, at, coda[i], 'coda')));
    phones.push(...own);
    syllables.push({ ...s, start, vowelEnd: end, tied, legatoIn, phonesOf: own });
  });
  return { syllables, phones };
}
