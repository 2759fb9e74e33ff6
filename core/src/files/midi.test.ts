import { Midi } from '@tonejs/midi';
import { parseMidi } from 'midi-file';
import { readMelody } from './melody';
import { writeMidi, writeSongMidi } from './midi';
import type { WrittenSong } from './written';

const notes = [
  { start: 0.5, end: 1.25, midi: 62.04 },
  { start: 1.25, end: 1.5, midi: 65.9 },
  { start: 4, end: 4.002, midi: 200 },
];

test('notes written to a file are read back where they were, at their nearest semitones', () => {
  const back = readMelody(writeMidi('Third above', notes, 92));
  expect(back.map(n => n.midi)).toEqual([62, 66, 127]);
  back.forEach((n, i) => expect(n.start).toBeCloseTo(notes[i].start, 2));
  expect(back[0].end).toBeCloseTo(1.25, 2);
  // nothing is shorter than can be heard
  expect(back[2].end - back[2].start).toBeGreaterThan(0.005);
});

test('a tempo is written, whatever it is, and times do not depend on it', () => {
  for (const bpm of [40, 92.5, 208]) expect(readMelody(writeMidi('x', notes, bpm))[1].start).toBeCloseTo(1.25, 2);
});

describe('a whole song', () => {
  const song: WrittenSong = {
    name: 'Ferry Lamp',
    tempo: {
      bpm: 92,
      beatsPerBar: 4,
      firstBarSeconds: 1.5,
      changes: [{ beat: 8, bpm: 120 }],
      metres: [{ bar: 3, beatsPerBar: 3 }],
    },
    key: { tonic: 9, mode: 'minor' },
    chords: [{ start: 1.5, name: 'Am' }],
    parts: [
      {
        name: 'Lead',
        notes: [
          { start: 2, end: 2.6, midi: 62, word: 'har-', velocity: 0.9, bend: [2, -30, 2.2, 0, 2.4, 25] },
          { start: 2.55, end: 3, midi: 64, word: 'bour', velocity: 0.5, bend: [2.55, 0] },
        ],
      },
      { name: 'High', notes: [{ start: 2, end: 3, midi: 66, word: null, velocity: 0.4, bend: [] }] },
    ],
  };
  const read = (bends: boolean, evenVelocities = false) => new Midi(writeSongMidi(song, { bends, evenVelocities }));

  test('has its tempo map, key and words, and every voice where it is heard', () => {
    const { header, tracks } = read(true);
    expect(header.tempos.map(t => Math.round(t.bpm))).toEqual([92, 120]);
    expect(header.timeSignatures.map(t => t.timeSignature[0])).toEqual([4, 3]);
    expect(header.keySignatures[0]).toMatchObject({ key: 'C', scale: 'minor' });
    const [lead, high] = tracks;
    expect([lead.name, high.name]).toEqual(['Lead', 'High']);
    expect(lead.channel).not.toBe(high.channel);
    expect(lead.notes.map(n => [n.midi, Math.round(n.time * 100)])).toEqual([
      [62, 200],
      [64, 255],
    ]);
    // one voice: the first is let go where the second begins
    expect(lead.notes[0].time + lead.notes[0].duration).toBeLessThanOrEqual(lead.notes[1].time + 1e-6);
    expect(lead.notes[0].velocity).toBeGreaterThan(lead.notes[1].velocity + 0.2);
    const words = parseMidi(writeSongMidi(song, { bends: false, evenVelocities: false })).tracks[1].filter(
      e => e.type === 'lyrics',
    );
    expect(words.map(e => (e as { text: string }).text)).toEqual(['har-', 'bour']);
  });

  test('bends to what is heard, over a wheel that reaches an octave; or not', () => {
    const [lead] = read(true).tracks;
    expect(lead.pitchBends.slice(0, 3).map(b => Math.round(b.value * 1200))).toEqual([-30, 0, 25]);
    expect(lead.controlChanges[6][0].value * 127).toBeCloseTo(12, 0);
    const [plain] = read(false, true).tracks;
    expect(plain.pitchBends).toHaveLength(0);
    expect(new Set(plain.notes.map(n => n.velocity)).size).toBe(1);
  });
});
