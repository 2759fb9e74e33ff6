import * as packaged from '@tonejs/midi';
import { readMelody } from './melody';

const file = (tracks: { midi: number; time: number; duration: number }[][]) => {
  const midi = new packaged.Midi();
  for (const notes of tracks) {
    const track = midi.addTrack();
    for (const n of notes) track.addNote(n);
  }
  return midi.toArray();
};

describe('melody guides', () => {
  it('are the notes of the busiest track, in time order', () => {
    const bytes = file([
      [{ midi: 40, time: 0, duration: 4 }],
      [
        { midi: 62, time: 1, duration: 0.5 },
        { midi: 60, time: 0, duration: 1 },
      ],
    ]);
    const notes = readMelody(bytes);
    expect(notes.map(n => n.midi)).toEqual([60, 62]);
    expect(notes[1].start).toBeCloseTo(1, 2);
    expect(notes[1].end).toBeCloseTo(1.5, 2);
  });

  it('refuse what is not one', () => {
    expect(() => readMelody(new TextEncoder().encode('la la la'))).toThrow(/not a MIDI file/);
    expect(() => readMelody(new TextEncoder().encode('MThd??'))).toThrow(/damaged/);
    expect(() => readMelody(file([[]]))).toThrow(/no notes/);
  });
});
