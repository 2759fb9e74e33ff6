import { pressKey, useKeys } from '../../keyboard/keys';
import { setOpened } from '../../open-song/state';
import { opened, undo, useSession } from '../../open-song';
import { now, open, song, sung, take, track, withSound } from '../../testing';
import { armKeys, watchLive } from './live';
import { useSource } from './state';

/** A lead of six notes a second apart, each from .1 to .9 s of its second; a player whose place the test says. */
const s = useSession.getState;
const at = { playing: true, position: 0 };
const named = (name: string) => now().tracks.find(t => t.name === name)!;
const notes = (name: string) => (named(name).guide?.notes ?? []).map(n => [n.start, n.end, n.midi]);
let end: () => void;
const given = globalThis as { window?: unknown };
beforeAll(() => {
  given.window = { addEventListener: () => {}, removeEventListener: () => {} };
});
afterAll(() => delete given.window);

beforeEach(async () => {
  await open(song([track('lead', [take('a')])], { key: { tonic: 0, mode: 'major' } }), { a: sung(60, [6]) });
  withSound({ a: 6 });
  at.playing = true;
  for (const name of ['playing', 'position'] as const)
    Object.defineProperty(opened()!.player, name, { get: () => at[name] });
  useSource.setState({ source: 'keys', voices: 2 });
  end = watchLive();
  armKeys(2);
});
afterEach(() => {
  end();
  setOpened(null);
  useKeys.setState({ held: [] });
  useSource.setState({ source: 'steps' });
});
const hold = (midi: number, down: number, up: number) => {
  at.position = down;
  pressKey(midi, true);
  at.position = up;
  pressKey(midi, false);
};

describe('keys that are sung', () => {
  it('have a part for each that is held at one time, silent at first', () => {
    expect(now().tracks.map(t => t.name)).toEqual(['lead', 'Played', 'Played 2']);
    expect(named('Played').part!.by).toBe('guide');
    expect(notes('Played')).toEqual([]);
    expect(s().editTrackId).toBe(named('Played').id);
    expect(useKeys.getState()).toMatchObject({ on: true, sung: true });
  });

  it('are a draft while they are held, and notes of the guide when they are let go', () => {
    at.position = 1;
    pressKey(64, true);
    expect(s().draft).not.toBeNull();
    expect(notes('Played')).toEqual([]);
    at.position = 1.8;
    pressKey(64, false);
    expect(s().draft).toBeNull();
    expect(notes('Played')).toEqual([[1, 1.8, 64]]);
    // one key after the other is one step back
    hold(65, 2, 2.7);
    expect(notes('Played')).toHaveLength(2);
    undo();
    expect(notes('Played')).toEqual([]);
  });

  it('held together go to parts of their own; more than there are parts is not sung', () => {
    at.position = 1;
    for (const m of [60, 64, 67]) pressKey(m, true);
    at.position = 1.5;
    pressKey(60, false);
    expect(s().draft).not.toBeNull();
    at.position = 2;
    for (const m of [64, 67]) pressKey(m, false);
    expect(notes('Played')).toEqual([[1, 1.5, 60]]);
    expect(notes('Played 2')).toEqual([[1, 2, 64]]);
  });

  it('played over what was played before, the new counts', () => {
    hold(60, 1, 4);
    hold(67, 2, 3);
    expect(notes('Played')).toEqual([
      [1, 2, 60],
      [2, 3, 67],
      [3, 4, 60],
    ]);
    hold(62, 3.01, 3.02);
    expect(notes('Played')).toHaveLength(3);
  });

  it('do nothing while the song stands still, or another source is chosen', () => {
    at.playing = false;
    hold(60, 1, 2);
    at.playing = true;
    useSource.setState({ source: 'chords' });
    hold(60, 1, 2);
    expect(notes('Played')).toEqual([]);
  });
});
