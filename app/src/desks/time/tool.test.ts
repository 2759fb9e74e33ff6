import { select, Tempo } from '@essim/core';
import { mirrorAxes, mirrorLayout } from '../../field/draw/mirror';
import { cursorAt, Press, type FieldPointer } from '../../field/tool';
import { xOf } from '../../field/viewport';
import { choose, undo, useSession } from '../../open-song';
import { setOpened } from '../../open-song/state';
import { open, song, sung, take, track, withSound } from '../../testing';
import { pointer, view } from '../../testing-field';
import { lengthen, nudgeByKey, setLength, setMove, setOnset } from './edits';
import { toggleNeighbours, useTime } from './state';
import { meantTimes, preview, timedNotes } from './timed';
import { timeTool } from './tool';

/** Four notes of .8 s a second apart, over beats of a second. */
beforeEach(async () => {
  useTime.setState({
    against: 'beat',
    grid: '1/4',
    swing: 50,
    strength: 100,
    overMs: 0,
    neighbours: 'give',
    snap: true,
  });
  await open(
    song([track('Lead', [take('l')])], {
      tempo: Object.assign(new Tempo(), { bpm: 60, beatsPerBar: 4, firstBarSeconds: 0 }),
    }),
    { l: sung(60, [4]) },
  );
  withSound({ l: 4 });
  useSession.setState({ view: { ...view, from: 0, to: 4 } });
});
afterEach(() => setOpened(null));

const s = () => useSession.getState();
const l = mirrorLayout(1000, 640);
const notes = () => timedNotes(s());
const at = (seconds: number, fields: Partial<FieldPointer> = {}): FieldPointer => {
  const x = xOf(s().view, l, seconds);
  const y = fields.y ?? mirrorAxes(l).follower + 10;
  return pointer(x, y, {
    time: seconds,
    area: 'mirror',
    scene: { layout: l, view: s().view, notes: [] } as unknown as FieldPointer['scene'],
    ...fields,
  });
};
const drag = (from: FieldPointer, to: FieldPointer) => {
  const press = new Press(from, timeTool);
  press.move(to);
  press.up(to);
};
const chosen = (i: number) => choose(select(s().editTrackId, [notes()[i].key]));

it('tells how far off notes are, as they were and as they are', () => {
  expect(notes().map(n => Math.round(n.offNow! * 1000))).toEqual([150, 150, 150, 150]);
  useTime.setState({ against: 'sung' });
  expect(notes().every(n => n.offNow === 0)).toBe(true);
  chosen(1);
  nudgeByKey(1);
  nudgeByKey(-1, true);
  expect(Math.round(notes()[1].offNow! * 1000)).toBe(9);
  expect(s().history!.entries).toHaveLength(1);
});

it('moves a note that is dragged, catches on the beat, and gives up with Esc', () => {
  drag(at(1.5), at(1.37));
  // 20 ms from the beat it catches
  expect(notes()[1].onset).toBeCloseTo(1, 2);
  undo();
  drag(at(1.5), at(1.37, { alt: true }));
  expect(notes()[1].onset).toBeCloseTo(1.02, 2);
  undo();
  const press = new Press(at(1.5), timeTool);
  press.move(at(1.8));
  expect(notes()[1].onset).toBeGreaterThan(1.3);
  press.cancel();
  expect(notes()[1].onset).toBeCloseTo(1.15, 6);
});

it('stretches by an end, holds a moment with Ctrl', () => {
  chosen(1);
  expect(cursorAt(timeTool, at(1.9))).toBe('ew-resize');
  drag(at(1.9), at(2, { alt: true }));
  expect(notes()[1].end).toBeCloseTo(2, 2);
  undo();
  drag(at(2.5, { ctrl: true }), at(2.6, { ctrl: true, alt: true }));
  expect(s().history!.song.tracks[0].time.filter(a => a.holds === 'stitch')).toHaveLength(1);
});

it('is set by number: where a note lies, how long it is, how fast it speaks', () => {
  chosen(2);
  setMove(60, {});
  expect(meantTimes()!.moveMs).toBeCloseTo(60, 3);
  setMove(-20, {});
  expect(meantTimes()!.moveMs).toBeCloseTo(-20, 3);
  setLength(120, {});
  expect(meantTimes()!.lengthPercent).toBeCloseTo(120, 3);
  lengthen(1);
  expect(meantTimes()!.lengthPercent).toBeCloseTo(122.5, 3);
  setOnset(150, {});
  expect(meantTimes()!.onsetPercent).toBe(150);
  setLength(null, {});
  expect(meantTimes()!.lengthPercent).toBeCloseTo(100, 3);
  expect(meantTimes()!.keys.size).toBe(1);
  toggleNeighbours();
  expect(useTime.getState().neighbours).toBe('gap');
});

it('says what bringing to the beat would do', () => {
  choose(
    select(
      s().editTrackId,
      notes().map(n => n.key),
    ),
  );
  const said = preview(s());
  expect([said.moves.size, said.count, said.furthest!.ms]).toEqual([4, 4, -150]);
  useTime.setState({ overMs: 200 });
  expect(preview(s()).moves.size).toBe(0);
});
