import { readMelodies, writeMidi } from '..';
import { midiFault } from './midi-check';

const sound = writeMidi(
  'Tune',
  [60, 62, 64].map((midi, i) => ({ start: i, end: i + 0.9, midi })),
  92,
);
const changed = (change: (bytes: Uint8Array) => void) => {
  const bytes = sound.slice();
  change(bytes);
  return bytes;
};
/** A file of one track of these bytes. */
const file = (...track: number[]) =>
  Uint8Array.of(
    0x4d,
    0x54,
    0x68,
    0x64,
    0,
    0,
    0,
    6,
    0,
    0,
    0,
    1,
    1,
    0xe0,
    0x4d,
    0x54,
    0x72,
    0x6b,
    0,
    0,
    0,
    track.length,
    ...track,
  );

describe('a MIDI file', () => {
  it('that is whole has no fault, with running status, system messages and long times too', () => {
    expect(midiFault(sound)).toBeNull();
    expect(
      midiFault(file(0, 0x90, 60, 90, 0x87, 0x68, 60, 0, 0, 0xf0, 2, 1, 0xf7, 0, 0xc0, 5, 0, 0xff, 0x2f, 0)),
    ).toBeNull();
  });

  it.each([
    ['cut short', sound.slice(0, 10)],
    ['cut short', sound.slice(0, sound.length - 5)],
    ['header', changed(b => (b[4] = 0x7f))],
    ['beats', changed(b => b.fill(0, 12, 14))],
    ['beats', changed(b => (b[12] = 0xe7))],
    // a time of more than four bytes, which wraps round in 32 bits
    ['moment', file(0xff, 0xff, 0xff, 0xff, 0x7f, 0x90, 60, 90)],
    ['event', file(0, 0xff, 3, 0xff, 0xff, 0xff, 0xff, 0x7f)],
    ['event', file(0, 0xff, 3, 20, 1)],
    ['no kind', file(0, 60, 90)],
    ['unknown', file(0, 0xf4, 0)],
    ['cut short', file(0, 0x90, 60)],
  ])('that is damaged says so: %s', (what, bytes) => {
    expect(midiFault(bytes)).toContain(what);
    expect(() => readMelodies(bytes)).toThrow('this MIDI file is damaged');
  });
});
