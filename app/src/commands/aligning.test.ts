import { Stopped, type Alignment, type Tie } from '@essim/core';
import type { SungTrack } from '../jobs/align.worker';
import { now, open, settled, song, sung, take, track, withSound } from '../testing';
import {
  alignTracks,
  chosenLeaf,
  freeWord,
  leavesOf,
  lockTie,
  moveWords,
  setAlign,
  stopAligning,
  tieWords,
  toggleAsSung,
  useAligning,
  type Leaf,
} from './aligning';
import { undo, useSession } from '../open-song';
import { setOpened } from '../open-song/state';
import { setTake } from '../open-song/views';
import { deleteTrack } from './tracks';

/** What the worker is asked, and what it answers. */
const asked: { lead: SungTrack; follower: SungTrack; ties: Tie[] }[] = [];
let answer: (stop: Int32Array, tell: (share: number) => void) => Promise<Alignment> | Alignment;
const forgotten = jest.fn();
jest.mock('../jobs/align-client', () => ({
  forgetAligned: () => forgotten(),
  withAligner: (work: (job: object) => unknown) =>
    work({
      align: async (
        lead: SungTrack,
        follower: SungTrack,
        _rate: number,
        ties: Tie[],
        stop: Int32Array,
        tell: (share: number) => void,
      ) => {
        asked.push({ lead, follower, ties });
        return answer(stop, tell);
      },
    }),
}));

const late: Alignment = {
  map: [
    { from: 0, to: 0 },
    { from: 2, to: 1.9 },
    { from: 9, to: 8.9 },
  ],
  apart: [],
  rests: [],
  confidence: 0.7,
};
const state = useSession.getState;
const trackNow = (id: string) => now().tracks.find(t => t.id === id)!;

beforeEach(async () => {
  asked.length = 0;
  answer = () => late;
  await open(
    song([
      track('lead', [take('l')]),
      track('ash', [take('a', { offsetSeconds: 0.5 })], { role: 'double', followsId: 'lead' }),
      track('elm', [take('e')], { role: 'harmony', followsId: 'lead' }),
    ]),
    { l: sung(60, [6]), a: sung(60, [6]), e: sung(64, [6]) },
  );
  withSound({ l: 7, a: 7, e: 7 });
});
afterEach(() => setOpened(null));

const align = (...ids: string[]) => alignTracks(ids.map(trackNow));
const view = (id: string) => state().views[id];
const leaf = (id: string, i: number): Leaf => leavesOf(state(), trackNow(id))[i];

describe('aligning', () => {
  it('sends both comps as sung in song time, and keeps what was found as one entry', async () => {
    await align('ash');
    const [{ lead, follower, ties }] = asked;
    expect(lead.sources.map(([id]) => id)).toEqual(['l']);
    expect(follower.clips[0]).toMatchObject({ takeId: 'a', shift: 0.5 });
    // a take of seven seconds that begins half a second in
    expect(follower.length).toBe(7.5 * 48000);
    expect(ties).toEqual([]);
    expect(trackNow('ash').found).toMatchObject({ points: [0, 0, 2, 1.9, 9, 8.9], confidence: 0.7 });
    undo();
    expect(trackNow('ash').found).toBeNull();
  });

  it('takes several followers in one step, one after the other, and tells which it is at', async () => {
    const told: (string | undefined)[] = [];
    answer = (_, tell) => {
      tell(0.5);
      const at = useAligning.getState();
      told.push(at ? `${at.name} ${at.done + 1}/${at.of} ${at.share}` : undefined);
      return late;
    };
    await align('ash', 'elm');
    expect(told).toEqual(['ash 1/2 0.5', 'elm 2/2 0.5']);
    expect(forgotten).toHaveBeenCalledTimes(1);
    expect(now().tracks.filter(t => t.found)).toHaveLength(2);
    undo();
    expect(now().tracks.filter(t => t.found)).toHaveLength(0);
    expect(useAligning.getState()).toBeNull();
  });

  it('when it is stopped half-way nothing is changed, and it can begin again', async () => {
    answer = stop => {
      stopAligning();
      if (Atomics.load(stop, 0)) throw new Stopped('stopped');
      return late;
    };
    const before = now();
    await align('ash', 'elm');
    expect(asked).toHaveLength(1);
    expect(now()).toBe(before);
    answer = stop => {
      expect(Atomics.load(stop, 0)).toBe(0);
      return late;
    };
    await align('ash');
    expect(trackNow('ash').found).not.toBeNull();
  });

  it('what cannot be aligned is told and leaves everything as it was', async () => {
    answer = () => {
      throw new Error('the lead is silent');
    };
    const before = now();
    await align('ash');
    expect(now()).toBe(before);
    expect(useAligning.getState()).toBeNull();
    // a recording that could not be loaded is no crash either
    withSound({ l: 7 });
    setTake('a', { status: 'failed' });
    await align('ash');
    expect(now()).toBe(before);
  });

  it('waits for a recording that is still on its way, and can be stopped meanwhile', async () => {
    const { sounds } = withSound({ l: 7 });
    const first = align('ash');
    await new Promise(r => setTimeout(r, 120));
    expect(useAligning.getState()).toMatchObject({ name: 'ash', share: 0 });
    stopAligning();
    await first;
    expect([asked.length, trackNow('ash').found]).toEqual([0, null]);
    const again = align('ash');
    sounds.set('a', { sung: [new Float32Array(7 * 48000)], linked: false });
    await again;
    expect(trackNow('ash').found).not.toBeNull();
  });

  it('a follower deleted meanwhile is left out, and another song is not written to', async () => {
    answer = () => {
      if (trackNow('ash')) deleteTrack(trackNow('ash'));
      return late;
    };
    await align('ash', 'elm');
    expect(now().tracks.map(t => t.id)).toEqual(['lead', 'elm']);
    expect(trackNow('elm').found).not.toBeNull();
    const before = now();
    answer = () => {
      setOpened(null);
      return late;
    };
    await align('elm');
    expect(now()).toBe(before);
  });

  it('one runs at a time', async () => {
    let go: () => void = () => {};
    answer = () => new Promise(done => (go = () => done(late)));
    const first = align('ash');
    await align('elm');
    await settled(() => asked.length === 1);
    go();
    await first;
    expect(asked).toHaveLength(1);
  });
});

