import { hzToMidi, noteKey, select, wholeNote, type Take } from '@essim/core';
import { now, open, song, sung, take, track } from '../testing';
import { inScope, moveNotes, settleScope } from '../desks/tune/edits';
import { chooseTyped } from './choosing';
import { nudge } from './moving';
import { hearNextWay, hearScopeAt, joinScope, octaveScope, removeScope, setScopeKind, splitAt } from './corrections';
import { chooseKept, forgetKept, keepSelection } from './kept-selections';
import {
  choose,
  chooseSpan,
  currentScope,
  editViewOf,
  groupOf,
  toggleGrouped,
  toggleViewed,
  undo,
  useSession,
} from '../open-song';

/** A lead of four notes of .8 s, a second apart, and a double 40 ms later and three notes long. */
beforeEach(() => {
  const keyed = (pitch: number, count: number) => {
    const view = sung(pitch, [count]);
    return { ...view, notes: view.notes.map(n => ({ ...n, key: noteKey(n) })) };
  };
  return open(
    song([
      track('lead', [take('a')]),
      track('double', [take('b', { offsetSeconds: 0.04 })], { role: 'double' }),
      track('piano', [take('c')], { role: 'backing' }),
    ]),
    { a: keyed(60.3, 4), b: keyed(60.2, 3), c: keyed(60, 4) },
  );
});

const state = useSession.getState;
const notes = () => editViewOf(state()).notes;
const pick = (...indices: number[]) =>
  choose(
    select(
      'lead',
      indices.map(i => notes()[i].key),
    ),
  );
const takeOf = (id: string): Take =>
  now()
    .tracks.flatMap(t => t.takes)
    .find(t => t.id === id)!;
const edited = (id: string) => Object.values(takeOf(id).edits).map(e => [e.start, e.target]);
const group = (...ids: string[]) => {
  ids.forEach(toggleViewed);
  toggleGrouped();
};

describe('a stretch that cuts through notes', () => {
  it('hears the part of a note otherwise, and leaves the note whole', () => {
    chooseSpan(0.5, 1.4);
    expect(currentScope(state()).parts.map(p => [p.start, p.end, p.whole])).toEqual([
      [0.5, 0.9, false],
      [1.1, 1.4, false],
    ]);
    octaveScope(1);
    const heard = takeOf('a').corrections!.heard;
    expect(heard.map(h => [h.start, h.end])).toEqual([
      [0.5, 0.9],
      [1.1, 1.4],
    ]);
    // the made-up line lies at 220 Hz, whatever its notes say
    expect(heard[0].midi).toBeCloseTo(hzToMidi(220) + 12, 3);
    expect(notes()).toHaveLength(4);
    undo();
    expect(takeOf('a').corrections).toBeNull();
  });

  it('is heard the next likely way by a key, until the first comes again', () => {
    const { candidates } = state().takes.a.auto!;
    candidates.count.fill(2);
    for (let k = 0; k < candidates.count.length; k++) {
      candidates.hz.set([220, 110], k * 7);
      candidates.periodicity.set([0.9, 0.9], k * 7);
      candidates.harmonicity.set([0.9, 0.8], k * 7);
    }
    chooseSpan(0.3, 0.7);
    hearNextWay();
    expect(takeOf('a').corrections!.heard[0].midi).toBeCloseTo(hzToMidi(110), 2);
    hearNextWay();
    expect(takeOf('a').corrections!.heard[0].midi).toBeCloseTo(hzToMidi(220), 2);
    expect(notes()).toHaveLength(4);
  });

  it('is of a kind as it is drawn, wherever notes begin', () => {
    chooseSpan(0.7, 1.3);
    setScopeKind('breath');
    expect(takeOf('a').corrections!.kinds).toEqual([{ start: 0.7, end: 1.3, kind: 'breath' }]);
  });

  it('takes out and tunes only what lies mostly inside', () => {
    chooseSpan(0.8, 2.95);
    expect(inScope().map(t => t.note.start)).toEqual([1.1, 2.1]);
    settleScope();
    expect(edited('a')).toEqual([
      [1.1, 60],
      [2.1, 60],
    ]);
    removeScope();
    expect(notes().map(n => n.start)).toEqual([0.1, 3.1]);
  });

  it('holds nothing rather than the phrase where nobody sings', () => {
    chooseSpan(0.92, 1.08);
    expect(currentScope(state())).toEqual({ kind: 'span', parts: [] });
    settleScope();
    expect(edited('a')).toEqual([]);
  });
});

