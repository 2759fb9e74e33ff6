import { extend, nothing, phraseAt, scopeOf, select, toggle } from './selection';
import { findPhrases } from './phrases';

const notes = [
  { key: 'a', start: 1, end: 1.5 },
  { key: 'b', start: 1.5, end: 2.4 },
  { key: 'c', start: 4, end: 5 },
  { key: 'd', start: 5.1, end: 6 },
];

describe('selections', () => {
  it('grow, shrink and stay on one track', () => {
    const s = select('lead', ['a', 'b']);
    expect([...extend(s, 'lead', ['c']).notes]).toEqual(['a', 'b', 'c']);
    expect([...extend(s, 'double', ['c']).notes]).toEqual(['c']);
    expect([...toggle(s, 'lead', 'a').notes]).toEqual(['b']);
    expect([...toggle(s, 'lead', 'd').notes]).toEqual(['a', 'b', 'd']);
    expect([...s.notes]).toEqual(['a', 'b']);
  });
});

describe('the scope of a command', () => {
  const phrases = findPhrases(notes);

  it('is the selection, else the phrase under the playhead, else nothing', () => {
    expect(scopeOf(select('lead', ['d', 'a']), 'lead', notes, phrases, 0)).toEqual({
      keys: ['a', 'd'],
      kind: 'selection',
    });
    expect(scopeOf(nothing, 'lead', notes, phrases, 4.5)).toEqual({ keys: ['c', 'd'], kind: 'phrase' });
    expect(scopeOf(nothing, 'lead', notes, phrases, 3)).toEqual({ keys: [], kind: 'nothing' });
  });

  it('never is a selection on another track, nor notes that are gone', () => {
    expect(scopeOf(select('double', ['a']), 'lead', notes, phrases, 9).kind).toBe('nothing');
    expect(scopeOf(select('lead', ['z']), 'lead', notes, phrases, 1.2)).toEqual({ keys: ['a', 'b'], kind: 'phrase' });
  });

  it('takes the playhead before a phrase as in it', () => {
    expect(phraseAt(phrases, 0.7)).toBe(0);
    expect(phraseAt(phrases, 3.6)).toBe(1);
    expect(phraseAt(phrases, 3)).toBe(-1);
    expect(phraseAt(phrases, 7)).toBe(-1);
  });
});

describe('phrases', () => {
  it('are cut at rests and hold every note once', () => {
    const found = findPhrases(notes);
    expect(found).toHaveLength(2);
    expect(found[0]).toMatchObject({ start: 1, end: 2.4 });
    expect(findPhrases([])).toEqual([]);
  });

  it('take a scrap in, unless it stands far alone', () => {
    const near = findPhrases([...notes, { start: 6.4, end: 6.6 }]);
    expect(near).toHaveLength(2);
    expect(near[1]).toMatchObject({ end: 6.6 });
    expect(findPhrases([...notes, { start: 16.4, end: 16.6 }])).toHaveLength(3);
  });
});
