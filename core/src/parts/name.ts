import type { PartLine } from './part';

const ORDINALS = ['unison', 'second', 'third', 'fourth', 'fifth', 'sixth', 'seventh', 'octave', 'ninth', 'tenth'];

/**
 * Reads "+3rd", "-6th", "+8ve", "+4st". A third is two steps of the key up; "st" counts semitones.
 * @throws Error saying what is expected
 */
export function parsePart(text: string): PartLine {
  const m = /^([+-]?)(\d{1,2})(st|ve|nd|rd|th)$/i.exec(text.trim());
  const size = m ? Number(m[2]) : 0;
  const sign = m?.[1] === '-' ? -1 : 1;
  const unit = m?.[3].toLowerCase();
  if (m && unit === 'st' && size >= 1 && size <= 24) return { by: 'semitones', amount: sign * size };
  if (m && unit === 've' && (size === 8 || size === 15))
    return { by: 'semitones', amount: sign * (size === 8 ? 12 : 24) };
  if (m && unit !== 'st' && unit !== 've' && size >= 2 && size <= 15) return { by: 'steps', amount: sign * (size - 1) };
  throw new Error(`"${text}" is not an interval; write for example +3rd, -6th, +8ve or +4st`);
}

/** A part's name in words. @example partName({ by: 'steps', amount: 2 }) // 'Third above' */
export function partName({ by, amount }: PartLine): string {
  const where = amount < 0 ? 'below' : 'above';
  const size = Math.abs(amount);
  if (by === 'semitones' && size % 12 === 0) return `${size === 24 ? 'Two octaves' : 'Octave'} ${where}`;
  if (by === 'semitones') return `${size} semitone${size === 1 ? '' : 's'} ${where}`;
  return `${ORDINALS[size] ?? `${size + 1}th`} ${where}`.replace(/^./, c => c.toUpperCase());
}

/** What a part's rule is called. */
export function ruleName({ by, amount }: { by: PartLine['by'] | 'chords' | 'guide'; amount: number }): string {
  if (by === 'chords') return 'By the chords';
  if (by === 'guide') return 'By its guide';
  return amount || by === 'steps' ? partName({ by, amount }) : 'Double';
}

/** Names of voices led by chords, the highest first. @param above which of them lie over their lead */
export function voiceNames(above: readonly boolean[]): string[] {
  const of = (up: boolean) => above.filter(a => a === up).length;
  let [high, low] = [0, 0];
  return above.map(up => {
    const [word, count, i] = up ? ['High', of(true), ++high] : ['Low', of(false), ++low];
    return count > 1 ? `${word} ${i}` : word;
  });
}
