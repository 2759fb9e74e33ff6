import {
  chordTones,
  degreeIn,
  leftAsSung,
  NAMED_SCALES,
  nearestStep,
  readKeyboardMap,
  ruledScale,
  scaleNamed,
  scaleOfKey,
  stepFrom,
  type StepRule,
} from '.';

const TWELVE = Array.from({ length: 12 }, (_, i) => i * 100);
const C4 = 6000;
const ruled = (...rules: StepRule[]) => ruledScale('twelve', TWELVE, 1200, 0, rules);

describe('scales by name', () => {
  it('all rise from the tonic within the octave, and no two share a name', () => {
    for (const { rows = TWELVE, sung } of NAMED_SCALES) {
      expect(rows[0]).toBe(0);
      rows.forEach((r, i) => i && expect(r).toBeGreaterThan(rows[i - 1]));
      expect(rows[rows.length - 1]).toBeLessThan(1200);
      sung?.forEach(s => expect(rows[s]).toBeDefined());
    }
    expect(new Set(NAMED_SCALES.map(s => s.name)).size).toBe(NAMED_SCALES.length);
  });

  // as the literature has them, from C
  it.each([
    ['Pythagorean', [0, 113.69, 203.91, 294.13, 407.82, 498.04, 611.73, 701.96, 815.64, 905.87, 996.09, 1109.78]],
    [
      'quarter-comma meantone',
      [0, 76.05, 193.16, 310.26, 386.31, 503.42, 579.47, 696.58, 772.63, 889.74, 1006.84, 1082.89],
    ],
    ['Werckmeister III', [0, 90.22, 192.18, 294.13, 390.22, 498.04, 588.27, 696.09, 792.18, 888.27, 996.09, 1092.18]],
    ['Kirnberger III', [0, 90.22, 193.16, 294.13, 386.31, 498.04, 590.22, 696.58, 792.18, 889.74, 996.09, 1088.27]],
    ['Vallotti', [0, 94.13, 196.09, 298.04, 392.18, 501.96, 592.18, 698.04, 796.09, 894.13, 1000, 1090.22]],
  ])('%s', (name, cents) => {
    scaleNamed(name)!.rows!.forEach((c, i) => expect(Math.abs(c - cents[i])).toBeLessThan(0.02));
  });

  it('divide the octave into any number of equal steps', () => {
    expect(scaleNamed('19 equal')!.rows).toHaveLength(19);
    expect(scaleNamed('31 equal steps')!.rows![1]).toBeCloseTo(1200 / 31, 9);
    expect(scaleNamed('1 equal')).toBeNull();
    expect(scaleNamed('DORIAN')!.sung).toEqual([0, 2, 3, 5, 7, 9, 10]);
    expect(scaleNamed('nothing of the kind')).toBeNull();
  });
});

