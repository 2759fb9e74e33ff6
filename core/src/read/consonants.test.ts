import { midiToHz } from '../units';
import { cutAtConsonants, cutAtSyllables, findConsonants, findSyllables, type Consonant } from './consonants';
import type { Bands } from './spectra';

/** A held voice of a second; colour tops and a dip of the vowels' band where consonants are. */
function voice(consonants: { from: number; to: number; depth: number }[]) {
  const frames = 200;
  const f0 = new Float32Array(frames).fill(midiToHz(60));
  const colour = new Float32Array(frames).fill(0.5);
  const sonority = new Float32Array(frames).fill(-30);
  for (const { from, to, depth } of consonants) {
    for (let k = from; k <= to; k++) sonority[k] -= depth;
    for (const top of [from, to])
      for (let k = top - 3; k <= top + 3; k++) colour[k] = Math.max(colour[k], 6 - Math.abs(k - top));
  }
  return { f0, colour, sonority, levelDb: new Float32Array(frames).fill(-20) };
}
const whole = [{ start: 0, end: 1, pitch: 60 }];

describe('voiced consonants', () => {
  it('are pairs of changes of colour with a dip between', () => {
    const v = voice([{ from: 90, to: 104, depth: 14 }]);
    expect(findConsonants(v.f0, v.colour, v.sonority)).toEqual([{ start: 0.45, end: 0.52, depthDb: 14 }]);
  });

  it('are neither a change of vowel, nor a shallow dip, nor a rest', () => {
    const flat = voice([{ from: 90, to: 104, depth: 0 }]);
    expect(findConsonants(flat.f0, flat.colour, flat.sonority)).toEqual([]);
    const rest = voice([{ from: 90, to: 104, depth: 14 }]);
    rest.f0.fill(0, 94, 100);
    expect(findConsonants(rest.f0, rest.colour, rest.sonority)).toEqual([]);
  });

  it('begin a new note on the same pitch when they are clear', () => {
    const v = voice([{ from: 90, to: 104, depth: 14 }]);
    const notes = cutAtConsonants(whole, findConsonants(v.f0, v.colour, v.sonority), v.f0, v.levelDb);
    expect(notes.map(n => [n.start, n.end])).toEqual([
      [0, 0.485],
      [0.485, 1],
    ]);
    expect(notes[1].pitch).toBeCloseTo(60, 4);
    const shallow: Consonant[] = [{ start: 0.45, end: 0.52, depthDb: 6 }];
    expect(cutAtConsonants(whole, shallow, v.f0, v.levelDb)).toEqual(whole);
  });

  it('begin where the voice has begun to close, before their colour has changed most', () => {
    const v = voice([{ from: 90, to: 104, depth: 20 }]);
    for (let k = 84; k < 90; k++) v.sonority[k] -= 16;
    const [{ start, end }] = findConsonants(v.f0, v.colour, v.sonority);
    expect([start, end]).toEqual([expect.closeTo(0.42, 9), 0.52]);
  });

  it('that are long begin the next note, not half of them', () => {
    const two = [
      { start: 0, end: 0.56, pitch: 60 },
      { start: 0.56, end: 1, pitch: 62 },
    ];
    const v = voice([]);
    const at = (end: number) => cutAtConsonants(two, [{ start: 0.4, end, depthDb: 16 }], v.f0, v.levelDb)[1].start;
    expect(at(0.5)).toBeCloseTo(0.45, 9);
    expect(at(0.57)).toBeCloseTo(0.46, 9);
  });

  it('draw a border near them to their middle, but none that is far', () => {
    const v = voice([]);
    const two = [
      { start: 0, end: 0.56, pitch: 60 },
      { start: 0.56, end: 1, pitch: 62 },
    ];
    const at: Consonant[] = [{ start: 0.45, end: 0.52, depthDb: 5 }];
    expect(cutAtConsonants(two, at, v.f0, v.levelDb).map(n => n.start)).toEqual([0, 0.485]);
    const far: Consonant[] = [{ start: 0.2, end: 0.27, depthDb: 5 }];
    expect(cutAtConsonants(two, far, v.f0, v.levelDb)).toEqual(two);
    expect(two[0].end).toBe(0.56);
  });
});

/** The voice's bands: each vowel a slope over them, dB a band, louder by so much; from frames on. */
function vowels(...parts: { from: number; slope: number; db: number }[]): Bands {
  const count = 13;
  const power = new Float32Array(200 * count);
  for (let k = 0; k < 200; k++) {
    const now = parts.findLast(p => k >= p.from)!;
    for (let q = 0; q < count; q++) power[k * count + q] = 10 ** ((now.db - 30 + now.slope * (q - 6)) / 10);
  }
  return { count, edgesHz: Array.from({ length: count + 1 }, (_, q) => 150 * (q + 1)), power };
}

describe('syllables on one pitch', () => {
  const one = voice([{ from: 100, to: 100, depth: 0 }]);
  const found = (bands: Bands, v = one) => findSyllables(v.f0, v.colour, bands);

  it('begin where the vowel is another one at once and the voice does not close', () => {
    expect(found(vowels({ from: 0, slope: 2, db: 0 }, { from: 100, slope: -2, db: 3 }))).toEqual([0.5]);
  });

  it('do not where the voice closes, nor where the vowel stays the same', () => {
    expect(found(vowels({ from: 0, slope: 2, db: 0 }, { from: 100, slope: -2, db: -6 }))).toEqual([]);
    expect(found(vowels({ from: 0, slope: 2, db: 0 }, { from: 100, slope: 2, db: 9 }))).toEqual([]);
  });

  it('begin in the middle of the consonant they open from', () => {
    const v = voice([{ from: 86, to: 100, depth: 6 }]);
    const bands = vowels({ from: 0, slope: 2, db: 0 }, { from: 86, slope: 3, db: -9 }, { from: 100, slope: -2, db: 0 });
    expect(found(bands, v)).toEqual([0.465]);
  });

  it('cut the notes they lie in, but not at their ends, and each part has its own pitch', () => {
    const v = voice([]);
    v.f0.fill(midiToHz(61), 100);
    const parts = cutAtSyllables(whole, [0.05, 0.5, 0.95], v.f0, v.levelDb);
    expect(parts.map(n => [n.start, n.end])).toEqual([
      [0, 0.5],
      [0.5, 1],
    ]);
    expect(parts.map(n => Math.round(n.pitch))).toEqual([60, 61]);
    expect(cutAtSyllables(whole, [], v.f0, v.levelDb)).toEqual(whole);
  });
});
