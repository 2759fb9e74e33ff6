import {
  parseNote,
  degreeOf,
  keyName,
  nearestStep,
  noteName,
  parseKey,
  readScala,
  scaleOfKey,
  semitones,
  stepFrom,
  stepsOf,
} from '.';

describe('keys and names', () => {
  it('names notes by the key', () => {
    expect(noteName(57)).toBe('A3');
    expect(noteName(66, parseKey('D major'))).toBe('F♯4');
    expect(noteName(63, parseKey('Bb major'))).toBe('E♭4');
    expect(noteName(59.6)).toBe('C4');
  });

  it.each(['D major', 'F♯ minor', 'E♭ major', 'B minor'])('reads %s back', name =>
    expect(keyName(parseKey(name))).toBe(name),
  );

  it('refuses what is not a key', () => {
    expect(() => parseKey('H dur')).toThrow(/"H dur" is not a key/);
    expect(() => parseKey('')).toThrow();
  });

  it('knows degrees', () => {
    expect(stepsOf(parseKey('D major'))).toEqual([2, 4, 6, 7, 9, 11, 1]);
    expect(degreeOf(66, parseKey('D major'))).toBe(3);
    expect(degreeOf(65, parseKey('D major'))).toBe(0);
  });
});

describe('steps', () => {
  const d = scaleOfKey(parseKey('D major'));

  it('finds the nearest allowed step over octave borders', () => {
    expect(nearestStep(d, 6339)).toBe(6400);
    expect(nearestStep(d, 6149)).toBe(6100);
    expect(nearestStep(d, 4960)).toBe(5000);
    expect(nearestStep(semitones(), 5955)).toBe(6000);
  });

  it('goes up and down the key and back', () => {
    expect(stepFrom(d, 6200, 1)).toBe(6400);
    expect(stepFrom(d, 6200, -1)).toBe(6100);
    expect(stepFrom(d, 6200, 7)).toBe(7400);
    for (let by = -9; by <= 9; by++) expect(stepFrom(d, stepFrom(d, 6200, by), -by)).toBe(6200);
  });

  it('reads Scala files', () => {
    const text = '! just.scl\n!\nA just scale\n 7\n!\n 9/8\n 5/4\n 4/3\n 3/2\n 5/3\n 15/8\n 2/1\n';
    const scale = readScala(text, { tonic: 2, mode: 'major' });
    expect(scale.steps[2]).toBeCloseTo(386.31, 2);
    expect(nearestStep(scale, 6600)).toBeCloseTo(6200 + 386.31, 2);
    expect(readScala('cents\n2\n700.0\n1200.0', null).steps).toEqual([0, 700]);
  });

  it.each([
    ['one line', 'hello', /not a Scala/],
    ['no count and no step', 'a\nb\n', /step 1 \("b"\)/],
    ['a bad step', 'a\n2\nfifth\n2/1', /step 1 \("fifth"\)/],
    ['too few', 'a\n3\n3/2\n2/1', /names 3 steps but holds 2/],
  ])('says what is wrong with %s', (_, text, reason) => expect(() => readScala(text, null)).toThrow(reason));
});

test.each([
  ['A4', 69],
  ['f#3', 54],
  ['B♭2', 46],
  ['C-1', 0],
  ['A3 -20', 56.8],
  ['A3 +15 cents', 57.15],
])('the note %s', (text, midi) => expect(parseNote(text)).toBeCloseTo(midi, 9));
test.each(['H4', 'A', 'A44', '', 'A4 loud'])('%s is no note', text =>
  expect(() => parseNote(text)).toThrow('is not a note'),
);
