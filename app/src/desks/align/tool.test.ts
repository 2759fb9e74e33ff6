import { FoundAlignment, select, usualAlign } from '@essim/core';
import { xOf, yOf } from '../../field/viewport';
import { mirrorAxes, mirrorLayout, offsetsOf, offsetY } from '../../field/draw/mirror';
import { cursorAt, Press, type FieldPointer } from '../../field/tool';
import type { Area } from '../../field/hit';
import type { Scene } from '../../field/scene';
import { leavesOf } from '../../commands/aligning';
import { songOf, undo, useSession } from '../../open-song';
import { setOpened } from '../../open-song/state';
import { now, open, settled, song, sung, take, track, withSound } from '../../testing';
import { alignTool } from './tool';
import { toggleFan } from './fan';
import { forgetStart, keepStart, ownStarts, startOf, STARTS } from './starts';
import { cancelTie, finishTie, freeChosen, keepAsSung, pullChosen, stepTie, tieChosen } from './tying';
import { useAlign } from './state';

/** The pointer and the keys at the Align desk, over a scene of six syllables a second apart, each 50 ms late. */

const s = useSession.getState;
const trackNow = (id: string) => now().tracks.find(t => t.id === id)!;
const leaves = () => leavesOf(s(), trackNow('ash'));
const layout = mirrorLayout(900, 640);
const view = { from: 0, to: 7, low: 55, high: 70 };
const scene = (): Scene => ({ layout, view }) as unknown as Scene;

const point = (area: Area, time: number, y: number, fields: Partial<FieldPointer> = {}): FieldPointer => ({
  x: xOf(view, layout, time),
  y,
  time,
  pitch: 60,
  note: null,
  area,
  scene: scene(),
  shift: false,
  alt: false,
  ctrl: false,
  ...fields,
});
const onLeaf = (i: number, seconds = leaves()[i].now!) =>
  point('offsets', leaves()[i].start + 0.2, offsetY(layout, seconds));
const onLead = (time: number) => point('mirror', time, mirrorAxes(layout).lead - 10);
const onFollower = (time: number) => point('mirror', time, mirrorAxes(layout).follower + 10);

/** The worker finds again what was found before. */
const asked: unknown[] = [];
jest.mock('../../jobs/align-client', () => ({
  withAligner: (work: (job: object) => unknown) =>
    work({
      align: (...given: unknown[]) => {
        asked.push(given);
        return Promise.resolve({
          map: [
            { from: 0, to: 0 },
            { from: 9, to: 8.95 },
          ],
          apart: [],
          rests: [],
          confidence: 0.8,
        });
      },
    }),
}));
const ties = () => trackNow('ash').align?.ties ?? [];

beforeEach(async () => {
  useAlign.setState({ tying: null });
  await open(
    song([
      track('lead', [take('l')]),
      track('ash', [take('a')], {
        role: 'double',
        followsId: 'lead',
        found: Object.assign(new FoundAlignment(), {
          stamp: 'x',
          points: [0, 0, 1, 0.95, 9, 8.95],
          apart: [{ start: 3.05, end: 3.95 }],
          rests: [],
          confidence: 0.8,
        }),
      }),
    ]),
    { l: sung(60, [6]), a: sung(60, [6]) },
  );
  asked.length = 0;
  withSound({ l: 7, a: 7 });
});
afterEach(() => setOpened(null));

describe('a leaf dragged', () => {
  it('moves its word by as much as the pointer, as one step', () => {
    const start = onLeaf(1);
    const press = new Press(start, alignTool);
    expect(s().selection.notes).toEqual(new Set([leaves()[1].key]));
    const asked = 0.06;
    let told = '';
    for (const share of [0.3, 0.7, 1]) {
      const mark = press.move({ ...start, y: offsetY(layout, asked * share) });
      told = mark?.tag?.text ?? '';
    }
    press.up(start);
    expect(s().history!.entries).toHaveLength(1);
    expect(told).toMatch(/^\+\d+ ms$/);
    const [{ at, to }] = trackNow('ash').align!.moved;
    expect(at).toBeCloseTo(leaves()[1].at, 6);
    // the lead's word is 50 ms before where this one was sung
    expect(to - (at - 0.05)).toBeCloseTo(asked, 2);
    undo();
    expect(trackNow('ash').align?.moved ?? []).toEqual([]);
  });

  it('goes in fifths with Shift, and nowhere when it is cancelled', () => {
    const start = onLeaf(1);
    const press = new Press(start, alignTool);
    // given up before it moved, it undoes nothing else
    press.cancel();
    const again = new Press(start, alignTool);
    again.move({ ...start, y: offsetY(layout, 0.1), shift: true });
    const { moved } = songOf(s())!.tracks.find(t => t.id === 'ash')!.align!;
    expect(moved[0].to - (moved[0].at - 0.05)).toBeCloseTo(0.02, 2);
    again.cancel();
    expect(songOf(s())).toBe(s().history!.song);
    expect(trackNow('ash').align?.moved ?? []).toEqual([]);
  });

  it('without a counterpart stays where it is', () => {
    const start = point('offsets', leaves()[3].start + 0.2, offsetY(layout, 0) + 16);
    const press = new Press(start, alignTool);
    expect(s().selection.notes).toEqual(new Set([leaves()[3].key]));
    expect(press.move({ ...start, y: start.y + 30 })).toBeNull();
    expect(trackNow('ash').align?.moved ?? []).toEqual([]);
  });
});

