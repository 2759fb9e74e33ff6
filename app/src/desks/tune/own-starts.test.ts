import { select } from '@essim/core';
import { act, choose, editViewOf, songOf, undo, useSession } from '../../open-song';
import { open, song, sung, take, track } from '../../testing';
import { forgetStart, keepStart, ownStarts, valuesOf } from './own-starts';

const kept = new Map<string, string>();
const given = globalThis as { localStorage?: unknown };
beforeAll(() => {
  given.localStorage = {
    getItem: (k: string) => kept.get(k) ?? null,
    setItem: (k: string, v: string) => kept.set(k, v),
  };
});
afterAll(() => delete given.localStorage);

const s = useSession.getState;
const names = () => ownStarts(s()).map(o => o.name);
const another = () =>
  open(song([track('lead', [take('a')])], { id: 'other', key: { tonic: 0, mode: 'major' } }), { a: sung(60.4, [6]) });
const pick = (i: number) => choose(select('lead', [editViewOf(s()).notes[i].key]));

beforeEach(async () => {
  kept.clear();
  await another();
  pick(0);
});

it('are what the chosen note is set to, and are given to others', () => {
  act('shape', { aim: 80, wander: 35, vibrato: 120 });
  expect(keepStart('  My own ')).toBe(true);
  const [own] = ownStarts(s());
  expect(own.name).toBe('My own');
  expect(valuesOf(own)).toEqual({ aim: 80, wander: 35, vibrato: 120, scoop: 100, fall: 100 });
  pick(3);
  act('shape', valuesOf(own));
  expect(editViewOf(s()).edits[editViewOf(s()).notes[3].key]).toMatchObject({ aim: 80, wander: 35, vibrato: 120 });
});

it('are kept with the song, and with the browser for other songs', async () => {
  keepStart('Mine');
  expect(songOf(s())!.starts.map(o => o.name)).toEqual(['Mine']);
  await another();
  expect(songOf(s())!.starts).toEqual([]);
  expect(names()).toEqual(['Mine']);
});

it('of one name are one; the last counts, and undo gives the one before back to the song', () => {
  act('shape', { wander: 20 });
  keepStart('Mine');
  act('shape', { wander: 60 });
  keepStart('Mine');
  expect(ownStarts(s()).map(o => o.wander)).toEqual([60]);
  undo();
  expect(songOf(s())!.starts.map(o => o.wander)).toEqual([20]);
});

it('are forgotten in both places', () => {
  keepStart('Mine');
  forgetStart('Mine');
  expect([names(), songOf(s())!.starts]).toEqual([[], []]);
});

it.each(['nonsense', '{"name": "x"}', '[{"name": "x"}, 4, null]'])(
  'what the browser keeps may be anything: %s',
  text => {
    kept.set('essim starts', text);
    expect(names()).toEqual([]);
    expect(keepStart('Mine')).toBe(true);
    expect(names()).toEqual(['Mine']);
  },
);

it('without a name, or with nothing chosen to take them from, there are none', () => {
  expect(keepStart('  ')).toBe(false);
  expect(names()).toEqual([]);
});