describe('what is said by hand', () => {
  beforeEach(() => align('ash'));

  it('a tie is kept and asked for; what it would cross gives way', async () => {
    await tieWords(trackNow('ash'), [{ leaf: leaf('ash', 2), heard: 2.0 }]);
    await tieWords(trackNow('ash'), [{ leaf: leaf('ash', 4), heard: 4.2 }]);
    expect(asked.at(-1)!.ties.map(t => t.lead)).toEqual([2.0, 4.2]);
    // later in the follower and earlier in the lead than the first: the two cannot both hold
    await tieWords(trackNow('ash'), [{ leaf: leaf('ash', 3), heard: 1.5 }]);
    expect(trackNow('ash').align!.ties.map(t => t.lead)).toEqual([1.5, 4.2]);
    expect(leaf('ash', 3).tied).toBe('tied');
    expect(leaf('ash', 2).tied).toBeNull();
  });

  it('a locked tie is met exactly whatever the closeness', async () => {
    await tieWords(trackNow('ash'), [{ leaf: leaf('ash', 2), heard: 2.4 }]);
    lockTie(trackNow('ash'), leaf('ash', 2), true);
    setAlign('closeness', trackNow('ash'), { closeness: 0 });
    expect(leaf('ash', 2).tied).toBe('locked');
    expect(Math.abs(view('ash').notes[2].onset - 2.4)).toBeLessThan(0.002);
    lockTie(trackNow('ash'), leaf('ash', 2), false);
    expect(Math.abs(view('ash').notes[2].onset - leaf('ash', 2).at)).toBeLessThan(1e-6);
  });

  it('a word moved by hand is heard there; as found again, it goes back; a tie given up is aligned anew', async () => {
    const { at, now: was } = leaf('ash', 1);
    moveWords(trackNow('ash'), [{ leaf: leaf('ash', 1), to: at + 0.2 }]);
    expect(leaf('ash', 1).moved).toBe(true);
    expect(Math.abs(view('ash').notes[1].onset - at - 0.2)).toBeLessThan(0.002);
    await freeWord(trackNow('ash'), leaf('ash', 1));
    expect(leaf('ash', 1).moved).toBe(false);
    expect(leaf('ash', 1).now).toBeCloseTo(was!, 4);
    const before = asked.length;
    await tieWords(trackNow('ash'), [{ leaf: leaf('ash', 1), heard: 1 }]);
    await freeWord(trackNow('ash'), leaf('ash', 1));
    expect(asked).toHaveLength(before + 2);
    expect(trackNow('ash').align!.ties).toEqual([]);
  });

  it('is gone when the word is freed: the stretch left as sung too', async () => {
    const { sungStart, sungEnd } = leaf('ash', 3);
    toggleAsSung(trackNow('ash'), sungStart - 0.03, sungEnd + 0.02);
    expect(leaf('ash', 3).kept).toBe(true);
    await freeWord(trackNow('ash'), leaf('ash', 3));
    expect(leaf('ash', 3).kept).toBe(false);
  });

  it('the chosen leaf is the shown follower’s, never the lead’s', () => {
    const key = leaf('ash', 2).key;
    useSession.setState({ selection: { trackId: 'ash', notes: new Set([key]), span: null } });
    expect(chosenLeaf(state())?.key).toBe(key);
    useSession.setState({ selection: { trackId: 'lead', notes: new Set([key]), span: null } });
    expect(chosenLeaf(state())).toBeNull();
  });
});
