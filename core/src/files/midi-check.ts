/**
 * Looks whether a standard MIDI file hangs together before a parser goes through it: lengths that lie outside their chunk, or numbers
 * longer than four bytes, lead parsers in circles.
 */

/** Bytes that follow a channel message's status, by its upper four bits. */
const CHANNEL_BYTES: Record<number, number> = { 0x8: 2, 0x9: 2, 0xa: 2, 0xb: 2, 0xc: 1, 0xd: 1, 0xe: 2 };
const LONGEST_NUMBER = 4;

/** @returns what is wrong with it; null when nothing is */
export function midiFault(bytes: Uint8Array): string | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 14) return 'it is cut short';
  const header = view.getUint32(4);
  if (header < 6 || 8 + header > bytes.length) return 'its header is damaged';
  const division = view.getUint16(12);
  if (division === 0 || division & 0x8000) return 'its time is not counted in beats';
  for (let at = 8 + header; at < bytes.length;) {
    if (at + 8 > bytes.length) return 'a track of it is cut short';
    const end = at + 8 + view.getUint32(at + 4);
    if (end > bytes.length) return 'a track of it is cut short';
    const fault = trackFault(bytes, at + 8, end);
    if (fault) return fault;
    at = end;
  }
  return null;
}

function trackFault(bytes: Uint8Array, from: number, to: number): string | null {
  let at = from;
  let running = 0;
  /** A number of up to four bytes; -1 where it is longer or goes on past the end. */
  const number = (): number => {
    let value = 0;
    for (let i = 0; i < LONGEST_NUMBER; i++) {
      if (at >= to) return -1;
      const b = bytes[at++];
      value = value * 128 + (b & 0x7f);
      if (!(b & 0x80)) return value;
    }
    return -1;
  };
  while (at < to) {
    if (number() < 0 || at >= to) return 'a moment in it is damaged';
    const status = bytes[at];
    if (status >= 0xf0) {
      at += status === 0xff ? 2 : 1;
      if (status !== 0xff && status !== 0xf0 && status !== 0xf7) return 'an event in it is unknown';
      const length = number();
      if (length < 0 || at + length > to) return 'an event in it is cut short';
      at += length;
      continue;
    }
    if (status & 0x80) {
      running = status;
      at++;
    } else if (!running) return 'an event in it has no kind';
    at += CHANNEL_BYTES[running >> 4];
    if (at > to) return 'an event in it is cut short';
  }
  return null;
}