describe('several leaves', () => {
  const chooseThree = () =>
    useSession.setState({
      selection: select('ash', [leaves()[0].key, leaves()[1].key, leaves()[4].key]),
    });

  it('move together by the one that is dragged; a click alone chooses that one', () => {
    chooseThree();
    const start = onLeaf(1);
    const press = new Press(start, alignTool);
    expect(press.move({ ...start, y: offsetY(layout, leaves()[1].now! + 0.04) })!.tag!.text).toContain('3 syllables');
    press.up(start);
    expect(s().history!.entries).toHaveLength(1);
    const { moved } = trackNow('ash').align!;
    expect(moved).toHaveLength(3);
    for (const i of [0, 1, 4]) expect(leaves()[i].now!).toBeCloseTo(0.04, 2);
    const again = onLeaf(4);
    new Press(again, alignTool).up(again);
    expect(s().selection.notes).toEqual(new Set([leaves()[4].key]));
  });

  it('are tied together, each as far from where it was found', async () => {
    chooseThree();
    tieChosen();
    stepTie(1);
    finishTie();
    await settled(() => trackNow('ash').align?.ties.length === 3);
    const { ties } = trackNow('ash').align!;
    expect(ties.map(t => Math.round(t.lead - t.follower))).toEqual([1, 1, 1]);
  });

  it('are left as sung together', () => {
    chooseThree();
    keepAsSung();
    expect(trackNow('ash').align!.asSung).toHaveLength(1);
  });
});

describe('the fan', () => {
  afterEach(() => useAlign.setState({ fan: false }));

  it('spreads notes that coincide, and the one that is picked is edited', () => {
    const middle = (by: number) => point('field', 2.4, yOf(view, layout, 60) + by);
    const flat = middle(7);
    new Press(flat, alignTool).up(flat);
    expect(s().editTrackId).not.toBe('ash');
    toggleFan();
    expect(cursorAt(alignTool, middle(7))).toBe('pointer');
    new Press(middle(7), alignTool).up(middle(7));
    expect(s().editTrackId).toBe('ash');
    expect(s().selection.notes.size).toBe(1);
    new Press(middle(-7), alignTool).up(middle(-7));
    expect(s().editTrackId).toBe('lead');
  });
});

describe('starting points', () => {
  const given = globalThis as { localStorage?: unknown };
  beforeAll(() => {
    const kept = new Map<string, string>();
    given.localStorage = {
      getItem: (k: string) => kept.get(k) ?? null,
      setItem: (k: string, v: string) => void kept.set(k, v),
    };
  });
  afterAll(() => delete given.localStorage);

  it('are ours and the user’s own, kept with the browser', () => {
    const rule = { ...usualAlign, closeness: 70, lean: 20 };
    expect(startOf(usualAlign, STARTS)?.name).toBe('Time alone');
    expect(keepStart('Quay', rule)).toBe(true);
    expect(keepStart('  ', rule)).toBe(false);
    expect(startOf(rule, ownStarts())?.name).toBe('Quay');
    localStorage.setItem('essim align starts', '[{"name":"bad","closeness":"x"}, 3]');
    expect(ownStarts()).toEqual([]);
    localStorage.setItem('essim align starts', 'no list');
    expect(ownStarts()).toEqual([]);
    keepStart('Quay', rule);
    forgetStart('Quay');
    expect(ownStarts()).toEqual([]);
  });
});

describe('pulling to the lead', () => {
  it('needs chosen syllables, and is one step', () => {
    pullChosen('borders');
    expect(s().history!.entries).toHaveLength(0);
    chooseThree();
    pullChosen('borders');
    expect(s().history!.entries.map(e => e.label)).toEqual([expect.stringContaining('Borders of 3 notes')]);
    pullChosen('pitch');
    expect(s().history!.entries).toHaveLength(2);
  });
  const chooseThree = () =>
    useSession.setState({ selection: select('ash', [leaves()[0].key, leaves()[1].key, leaves()[4].key]) });
});

