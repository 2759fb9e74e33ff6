import { midiToHz } from '@essim/core';
import { matched, people, scorePerson, toldOf, type PersonTruth } from './people';

const notes = [
  { start: 0.1, end: 0.2, sung: 60.1, rail: 60, legato: false },
  { start: 0.2, end: 0.6, sung: 60.0, rail: 60, legato: true },
  { start: 0.8, end: 1, sung: 64.2, rail: 64, legato: false },
];
const truth: PersonTruth = {
  duration: 1,
  hop: 0.005,
  f0: Array.from({ length: 200 }, (_, k) => (k < 20 ? -1 : k < 120 ? midiToHz(60) : k < 160 ? 0 : midiToHz(64.2))),
  notes,
  unvoiced: [[0.6, 0.8]],
  phones: [
    ['t', 'u', 0.7, 0.8],
    ['k', 'u', 0.2, 0.25],
    ['s', 'u', 0.6, 0.7],
  ],
};
const read = (start: number, pitch: number) => ({ start, end: start + 0.1, pitch, onset: start });

test('a true note is read by a note of its own, near in time and pitch', () => {
  expect([...matched([read(0.12, 60), read(0.16, 60), read(0.81, 64)], notes, 0.05)]).toEqual([0, 1, 2]);
  expect([...matched([read(0.14, 60)], notes, 0.05)]).toEqual([0]);
  expect([...matched([read(0.8, 64.8), read(0.1, 60.7)], notes, 0.05)]).toEqual([]);
});

test('frames, alarms and notes are counted where the truth is known', () => {
  const f0 = Float32Array.from(truth.f0, (hz, k) => (k < 20 ? 500 : k >= 120 && k < 130 ? 300 : hz));
  // ten frames an octave too low, ten 30 cents off
  f0.fill(midiToHz(48), 40, 50);
  f0.fill(midiToHz(60.3), 60, 70);
  // the last note is no louder than the silence before it
  const levelDb = f0.map((_, k) => (k < 120 ? -20 : -60));
  const score = scorePerson(
    {
      f0,
      levelDb,
      notes: [read(0.1, 60), read(0.21, 60)],
      noises: [
        { start: 0.61, end: 0.68, kind: 'sibilant' },
        { start: 0.78, end: 0.8, kind: 'plosive' },
      ],
    },
    truth,
  );
  expect(score).toMatchObject({
    compared: 140,
    within50: 130,
    within10: 120,
    octaves: 10,
    voiced: 140,
    found: 140,
    unvoiced: 40,
    alarms: 10,
    hits50: 2,
    quick: 1,
    quickFound: 1,
    same: 1,
    sameFound: 1,
    stops: 2,
    stopsFound: 1,
    inNoise: 1,
    inNoise50: 0,
  });
  expect(toldOf('somebody', [score])).toMatchObject({ of: 'somebody', 'F1 50 ms': 0.8, 'false %': 25 });
});

test('where nobody is there is nothing to tell', async () => {
  expect(await people('/nowhere/at/all')).toEqual([]);
});
