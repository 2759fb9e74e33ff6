import type { Seconds } from '.';

/** From one moment to another of one clock. */
export interface Span<T extends Seconds = Seconds> {
  start: T;
  end: T;
}

/** Time of a recording: 0 is its first sample. */
export type TakeSeconds = Seconds & { readonly clock?: 'take' };
/** Time of the song as its recordings were sung. */
export type SongSeconds = Seconds & { readonly clock?: 'song' };
/** Time of the song as it is heard: bent where a track follows another. */
export type HeardSeconds = Seconds & { readonly clock?: 'heard' };

export const lengthOf = ({ start, end }: Span): Seconds => end - start;
/** How long two spans lie over each other; below 0 where they do not. */
export const overlapOf = (a: Span, b: Span): Seconds => Math.min(a.end, b.end) - Math.max(a.start, b.start);
export const middleOf = ({ start, end }: Span): Seconds => (start + end) / 2;
export const shiftedBy = <S extends Span>(span: S, by: Seconds): S => ({
  ...span,
  start: span.start + by,
  end: span.end + by,
});

/** Index of the last of a rising list whose number is at most x; -1 when all lie beyond. */
export function lastAtMost<T>(list: ArrayLike<T>, x: number, numberOf: (item: T) => number): number {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (numberOf(list[middle]) <= x) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

/** @example counted(2, 'note') // '2 notes' */
export const counted = (n: number, what: string, many = `${what}s`): string => `${n} ${n === 1 ? what : many}`;
