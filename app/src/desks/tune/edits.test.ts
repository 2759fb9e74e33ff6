import { noteKey, select, validatedSong, wholeNote } from '@essim/core';
import { now, open, song, sung, take, track } from '../../testing';
import { choose, drop, editViewOf, redo, undo, useSession } from '../../open-song';
import { asSungScope, faderKind, faderValue, inScope, moveNotes, setFader, settleScope, togglePin } from './edits';
import { nudge } from '../../commands/moving';
import { beginWith, firmerWhenShort, STARTS } from './starts';

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
  const kept = Object.values(now().tracks[0].takes[0].edits);
  return editViewOf(state()).notes.map(n => kept.find(e => e.start < n.end && e.end > n.start));
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
    const first = editViewOf(state()).notes.slice(0, 1).map(wholeNote);
    const to = (semitones: number, snap: 'key' | 'semitone' | 'free') => {
      moveNotes(first, semitones, snap, {});
      const [target] = targets();
      undo();
      return target;
    };
    expect(to(0.9, 'key')).toBe(62);
    expect(to(0.9, 'semitone')).toBe(61);
    expect(to(0.9, 'free')).toBeCloseTo(61.2, 9);
  });

  test('is one entry, taken back and done again as one', () => {
    moveNotes(editViewOf(state()).notes.slice(0, 3).map(wholeNote), 2, 'key', {});
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
    for (const v of [90, 60, 30]) setFader('vibrato', v, { held: true });
    expect(editViewOf(state()).edits[keys()[0]].vibrato).toBe(30);
    expect(steps()).toBe(before);
    drop();
    expect(edits().map(e => e?.vibrato)).toEqual([30, 30, undefined, undefined]);
    expect(steps()).toBe(before + 1);
    // by keys, those that follow each other at once are one
    for (const v of [29, 28, 27]) setFader('vibrato', v, { kind: faderKind('vibrato') });
    expect(steps()).toBe(before + 2);
    for (const v of [29, 28]) setFader('wander', v, { kind: faderKind('wander') });
    expect(steps()).toBe(before + 3);
  });

  test('Aim needs somewhere to go: the nearest step', () => {
    pick(0);
    expect(faderValue(inScope()[0], 'aim')).toBe(0);
    setFader('aim', 40, {});
    expect(edits()[0]).toMatchObject({ target: 60, aim: 40 });
    expect(faderValue(inScope()[0], 'aim')).toBe(40);
  });

  test('back to as sung is nothing kept', () => {
    pick(0);
    setFader('glide', 120, {});
    expect(faderValue(inScope()[0], 'glide')).toBe(120);
    setFader('glide', null, {});
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
  expect(edits().map(e => e?.pinned)).toEqual([undefined, undefined, undefined, undefined]);
});

describe('a note placed by hand', () => {
  beforeEach(() => {
    pick(1);
    nudge(1, 'fine');
    choose(select('lead', []));
  });
  const pinnedNow = () => edits()[1];

  test.each([
    ['a semitone key', () => nudge(1, 'semitone')],
    ['a step key', () => nudge(-1, 'step')],
    ['Aim', () => setFader('aim', 0, {})],
    ['As sung', () => (settleScope(), asSungScope())],
    ['Settle', () => settleScope()],
  ])('is not moved by %s over its phrase', (_, command) => {
    const before = pinnedNow();
    command();
    expect(pinnedNow()).toEqual(before);
    expect(steps()).toBeGreaterThan(1);
  });

  test('is moved when it is chosen itself, and says so when nothing else could be', () => {
    pick(1);
    nudge(1, 'fine');
    expect(pinnedNow()!.target).toBeCloseTo(60.4, 6);
    asSungScope();
    expect(pinnedNow()).toBeUndefined();
  });
});

test('a note cannot be moved to where a song could not be opened again', () => {
  pick(0);
  for (let i = 0; i < 4; i++) moveNotes(editViewOf(state()).notes.slice(0, 1).map(wholeNote), 47, 'free', {});
  expect(targets()[0]).toBeLessThanOrEqual(128);
  expect(() => validatedSong(JSON.parse(JSON.stringify(now())))).not.toThrow();
});

describe('starting points', () => {
  it.each(STARTS)('$name is one step, and shapes what is in scope alone', start => {
    pick(1, 2);
    const before = steps();
    beginWith(start);
    expect(steps()).toBe(before + 1);
    for (const i of [1, 2]) expect(edits()[i]).toMatchObject(start.with);
    expect(edits()[0]).toBeUndefined();
    undo();
    expect(edits().every(e => !e)).toBe(true);
  });

  it('makes short notes firmer', () => {
    pick(0, 1, 2, 3);
    firmerWhenShort();
    // all of them are longer than 600 ms
    expect(edits().map(e => e?.aim)).toEqual([70, 70, 70, 70]);
  });
});