describe('a word of the mirror', () => {
  it('dropped on the lead’s is tied there; elsewhere nothing happens', async () => {
    const start = onFollower(2.5);
    const press = new Press(start, alignTool);
    expect(press.move(onFollower(3.2))!.tag!.text).toBe('drop it on the lead');
    expect(press.move(onLead(3.3))!.tag!.text).toContain('here');
    expect(useAlign.getState().tying!.lead).toBeCloseTo(3.15, 6);
    press.up(onFollower(3.2));
    expect(asked).toEqual([]);
    const { at } = leaves()[2];
    const again = new Press(start, alignTool);
    again.move(onLead(3.3));
    again.up(onLead(3.3));
    expect(useAlign.getState().tying).toBeNull();
    await settled(() => ties().length > 0);
    expect(ties()).toMatchObject([{ follower: at, lead: 3.15 }]);
  });
});

describe('a stretch drawn with Alt', () => {
  it('is left as sung, whole syllables of it, and follows again', () => {
    const draw = (from: number, to: number) => {
      const [a, b] = [from, to].map(t => point('offsets', t, offsetY(layout, 0.1), { alt: true }));
      const press = new Press(a, alignTool);
      const mark = press.move(b)!;
      expect(mark.band).toMatchObject({ x0: a.x, x1: b.x, y0: offsetsOf(layout).top, y1: offsetsOf(layout).bottom });
      press.up(b);
    };
    draw(2.3, 0.4);
    const [stretch] = trackNow('ash').align!.asSung;
    expect(stretch.start).toBeCloseTo(leaves()[0].sungStart - 0.03, 2);
    expect(stretch.end).toBeCloseTo(leaves()[2].sungEnd + 0.02, 2);
    expect(leaves().map(l => l.kept)).toEqual([true, true, true, false, false, false]);
    for (const l of leaves().slice(0, 3)) expect(l.now).toBeCloseTo(l.sung!, 3);
    draw(1.2, 1.6);
    expect(trackNow('ash').align!.asSung).toEqual([]);
  });

  it('over nothing changes nothing', () => {
    const before = now();
    const [a, b] = [6.4, 6.9].map(t => point('offsets', t, offsetY(layout, 0), { alt: true }));
    const press = new Press(a, alignTool);
    press.move(b);
    press.up(b);
    expect(now()).toBe(before);
  });
});

describe('the cursor', () => {
  it('says what would be done', () => {
    expect(cursorAt(alignTool, onLeaf(1))).toBe('ns-resize');
    expect(cursorAt(alignTool, point('offsets', 6.7, offsetY(layout, 0.1), { alt: true }))).toBe('crosshair');
    expect(cursorAt(alignTool, onFollower(2.5))).toBe('grab');
    expect(cursorAt(alignTool, onLead(2.5))).toBe('default');
    useAlign.setState({ tying: { key: leaves()[2].key, lead: 2.15 } });
    expect(cursorAt(alignTool, onLead(2.5))).toBe('pointer');
    expect(cursorAt(alignTool, point('field', 2.5, yOf(view, layout, 60)))).toBe('default');
  });
});

describe('the keys', () => {
  const pick = (...is: number[]) =>
    useSession.setState({
      selection: { trackId: 'ash', notes: new Set(is.map(i => leaves()[i].key)), span: null },
    });

  it('begin a tie at the lead’s nearest word, step along its words, and tie', async () => {
    pick(2);
    tieChosen();
    expect(useAlign.getState().tying!.lead).toBeCloseTo(2.15, 6);
    stepTie(1);
    stepTie(1);
    stepTie(-1);
    expect(useAlign.getState().tying!.lead).toBeCloseTo(3.15, 6);
    tieChosen();
    await settled(() => ties().length > 0);
    expect(ties()).toMatchObject([{ lead: 3.15 }]);
    undo();
    expect(ties()).toEqual([]);
  });

  it('stop at the lead’s last word, and a tie given up ties nothing', () => {
    pick(5);
    tieChosen();
    for (let i = 0; i < 9; i++) stepTie(1);
    expect(useAlign.getState().tying!.lead).toBeCloseTo(5.15, 6);
    cancelTie();
    finishTie();
    expect(asked).toEqual([]);
    expect(stepTie(1)).toBe(false);
  });

  it('leave the chosen syllables as sung, and forget it', () => {
    pick(1, 2);
    keepAsSung();
    expect(leaves().map(l => l.kept)).toEqual([false, true, true, false, false, false]);
    pick(1);
    freeChosen();
    expect(trackNow('ash').align!.asSung).toEqual([]);
  });

  it('with nothing chosen do nothing', () => {
    useSession.setState({ selection: { trackId: 'ash', notes: new Set(), span: null } });
    const before = now();
    tieChosen();
    keepAsSung();
    freeChosen();
    expect(useAlign.getState().tying).toBeNull();
    expect(now()).toBe(before);
  });
});