describe('a group of tracks', () => {
  it('is the viewed voices, once they are to take the same commands', () => {
    toggleViewed('double');
    toggleViewed('piano');
    expect(groupOf(state())).toEqual([]);
    toggleGrouped();
    expect(groupOf(state()).map(t => t.id)).toEqual(['double']);
  });

  it('is tuned as one step, each note by its own singing', () => {
    group('double');
    pick(1, 3);
    settleScope();
    expect(edited('a')).toEqual([
      [1.1, 60],
      [3.1, 60],
    ]);
    expect(edited('b')).toEqual([[1.1, 60]]);
    nudge(1, 'semitone');
    expect([edited('a')[0][1], edited('b')[0][1]]).toEqual([61, 61]);
    undo();
    undo();
    expect([edited('a'), edited('b')]).toEqual([[], []]);
  });

  it('is moved along when notes are dragged', () => {
    group('double');
    moveNotes([wholeNote(notes()[0])], 2, 'semitone', {});
    expect([edited('a'), edited('b')]).toEqual([[[0.1, 62]], [[0.1, 62]]]);
  });

  it('is cut, joined and heard an octave higher together; a pitch is chosen for the edited track alone', () => {
    group('double');
    splitAt(1.5);
    expect(takeOf('a').corrections!.regions[0].notes).toHaveLength(2);
    expect(takeOf('b').corrections!.regions[0].notes.map(n => n.end)[0]).toBeCloseTo(1.46, 6);
    pick(1, 2);
    joinScope();
    expect(notes()).toHaveLength(4);
    pick(0);
    octaveScope(-1);
    expect([takeOf('a'), takeOf('b')].map(t => t.corrections!.heard.length)).toEqual([1, 1]);
    pick(2);
    hearScopeAt(48);
    expect([takeOf('a'), takeOf('b')].map(t => t.corrections!.heard.length)).toEqual([2, 1]);
  });

  it('stays out of it when it is no group', () => {
    toggleViewed('double');
    pick(0);
    settleScope();
    expect(edited('b')).toEqual([]);
  });
});

describe('selections kept by name', () => {
  const kept = () => now().kept;

  it('come back as the notes that lie there now, and with undo are gone', () => {
    pick(1, 2);
    keepSelection('the long ones');
    splitAt(1.5);
    choose(select('lead', []));
    chooseKept(kept()[0]);
    expect([...state().selection.notes]).toHaveLength(3);
    undo();
    undo();
    expect(kept()).toEqual([]);
  });

  it('keep a stretch as it was drawn, and take a name’s new places', () => {
    chooseSpan(0.5, 1.4);
    keepSelection('bridge');
    chooseSpan(0.5, 2.2);
    keepSelection('bridge');
    expect(kept()).toHaveLength(1);
    pick(0);
    chooseKept(kept()[0]);
    expect(state().selection.span).toEqual({ start: 0.5, end: 2.2 });
    forgetKept(kept()[0].id);
    expect(kept()).toEqual([]);
  });

  it('keep nothing when nothing is chosen', () => {
    choose(select('lead', []));
    keepSelection('none');
    expect(kept()).toEqual([]);
  });
});

describe('choosing by what is typed', () => {
  it.each([
    ['> 700 ms', 4],
    ['longer than 900', 0],
    ['< 0.9', 0],
    ['shorter than 900 ms', 4],
  ])('%s', (text, count) => {
    expect(chooseTyped(text)).toBe(true);
    expect(state().selection.notes.size).toBe(count);
  });

  it('a stretch, and what is neither', () => {
    expect(chooseTyped('1.2 to 2.5 s')).toBe(true);
    expect(state().selection.span).toEqual({ start: 1.2, end: 2.5 });
    for (const text of ['loud', '3 to 2 s', '']) expect(chooseTyped(text)).toBe(false);
    expect(state().selection.span).toEqual({ start: 1.2, end: 2.5 });
  });
});
