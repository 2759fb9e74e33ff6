import fc from 'fast-check';
import { degreeOf, KEYS, scaleOfKey } from '../music';
import type { NoteFacts } from '../plan';
import { parsePart, partEdits, partName, partTarget, scattered, usualDifferences } from './index';

const D = scaleOfKey({ tonic: 2, mode: 'major' });
const note = (start: number, sung: number): NoteFacts => ({
  key: `n${Math.round(start * 1000)}`,
  start,
  end: start + 0.4,
  onset: start + 0.03,
  sung,
});

test('steps are counted in the key from the rail', () => {
  const third = (midi: number, target?: number) => partTarget({ sung: midi, target }, { by: 'steps', amount: 2 }, D);
  expect(third(62)).toBe(66); // D to F sharp
  expect(third(64)).toBe(67); // E to G
  expect(third(61.7)).toBe(66); // sung flat, meant D
  expect(third(61.7, 61)).toBe(64); // put on C sharp: E
  expect(partTarget({ sung: 62 }, { by: 'steps', amount: -5 }, D)).toBe(54);
  // a note put outside the key keeps its alteration: D sharp to F double sharp
  expect(third(63, 63)).toBe(67);
});

test('every part of notes in the key is in the key', () => {
  fc.assert(
    fc.property(
      fc.constantFrom(...KEYS),
      fc.integer({ min: -9, max: 9 }),
      fc.double({ min: 45, max: 80, noNaN: true }),
      (key, amount, sung) => {
        const at = partTarget({ sung }, { by: 'steps', amount }, scaleOfKey(key));
        expect(Math.abs(at - Math.round(at))).toBeLessThan(1e-9);
        expect(degreeOf(at, key)).toBeGreaterThan(0);
      },
    ),
  );
});

test('semitones keep to the lead as it is', () => {
  expect(partTarget({ sung: 61.7 }, { by: 'semitones', amount: 12 }, D)).toBeCloseTo(73.7);
  expect(partTarget({ sung: 61.7, target: 62 }, { by: 'semitones', amount: -12 }, D)).toBe(50);
});

test('a part takes over how its lead is shaped, and its own edits count', () => {
  const notes = [note(1, 62), note(2, 64)];
  const lead = { n1000: { start: 1, end: 1.4, target: 62, vibrato: 40, pinned: true } };
  const own = { n2000: { start: 2, end: 2.4, target: 71 } };
  const edits = partEdits(notes, lead, own, (n, e) => ({
    midi: partTarget({ sung: n.sung, target: e.target }, { by: 'steps', amount: 2 }, D),
  }));
  expect(edits.n1000).toMatchObject({ target: 66, vibrato: 40 });
  expect(edits.n1000.pinned).toBeUndefined();
  expect(edits.n2000).toEqual(own.n2000);
});

test('names of intervals are read and written', () => {
  expect(parsePart('+3rd')).toEqual({ by: 'steps', amount: 2 });
  expect(parsePart('-6th')).toEqual({ by: 'steps', amount: -5 });
  expect(parsePart('+8ve')).toEqual({ by: 'semitones', amount: 12 });
  expect(parsePart('-4st')).toEqual({ by: 'semitones', amount: -4 });
  for (const bad of ['', '3', '+0st', '+25st', '+1th', '+9ve', 'third'])
    expect(() => parsePart(bad)).toThrow('interval');
  expect(partName({ by: 'steps', amount: 2 })).toBe('Third above');
  expect(partName({ by: 'semitones', amount: -12 })).toBe('Octave below');
  expect(partName({ by: 'semitones', amount: 1 })).toBe('1 semitone above');
});

describe('scatter', () => {
  const notes = Array.from({ length: 60 }, (_, i) => note(1 + i * 0.45 + (i % 8 === 7 ? 0.4 : 0), 62));
  const draw = (seed: number, time = 100, pitch = 100) => scattered(notes, { time, pitch, seed }, 0.005, 6400);

  test('the same seed draws the same, another draws otherwise', () => {
    expect(draw(3).time.toJSON()).toEqual(draw(3).time.toJSON());
    expect(draw(3).cents).toEqual(draw(3).cents);
    expect(draw(4).time.toJSON()).not.toEqual(draw(3).time.toJSON());
  });

  test('times lie about 12 ms apart and never beyond 30; order is kept', () => {
    const { time } = draw(5);
    const off = notes.map(n => (time.forward(n.onset) - n.onset) * 1000);
    const deviation = Math.sqrt(off.reduce((s, v) => s + v * v, 0) / off.length);
    expect(deviation).toBeGreaterThan(8);
    expect(deviation).toBeLessThan(17);
    expect(Math.max(...off.map(Math.abs))).toBeLessThanOrEqual(30.001);
    notes.slice(1).forEach((n, i) => expect(time.forward(n.onset)).toBeGreaterThan(time.forward(notes[i].onset)));
  });

  test('pitch differs by some cents, levels by up to one dB, and 0 changes nothing', () => {
    const { cents, levelDb } = draw(6);
    const spread = Math.sqrt(cents.reduce((s, v) => s + v * v, 0) / cents.filter(v => v !== 0).length);
    expect(spread).toBeGreaterThan(4);
    expect(spread).toBeLessThan(13);
    expect(Math.max(...levelDb.map(Math.abs))).toBeLessThanOrEqual(1);
    const { turns } = draw(6);
    expect(turns).toHaveLength(notes.length);
    for (const t of turns) expect(Math.abs(t.faster - 1)).toBeLessThan(0.0601);
    expect(new Set(turns.map(t => Math.round(t.phase))).size).toBeGreaterThan(4);
    const none = draw(6, 0, 0);
    for (const t of none.turns) expect([t.faster, Math.abs(t.phase)]).toEqual([1, 0]);
    expect(none.cents.every(v => v === 0)).toBe(true);
    expect(none.time.forward(3)).toBe(3);
  });
});

test('an octave differs from its lead by more than a third does, and in the throat', () => {
  expect(usualDifferences(parsePart('+3rd'))).toEqual({ scatter: 60, formant: 0 });
  expect(usualDifferences(parsePart('+8ve'))).toEqual({ scatter: 100, formant: 1 });
  expect(usualDifferences(parsePart('-8ve'))).toEqual({ scatter: 100, formant: -2 });
  // an octave counted in steps is one too
  expect(usualDifferences({ by: 'steps', amount: -7 })).toEqual({ scatter: 100, formant: -2 });
});
