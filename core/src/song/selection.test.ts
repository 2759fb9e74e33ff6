import { alongside, extend, notesAt, nothing, phraseAt, scopeOf, select, selectSpan, toggle } from './selection';
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

  const keys = (...args: Parameters<typeof scopeOf>) => scopeOf(...args).parts.map(p => p.key);

  it('is the selection, else the phrase under the playhead, else nothing', () => {
    expect(scopeOf(select('lead', ['d', 'a']), 'lead', notes, phrases, 0).kind).toBe('selection');
    expect(keys(select('lead', ['d', 'a']), 'lead', notes, phrases, 0)).toEqual(['a', 'd']);
    expect(scopeOf(nothing, 'lead', notes, phrases, 4.5).kind).toBe('phrase');
    expect(keys(nothing, 'lead', notes, phrases, 4.5)).toEqual(['c', 'd']);
    expect(scopeOf(nothing, 'lead', notes, phrases, 3)).toEqual({ parts: [], kind: 'nothing' });
  });

  it('never is a selection on another track, nor notes that are gone', () => {
    expect(scopeOf(select('double', ['a']), 'lead', notes, phrases, 9).kind).toBe('nothing');
    expect(scopeOf(selectSpan('double', 1, 2), 'lead', notes, phrases, 9).kind).toBe('nothing');
    expect(keys(select('lead', ['z']), 'lead', notes, phrases, 1.2)).toEqual(['a', 'b']);
  });

  it('is what a span holds of the notes it cuts through, from whichever end it was drawn', () => {
    const scope = scopeOf(selectSpan('lead', 4.4, 1.2), 'lead', notes, phrases, 0);
    expect(scope).toEqual({
      kind: 'span',
      parts: [
        { key: 'a', start: 1.2, end: 1.5, whole: false, mostly: true },
        { key: 'b', start: 1.5, end: 2.4, whole: true, mostly: true },
        { key: 'c', start: 4, end: 4.4, whole: false, mostly: false },
      ],
    });
    // a sliver is not meant, and an empty span holds nothing rather than the phrase
    expect(keys(selectSpan('lead', 2.39, 4.005), 'lead', notes, phrases, 0)).toEqual([]);
    expect(scopeOf(selectSpan('lead', 3, 3.5), 'lead', notes, phrases, 4.5)).toEqual({ kind: 'span', parts: [] });
  });

  it('reaches what lies alongside on other tracks, whole or the same part', () => {
    const double = [
      { key: 'p', start: 1.06, end: 1.55 },
      { key: 'q', start: 1.58, end: 2.5 },
      { key: 'r', start: 2.6, end: 3 },
      { key: 's', start: 4.1, end: 5.1 },
    ];
    const { parts } = scopeOf(select('lead', ['a', 'b']), 'lead', notes, phrases, 0);
    expect(alongside(parts, double)).toEqual([
      { key: 'p', start: 1.06, end: 1.55, whole: true, mostly: true },
      { key: 'q', start: 1.58, end: 2.5, whole: true, mostly: true },
    ]);
    const cut = scopeOf(selectSpan('lead', 4.2, 4.6), 'lead', notes, phrases, 0).parts;
    expect(alongside(cut, double)).toEqual([{ key: 's', start: 4.2, end: 4.6, whole: false, mostly: false }]);
    expect(alongside([], double)).toEqual([]);
  });

  it('finds kept places again though borders moved a little, and not what is gone', () => {
    const places = [notes[1], notes[3]].map(({ start, end }) => ({ start: start + 0.05, end: end - 0.02 }));
    expect(notesAt(places, notes)).toEqual(['b', 'd']);
    expect(notesAt([{ start: 2.6, end: 3.4 }], notes)).toEqual([]);
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
