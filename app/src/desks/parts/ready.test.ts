import { setOpened } from '../../open-song/state';
import { change, opened, trackOf, useSession } from '../../open-song';
import { setTrack, type Track } from '@essim/core';
import type { HeldStretch, LiveNote } from '../../player/held-voice';
import { now, open, settled, song, sung, take, track, withSound } from '../../testing';
import { makeParts, sourceForParts } from '../../commands/parts';
import { keepReady } from './ready';
import { useSource } from './state';

/** A lead of thirty notes a second apart; a part by a guide that is silent so far; a player whose place the test says. */
const s = useSession.getState;
const at = { playing: true, position: 5 };
const part = (): Track => now().tracks.find(t => t.part)!;
let asked: [from: number, to: number][] = [];
let told: Record<string, HeldStretch>[] = [];
let rests = true;
let end: () => void;

beforeEach(async () => {
  await open(song([track('lead', [take('a')])], { key: { tonic: 0, mode: 'major' } }), { a: sung(62, [30]) });
  withSound({ a: 30 });
  makeParts('part-from', { notes: [], name: 'Played' }, sourceForParts(s())!);
  const [{ id }] = part().takes;
  useSession.setState({ takes: { ...s().takes, [id]: s().takes.a } });
  Object.assign(at, { playing: true, position: 5 });
  [asked, told, rests] = [[], [], true];
  const client = {
    prepared: true,
    plan: () => {},
    attend: () => {},
    close: () => {},
    live: (_: unknown, __: unknown, from: number, to: number) => {
      asked.push([from / now().sampleRate, to / now().sampleRate]);
      return Promise.resolve({ from, to } as unknown as LiveNote);
    },
  };
  opened()!.clients.set(id, client as never);
  for (const name of ['playing', 'position'] as const)
    Object.defineProperty(opened()!.player, name, { get: () => at[name] });
  opened()!.player.setHeld = stretches => void told.push(stretches);
  end = keepReady(
    () => [part()],
    () => rests,
  );
});
afterEach(() => {
  end();
  setOpened(null);
});
const looks = () => new Promise(go => setTimeout(go, 900));

describe('words that are kept ready', () => {
  it('are those about the playhead, at the middle of what the lead sings, and made once', async () => {
    await settled(() => told.length > 0);
    expect(Object.keys(told[0])).toEqual([part().id]);
    expect(told[0][part().id]).toMatchObject({ midi: 62, offset: 0, formantCents: 0 });
    expect(asked[0][0]).toBeCloseTo(4.5, 3);
    expect(asked[0][1]).toBeCloseTo(29, 3);
    expect(useSource.getState().wordsReady).toBe(true);
    // what is played meanwhile changes nothing of them
    change('Play', setTrack(part().id, { levelDb: -3 }));
    await looks();
    expect(told).toHaveLength(1);
    end();
    expect(told[1]).toEqual({});
    expect(useSource.getState().wordsReady).toBe(false);
  });

  it('are made anew where the song has gone on or the lead was changed, never while something is held', async () => {
    await settled(() => told.length === 1);
    rests = false;
    at.position = 22;
    await looks();
    expect(told).toHaveLength(1);
    rests = true;
    await settled(() => told.length === 2);
    expect(asked[1][0]).toBeCloseTo(21.5, 3);
    change('Lead', setTrack('lead', { takes: trackOf(s(), 'lead')!.takes.map(t => ({ ...t, name: 'other' })) }));
    await settled(() => told.length === 3);
  });

  it('wait while the song stands still', async () => {
    at.playing = false;
    await looks();
    expect([told, asked]).toEqual([[], []]);
  });
});
