import * as packaged from '@tonejs/midi';
import { readTempoMap } from './melody';
import { readWav, writeWav } from './wav';

function midi(tempos: [number, number][], metres: [number, [number, number]][] = []): Uint8Array {
  const file = new packaged.Midi();
  file.header.tempos = tempos.map(([ticks, bpm]) => ({ ticks, bpm }));
  file.header.timeSignatures = metres.map(([ticks, timeSignature]) => ({ ticks, timeSignature }));
  file.header.update();
  file.addTrack().addNote({ midi: 60, time: 0, duration: 1 });
  return file.toArray();
}

describe('a tempo map of a MIDI file', () => {
  it('is read with its changes in beats and its metres in bars', () => {
    const map = readTempoMap(
      midi(
        [
          [0, 90],
          [1920, 120],
        ],
        [
          [0, [4, 4]],
          [3840, [3, 4]],
        ],
      ),
    );
    expect(map.bpm).toBeCloseTo(90, 2);
    expect(map.changes).toEqual([{ beat: 4, bpm: expect.closeTo(120, 2) }]);
    expect(map).toMatchObject({ beatsPerBar: 4, metres: [{ bar: 3, beatsPerBar: 3 }] });
  });

  it('is refused in words when there is none, or it cannot be', () => {
    expect(() => readTempoMap(new Uint8Array([1, 2, 3]))).toThrow(/not a MIDI file/);
    expect(() => readTempoMap(midi([[0, 999]]))).toThrow(/tempo of/);
  });
});

describe('a broadcast time stamp', () => {
  it('is written and read, beyond 32 bits too', () => {
    const channels = [Float32Array.from([0.5, -0.25])];
    for (const timeReference of [0, 172_800_000, 2 ** 33 + 5]) {
      const bytes = writeWav({ sampleRate: 48000, channels }, { format: 'int24', timeReference });
      expect(readWav(bytes)).toMatchObject({ timeReference, channels });
    }
    expect(readWav(writeWav({ sampleRate: 48000, channels }, { format: 'int24' })).timeReference).toBeUndefined();
  });
});
