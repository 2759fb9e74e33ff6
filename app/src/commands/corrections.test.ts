import { hzToMidi, noteKey, select } from '@essim/core';
import { now, open, song, sung, take, track } from '../testing';
import { chooseAlike, reshape } from './choosing';
import {
  addNoteAt,
  asReadScope,
  doubtsIn,
  grabBorder,
  grabNoise,
  joinScope,
  lookAt,
  octaveScope,
  removeScope,
  setScopeKind,
  setSpanKind,
  splitAt,
} from './corrections';
import { choose, editViewOf, undo, useSession } from '../open-song';

const view = () => editViewOf(useSession.getState());
const notes = () => view().notes;
const spans = () => notes().map(n => [n.start, n.end]);
const pick = (...indices: number[]) =>
  choose(
    select(
      'lead',
      indices.map(i => notes()[i].key),
    ),
  );
const corrections = () => now().tracks[0].takes[0].corrections;
const chosen = () => useSession.getState().selection.notes.size;

/** Four notes of .8 s, a second apart; the take lies two seconds late in the song. */
beforeEach(() =>
  open(song([track('lead', [take('a', { offsetSeconds: 2, edits: { n0: { start: 0.1, end: 0.9, target: 60 } } })])]), {
    a: { ...sung(60, [4]), notes: sung(60, [4]).notes.map(n => ({ ...n, key: noteKey(n) })) },
  }),
);

describe('corrections of what was heard', () => {
  it('cut a note at a moment of the song; both parts keep its edit', () => {
    splitAt(2.5);
    expect(spans().slice(0, 2)).toEqual([
      [2.1, 2.5],
      [2.5, 2.9],
    ]);
    expect(corrections()!.regions[0].notes).toHaveLength(2);
    expect(Object.values(view().edits).map(e => e.target)).toEqual([60, 60]);
    undo();
    expect(notes()).toHaveLength(4);
    expect(corrections()).toBeNull();
  });

  it('cut nothing where there is no note', () => {
    splitAt(2.98);
    splitAt(99);
    expect(corrections()).toBeNull();
  });

  it('join the chosen notes, or one and the next', () => {
    pick(1, 2);
    joinScope();
    expect(spans()[1]).toEqual([3.1, 4.9]);
    pick(0);
    joinScope();
    expect(spans()[0]).toEqual([2.1, 4.9]);
  });

  it('act on nothing by themselves: without a choice no phrase is changed', () => {
    choose(select('lead', []));
    joinScope();
    removeScope();
    octaveScope(1);
    setScopeKind('breath');
    asReadScope();
    expect(corrections()).toBeNull();
  });

  it('take notes out and put them back as read', () => {
    pick(1);
    removeScope();
    expect(notes()).toHaveLength(3);
    addNoteAt(3.1, 3.9);
    expect(spans()[1]).toEqual([3.1, 3.9]);
    pick(1);
    asReadScope();
    expect(corrections()!.regions).toEqual([]);
    expect(notes()).toHaveLength(4);
  });

  it('hear notes an octave higher, assumed where nothing speaks for it', () => {
    pick(0);
    octaveScope(1);
    const { reading, assumed } = view();
    expect(hzToMidi(reading!.f0[Math.round(2.5 / 0.005)])).toBeCloseTo(
      hzToMidi(220) + 12 * Math.round((72 - 57) / 12),
      4,
    );
    expect(assumed[0].start).toBeCloseTo(2.1, 2);
  });

  it('say what the chosen notes are, not what lies between them', () => {
    pick(0, 2);
    setScopeKind('spoken');
    expect(corrections()!.kinds.map(k => [k.start, k.end].map(t => Math.round(t * 1e6) / 1e6))).toEqual([
      [0.1, 0.9],
      [2.1, 2.9],
    ]);
    expect(spans()).toEqual([
      [3.1, 3.9],
      [5.1, 5.9],
    ]);
    expect(view().reading!.spoken).toHaveLength(2);
  });

  it('move a border in one step, from where it was taken hold of', () => {
    const move = grabBorder(notes()[1].key, 'end')!;
    for (const to of [3.8, 3.6, 3.7]) move(to);
    expect(spans()[1]).toEqual([3.1, 3.7]);
    undo();
    expect(spans()[1]).toEqual([3.1, 3.9]);
    expect(grabBorder('nobody', 'end')).toBeNull();
  });

  it('move the border of an unpitched sound; what it leaves is nothing', () => {
    setSpanKind({ start: 3.1, end: 3.4 }, 'breath');
    const [breath] = view().reading!.noises;
    grabNoise(breath, 'end')!(3.3);
    expect(view().reading!.noises).toMatchObject([{ kind: 'breath', start: 3.1 }]);
    expect(view().reading!.noises[0].end).toBeCloseTo(3.3, 6);
  });

  it('tick a doubt off without reading anew', () => {
    const reading = useSession.getState().takes.a!.reading;
    const [doubt] = doubtsIn(useSession.getState());
    expect(doubt).toMatchObject({ reason: 'weak', looked: false });
    lookAt(doubt, true);
    expect(doubtsIn(useSession.getState())[0].looked).toBe(true);
    expect(useSession.getState().takes.a!.reading).toBe(reading);
    lookAt(doubtsIn(useSession.getState())[0], false);
    expect(corrections()!.looked).toEqual([]);
  });
});

describe('choosing alike', () => {
  it('finds notes by what they are, and shapes the choice', () => {
    pick(0);
    chooseAlike('pitch');
    expect(chosen()).toBe(4);
    chooseAlike('edited');
    expect(chosen()).toBe(1);
    reshape('grow');
    expect(chosen()).toBe(2);
    reshape('invert');
    expect(chosen()).toBe(2);
    reshape('shrink');
    expect(chosen()).toBe(0);
    chooseAlike('doubtful');
    expect(chosen()).toBe(4);
  });
});
