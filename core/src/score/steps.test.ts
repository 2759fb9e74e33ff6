import { ruledScale, scaleOfKey, semitones, type Scale } from '../music';
import { stepsMeant, type Surrounding } from './steps';

const MAJOR = scaleOfKey({ tonic: 0, mode: 'major' });
const around = (fields: Partial<Surrounding> = {}, scale: Scale = MAJOR): Surrounding => ({
  scaleAt: () => scale,
  chordAt: () => '',
  strongAt: () => false,
  ...fields,
});
const notes = (pitches: readonly number[], gap = 0.1) =>
  pitches.map((sung, i) => ({ start: i * (0.5 + gap), end: i * (0.5 + gap) + 0.5, sung }));
const MELODY = [60, 62, 64, 65, 67, 65, 64, 62, 60, 64, 67, 72];
const othersOf = (pitches: readonly number[], s = around()) => stepsMeant(notes(pitches), s).map(m => m.other);

describe('which step a note was meant for', () => {
  test('the nearest, as a rule: neighbours a semitone away, likelier in the key', () => {
    const found = stepsMeant(notes(MELODY), around());
    expect(found.map(m => m.steps[0])).toEqual(MELODY);
    for (const { steps, other } of found) {
      expect(Math.abs(steps[1] - steps[0])).toBeCloseTo(1, 6);
      expect(other).toBeLessThan(0.2);
    }
  });

  test('of one between a step of the key and one outside, that of the key', () => {
    const pitches = MELODY.map((m, i) => (i === 4 ? 66.45 : m));
    expect(othersOf(pitches)[4]).toBeGreaterThan(0.6);
    // without a key nothing speaks for it
    expect(othersOf(pitches, around({}, semitones()))[4]).toBeLessThan(0.6);
  });

  test('of a singer who is low throughout, the one above', () => {
    const low = MELODY.map(m => m - 0.35);
    const one = (drop: number) => low.map((m, i) => (i === 3 ? m - drop : m));
    expect(othersOf(one(0.25))[3]).toBeGreaterThan(othersOf(MELODY.map((m, i) => (i === 3 ? m - 0.6 : m)))[3]);
    expect(Math.max(...othersOf(low))).toBeLessThan(0.4);
  });

  test('a tone of the chord, more so on a strong beat', () => {
    const pitches = MELODY.map((m, i) => (i === 3 ? 65.52 : m));
    const chord = (strong: boolean) =>
      othersOf(pitches, around({ chordAt: () => 'F', strongAt: () => strong }, semitones()))[3];
    const none = othersOf(pitches, around({}, semitones()))[3];
    expect(chord(false)).toBeGreaterThan(none);
    expect(chord(true)).toBeGreaterThan(chord(false));
  });

  test('in a tuning of other steps, of its own', () => {
    const nineteen = ruledScale(
      '19 equal',
      Array.from({ length: 19 }, (_, i) => (i * 1200) / 19),
      1200,
      0,
      [],
    );
    const step = 12 / 19;
    const [found] = stepsMeant(notes([60 + 3 * step + 0.05]), around({}, nineteen));
    expect(found.steps[0]).toBeCloseTo(60 + 3 * step, 6);
    expect(found.steps[1]).toBeCloseTo(60 + 4 * step, 6);
  });

  test('of nothing, nothing', () => expect(stepsMeant([], around())).toEqual([]));
});