describe('rules of steps', () => {
  it('off: the nearest allowed step', () => {
    const s = ruled({ step: 1, rule: 'off' }, { step: 3, rule: 'left' });
    expect(nearestStep(s, C4 + 90)).toBe(C4);
    expect(nearestStep(s, C4 + 130)).toBe(C4 + 200);
  });

  it('left: where it was sung', () => {
    const s = ruled({ step: 3, rule: 'left' });
    expect(nearestStep(s, C4 + 321)).toBe(C4 + 321);
    expect(leftAsSung(s, C4 + 321)).toBe(true);
    expect(nearestStep(s, C4 + 371)).toBe(C4 + 400);
    expect(leftAsSung(s, C4 + 371)).toBe(false);
  });

  it('to: the nearest step is mapped first, up or down', () => {
    const s = ruled({ step: 6, rule: 'to', to: 7 }, { step: 0, rule: 'to', to: 11 });
    expect(nearestStep(s, C4 + 560)).toBe(C4 + 700);
    expect(nearestStep(s, C4 + 20)).toBe(C4 - 100);
  });

  it('in one octave alone, and before what holds in all', () => {
    const s = ruled(
      { step: 2, octave: 4, rule: 'off' },
      { step: 4, rule: 'off' },
      { step: 4, octave: 5, rule: 'to', to: 5 },
    );
    expect(nearestStep(s, C4 + 210)).not.toBe(C4 + 200);
    expect(nearestStep(s, C4 - 1200 + 210)).toBe(C4 - 1000);
    expect(nearestStep(s, C4 + 1200 + 390)).toBe(C4 + 1700);
    expect(stepFrom(s, C4 + 100, 1)).toBe(C4 + 300);
    expect(stepFrom(s, C4 + 100 - 1200, 1)).toBe(C4 + 200 - 1200);
    expect(stepFrom(s, C4 + 500, -1)).toBe(C4 + 300);
  });

  it('where only steps are off, it is a plain scale', () => {
    const s = ruled(...[1, 3, 6, 8, 10].map((step): StepRule => ({ step, rule: 'off' })));
    expect(s.rules).toBeUndefined();
    const major = scaleOfKey({ tonic: 0, mode: 'major' });
    for (let c = 5000; c < 7000; c += 37) {
      expect(nearestStep(s, c)).toBe(nearestStep(major, c));
      expect(stepFrom(s, c, 3)).toBe(stepFrom(major, c, 3));
      expect(degreeIn(s, c / 100)).toBe(degreeIn(major, c / 100));
    }
  });

  it('degrees count the allowed steps, whatever the reference', () => {
    const rast = ruledScale('rast', scaleNamed('maqam rast')!.rows!, 1200, 200 + 31, []);
    expect([2, 4, 6, 7, 9].map(m => degreeIn(rast, 60 + m))).toEqual([1, 2, 3, 4, 5]);
    expect(degreeIn(scaleOfKey({ tonic: 2, mode: 'major' }, -20), 66)).toBe(3);
    expect(degreeIn(scaleOfKey({ tonic: 2, mode: 'major' }, -20), 65)).toBe(0);
  });
});

describe('keyboard maps', () => {
  const map = (...lines: (string | number)[]) => ['! a map', ...lines].join('\n');

  it('say where step 0 lies, and which steps are sung', () => {
    const { sung, root } = readKeyboardMap(
      map(12, 0, 127, 60, 69, '440.0', 12, 0, 'x', 2, 'x', 4, 5, 'x', 7, 'x', 9, 'x', 11),
      TWELVE,
      1200,
    );
    expect(sung).toEqual([0, 2, 4, 5, 7, 9, 11]);
    expect(root).toBeCloseTo(6000, 6);
    const plain = readKeyboardMap(map(0, 0, 127, 60, 60, '256', 0), TWELVE, 1200);
    expect(plain.root).toBeCloseTo(6900 + 1200 * Math.log2(256 / 440), 6);
    expect(plain.sung).toHaveLength(12);
  });

  it.each([
    ['no number', map('twelve', 0, 127, 60, 69, 440, 12), 'line 2 ("twelve") is no size of the map'],
    ['too little', map(12, 0, 127), 'its middle key is missing'],
    ['a silent reference', map(2, 0, 127, 60, 61, 440, 2, 0, 'x'), 'line 6: the reference key sings no step'],
    ['no pitch', map(12, 0, 127, 60, 69, 0, 12), 'line 7: the reference frequency must be above 0'],
  ])('%s is refused with its line', (_, text, message) => {
    expect(() => readKeyboardMap(text, TWELVE, 1200)).toThrow(message);
  });
});

test.each([
  ['D', [2, 6, 9]],
  ['F#m7', [6, 9, 1, 4]],
  ['B♭maj7', [10, 2, 5, 9]],
  ['Asus4', [9, 2, 4]],
  ['Bdim', [11, 2, 5]],
  ['C/E', [0, 4, 7]],
  ['G7', [7, 11, 2, 5]],
  ['Em', [4, 7, 11]],
  ['–', []],
  ['Hm', []],
  ['Cxyz', []],
])('tones of %s', (name, tones) => expect(chordTones(name)).toEqual(tones));
