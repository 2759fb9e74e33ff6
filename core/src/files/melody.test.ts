import * as packaged from '@tonejs/midi';
import { readMelodies, readMelody } from './melody';

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

  it('are every track that has notes, by their names', () => {
    const midi = new packaged.Midi();
    const named = midi.addTrack();
    named.name = ' Tune ';
    named.addNote({ midi: 60, time: 0, duration: 1 });
    midi.addTrack();
    midi.addTrack().addNote({ midi: 72, time: 1, duration: 1 });
    expect(readMelodies(midi.toArray()).map(t => [t.name, t.notes.map(n => n.midi)])).toEqual([
      ['Tune', [60]],
      ['track 3', [72]],
    ]);
  });
});
