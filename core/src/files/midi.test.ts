import { readMelody } from './melody';
import { writeMidi } from './midi';

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
