import fc from 'fast-check';
import { ALIKE, alike, grown, inverted, needsChosen, shrunk, type AlikeNote } from './select-alike';

const note = (key: string, sung: number, length: number, more: Partial<AlikeNote> = {}): AlikeNote => ({
  key,
  start: Number(key),
  end: Number(key) + length,
  sung,
  vibrato: false,
  outside: false,
  doubtful: false,
  edited: false,
  word: null,
  ...more,
});
const notes = [
  note('0', 62.1, 0.3, { word: 'Lamp' }),
  note('1', 50.2, 0.5, { vibrato: true }),
  note('2', 61.9, 0.2, { word: 'lamp,', edited: true }),
  note('3', 64.4, 0.8, { outside: true, doubtful: true }),
];
const of = (by: (typeof ALIKE)[number], ...chosen: string[]) => alike(notes, new Set(chosen), by).join('');

describe('notes alike', () => {
  it('share name, pitch, word, or are longer or shorter', () => {
    expect(of('name', '0')).toBe('012');
    expect(of('pitch', '0')).toBe('02');
    expect(of('word', '0')).toBe('02');
    expect(of('word', '1')).toBe('');
    expect(of('longer', '0')).toBe('013');
    expect(of('shorter', '0')).toBe('02');
    expect(of('longer', '0', '1')).toBe('013');
  });

  it('have a property, whatever is chosen', () => {
    expect([of('vibrato'), of('straight'), of('outside'), of('doubtful'), of('edited')]).toEqual([
      '1',
      '023',
      '3',
      '3',
      '2',
    ]);
    expect(ALIKE.filter(needsChosen)).toEqual(['name', 'pitch', 'longer', 'shorter', 'word']);
  });

  it('are none when what is asked of those chosen is asked of nobody', () => {
    for (const by of ALIKE.filter(needsChosen)) expect(of(by)).toBe('');
  });
});

describe('a selection', () => {
  const keys = ['a', 'b', 'c', 'd', 'e', 'f'];
  it('grows by its neighbours and shrinks by its ends', () => {
    expect(grown(keys, new Set(['b', 'e']))).toEqual(['a', 'b', 'c', 'd', 'e', 'f']);
    expect(grown(keys, new Set(['a']))).toEqual(['a', 'b']);
    expect(shrunk(keys, new Set(['b', 'c', 'd', 'f']))).toEqual(['c']);
  });

  it('inverted twice is itself; grown it holds what it held; shrunk it holds nothing new', () => {
    fc.assert(
      fc.property(fc.subarray(keys), list => {
        const chosen = new Set(list);
        expect(inverted(keys, new Set(inverted(keys, chosen)))).toEqual(list);
        expect(grown(keys, chosen)).toEqual(expect.arrayContaining(list));
        for (const k of shrunk(keys, chosen)) expect(chosen.has(k)).toBe(true);
      }),
    );
  });
});
