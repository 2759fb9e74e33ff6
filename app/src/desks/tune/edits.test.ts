import { noteKey, select } from '@essim/core';
import { now, open, song, sung, take, track } from '../../testing';
import { choose, editViewOf, redo, undo, useSession } from '../../store/session';
import { asSungScope, commitMove, faderValue, inScope, moved, nudge, setFader, settleScope, togglePin } from './edits';

/** The tuning commands on four notes sung a third of a semitone over C4, in C major. */
beforeEach(() => {
  const read = sung(60.3, [4]);
  const notes = read.notes.map(n => ({ ...n, key: noteKey(n) }));
  return open(song([track('lead', [take('a')])], { key: { tonic: 0, mode: 'major' } }), { a: { ...read, notes } });
});

const state = useSession.getState;
const keys = () => editViewOf(state()).notes.map(n => n.key);
const pick = (...indices: number[]) =>
  choose(
    select(
      'lead',
      indices.map(i => keys()[i]),
    ),
  );
/** Edits by note, in order. */
const edits = () => {
  const kept = now().tracks[0].takes[0].edits;
  return editViewOf(state()).notes.map(n => kept[n.takeKey]);
};
const targets = () => edits().map(e => e?.target);
const steps = () => state().history!.cursor;

describe('moving notes', () => {
  test('by steps of the key, semitones and five cents; what is moved by hand is pinned', () => {
    pick(0, 1);
    nudge(1, 'step');
    expect(targets()).toEqual([62, 62, undefined, undefined]);
    nudge(1, 'semitone');
    expect(targets().slice(0, 2)).toEqual([63, 63]);
    nudge(-1, 'fine');
    expect(targets().slice(0, 2)).toEqual([62.95, 62.95]);
    nudge(1, 'step');
    expect(targets().slice(0, 2)).toEqual([64, 64]);
    expect(edits().map(e => e?.pinned)).toEqual([true, true, undefined, undefined]);
  });

  test('snaps to the key, to semitones or to nothing', () => {
    pick(0);
    const list = inScope();
    const to = (semitones: number, snap: 'key' | 'semitone' | 'free') =>
      Object.values(moved(state(), list, semitones, snap))[0].target;
    expect(to(0.9, 'key')).toBe(62);
    expect(to(0.9, 'semitone')).toBe(61);
    expect(to(0.9, 'free')).toBeCloseTo(61.2, 9);
  });

  test('is one entry, taken back and done again as one', () => {
    pick(0, 1, 2);
    commitMove(inScope(), 2, 'key');
    expect(targets()).toEqual([62, 62, 62, undefined]);
    undo();
    expect(targets()).toEqual([undefined, undefined, undefined, undefined]);
    redo();
    expect(targets()).toEqual([62, 62, 62, undefined]);
  });
});

describe('settling', () => {
  test('puts notes on the key, leaves pinned ones, and As sung takes all of it off', () => {
    pick(3);
    nudge(1, 'fine');
    pick(0, 1, 2, 3);
    settleScope();
    expect(targets()).toEqual([60, 60, 60, 60.35]);
    asSungScope();
    expect(edits()).toEqual([undefined, undefined, undefined, undefined]);
  });

  test('with nothing chosen acts on the phrase at the playhead', () => {
    choose(select('lead', []));
    settleScope();
    expect(targets()).toEqual([60, 60, 60, 60]);
  });
});

describe('faders', () => {
  test('set what was asked on every note in scope, one entry a gesture', () => {
    pick(0, 1);
    const before = steps();
    for (const v of [90, 60, 30]) setFader('vibrato', v, 'one drag');
    expect(edits().map(e => e?.vibrato)).toEqual([30, 30, undefined, undefined]);
    expect(steps()).toBe(before + 1);
    setFader('vibrato', 80, 'another drag');
    expect(steps()).toBe(before + 2);
  });

  test('Aim needs somewhere to go: the nearest step', () => {
    pick(0);
    expect(faderValue(inScope()[0], 'aim')).toBe(0);
    setFader('aim', 40, 'a');
    expect(edits()[0]).toMatchObject({ target: 60, aim: 40 });
    expect(faderValue(inScope()[0], 'aim')).toBe(40);
  });

  test('back to as sung is nothing kept', () => {
    pick(0);
    setFader('glide', 120, 'a');
    expect(faderValue(inScope()[0], 'glide')).toBe(120);
    setFader('glide', null, 'b');
    expect(edits()[0]).not.toHaveProperty('glide');
    expect(faderValue(inScope()[0], 'glide')).toBeNull();
    expect(faderValue(inScope()[0], 'fall')).toBe(100);
  });
});

test('pins go on together and off together', () => {
  pick(0);
  togglePin();
  pick(0, 1);
  togglePin();
  expect(edits().map(e => e?.pinned)).toEqual([true, true, undefined, undefined]);
  togglePin();
  expect(edits().map(e => e?.pinned)).toEqual([false, false, undefined, undefined]);
});
