import fc from 'fast-check';
import { joinedWords, nudgeWord, spreadSyllables, spreadWords, syllablesOf, wordOver } from './words';

const whole = (w: string) => [w];
const row = (...gaps: number[]) => {
  let t = 0;
  return gaps.map(g => {
    t += g;
    const note = { start: t, end: t + 0.5 };
    t += 0.5;
    return note;
  });
};

test('the word of a note is the one that lies over it most, if it does by enough', () => {
  const words = [
    { text: 'hear', start: 0, end: 1 },
    { text: 'the', start: 1, end: 1.2 },
    { text: 'bell', start: 1.2, end: 3 },
  ];
  const at = (start: number, end: number) => wordOver(words, { start, end })?.text ?? null;
  expect(at(0.1, 0.9)).toBe('hear');
  // begun a little early, it is not the word before
  expect(at(0.95, 1.2)).toBe('the');
  // held over several notes
  expect([at(1.3, 1.6), at(1.6, 2.9)]).toEqual(['bell', 'bell']);
  // a little of a note is not enough
  expect(at(2.9, 4)).toBeNull();
  expect(at(5, 6)).toBeNull();
  expect(wordOver([], { start: 0, end: 1 })).toBeNull();
});

describe('pasted words', () => {
  it('become lines of syllables; hyphens typed by hand are kept, notes in brackets are not', () => {
    expect(syllablesOf('fer-ry lamp [softly]\n\n[chorus]\nhome', whole)).toEqual([['fer-', 'ry', 'lamp'], ['home']]);
    expect(syllablesOf('morning', () => ['morn', 'ing'])).toEqual([['morn-', 'ing']]);
    expect(joinedWords([{ text: 'fer-' }, { text: 'ry' }, { text: 'lamp' }])).toBe('ferry lamp');
  });

  it('go one to a note when there are as many', () => {
    const notes = row(0, 0, 0.3);
    expect(spreadSyllables(['a', 'b', 'c'], notes).map(w => w.start)).toEqual(notes.map(n => n.start));
  });

  it('are held over notes that follow without a gap', () => {
    const notes = row(0, 0.2, 0, 0.2);
    const words = spreadSyllables(['a', 'b', 'c'], notes);
    expect(words.map(w => [w.start, w.end])).toEqual([
      [notes[0].start, notes[0].end],
      [notes[1].start, notes[2].end],
      [notes[3].start, notes[3].end],
    ]);
  });

  it('share a note when there are too many', () => {
    const words = spreadSyllables(['a', 'b', 'c'], row(0, 0.4));
    expect(words).toHaveLength(3);
    for (let i = 1; i < 3; i++) expect(words[i].start).toBeGreaterThan(words[i - 1].start);
  });

  it('keep their order and never lose one', () => {
    fc.assert(
      fc.property(
        fc.array(fc.string({ minLength: 1, maxLength: 3 }), { minLength: 1, maxLength: 9 }),
        fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 1, maxLength: 9 }),
        (texts, gaps) => {
          const words = spreadSyllables(texts, row(...gaps));
          expect(words.map(w => w.text)).toEqual(texts);
          words.forEach((w, i) => {
            expect(w.end).toBeGreaterThan(w.start);
            if (i) expect(w.start).toBeGreaterThan(words[i - 1].start);
          });
        },
      ),
    );
  });

  it('stay in their phrase when there is a line for each', () => {
    const notes = row(0, 0, 1, 0);
    const phrases = [
      { start: 0, end: 1 },
      { start: 2, end: 3 },
    ];
    const words = spreadWords([['a'], ['b', 'c']], phrases, notes);
    expect(words.map(w => [w.text, w.start])).toEqual([
      ['a', 0],
      ['b', 2],
      ['c', 2.5],
    ]);
    expect(spreadWords([['a', 'b', 'c', 'd']], phrases, notes).map(w => w.start)).toEqual([0, 0.5, 2, 2.5]);
  });

  it('are nudged by a note, pushing what is in the way', () => {
    const notes = row(0, 0, 0, 0);
    const words = spreadSyllables(['a', 'b', 'c'], notes.slice(0, 3));
    expect(nudgeWord(words, 1, 1, notes).map(w => w.start)).toEqual([0, 1, 1.5]);
    expect(nudgeWord(words, 2, 1, notes).map(w => w.start)).toEqual([0, 0.5, 1.5]);
    expect(nudgeWord(words, 0, -1, notes)).toEqual(words);
  });
});
