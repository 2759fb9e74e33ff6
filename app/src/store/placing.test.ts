import { AlignRule, FoundAlignment, TieMark } from '@essim/core';
import { sung, take, track } from '../testing';
import { bentOf, meetingsOf, Place, placedClips } from './placing';
import { editsByTake, trackView } from './track-view';

/** Everything 80 ms late from a second on. */
const found = Object.assign(new FoundAlignment(), {
  stamp: 'x',
  points: [0, 0, 0.5, 0.5, 1.5, 1.42, 9, 8.92],
  apart: [],
  rests: [],
  confidence: 0.8,
});
const follower = (rule: Partial<AlignRule> = {}, fields = {}) =>
  track('double', [take('d', { offsetSeconds: 0.25 })], {
    role: 'double',
    followsId: 'lead',
    found,
    align: Object.assign(new AlignRule(), rule),
    ...fields,
  });

test('a track that follows nobody, or was not aligned, or at closeness 0, is heard as sung', () => {
  expect(bentOf(follower({}, { followsId: null }))).toBeNull();
  expect(bentOf(follower({}, { found: null }))).toBeNull();
  expect(bentOf(follower({ closeness: 0 }))).toBeNull();
  expect(bentOf(follower())!.forward(3)).toBeCloseTo(2.92, 3);
  expect(bentOf(follower({ closeness: 50 }))!.forward(3)).toBeCloseTo(2.96, 3);
});

test('the same rule gives the very same map, another one another', () => {
  const one = follower();
  expect(bentOf(one)).toBe(bentOf(Object.assign(track('other', []), one)));
  expect(bentOf(follower())).not.toBe(bentOf(one));
});

test('locked ties and words moved by hand are met, other ties as far as closeness says; of those that cross, what was moved', () => {
  const tie = (follower_: number, lead: number, locked: boolean) =>
    Object.assign(new TieMark(), { follower: follower_, lead, locked });
  const bent = bentOf(
    follower({ ties: [tie(4, 4.1, true), tie(5.5, 5.3, false), tie(7.2, 6.9, true)], moved: [{ at: 7, to: 7.05 }] }),
  )!;
  expect(bent.forward(4)).toBeCloseTo(4.1, 6);
  expect(bent.forward(7)).toBeCloseTo(7.05, 6);
  expect(Math.abs(bent.forward(5.5) - 5.3)).toBeLessThan(0.02);
  const half = bentOf(follower({ closeness: 50, ties: [tie(5.5, 5.3, false)] }))!;
  expect(Math.abs(half.forward(5.5) - 5.4)).toBeLessThan(0.02);
});

test('a place converts both ways, bent or not', () => {
  for (const place of [new Place(0.25), new Place(0.25, bentOf(follower()))])
    for (let t = 0; t < 8; t += 0.37) expect(place.toTake(place.toSong(t))).toBeCloseTo(t, 8);
  expect(new Place(0.25).takeMap()).toBeNull();
  const place = new Place(0.25, bentOf(follower()));
  for (const t of [0.1, 2, 5]) expect(place.takeMap()!.forward(t) + 0.25).toBeCloseTo(place.toSong(t), 8);
});

test('clips of a comp end where they are heard', () => {
  const two = follower({}, {});
  two.takes.push(take('e'));
  two.segments = [
    { at: 0, takeId: 'd', fadeMs: 12 },
    { at: 4, takeId: 'e', fadeMs: 12 },
  ];
  const [a, b] = placedClips(two);
  expect(a.to).toBeCloseTo(3.92, 3);
  expect(b.from).toBe(a.to);
  expect(b.to).toBe(Infinity);
});

test('notes are shown where they are heard, and their edits go back to the take’s own time', () => {
  const takes = { d: sung(60, [6]) };
  const sungView = trackView(follower({ closeness: 0 }), takes);
  const view = trackView(follower(), takes);
  expect(view.notes[3].start - sungView.notes[3].start).toBeCloseTo(-0.08, 3);
  expect(view.notes[0].start).toBeCloseTo(sungView.notes[0].start, 2);
  const n = view.notes[3];
  const edits = editsByTake(view.notes, { [n.key]: { start: n.start, end: n.end, target: 62 } }).get('d')!;
  const own = takes.d.notes[3];
  expect(edits[own.key]).toMatchObject({ target: 62 });
  expect(edits[own.key]!.start).toBeCloseTo(own.start, 6);
  expect(edits[own.key]!.end).toBeCloseTo(own.end, 6);
  expect(view.sungLine.length).toBeGreaterThan(0);
});

test('kept points are pairs', () => {
  expect(meetingsOf([1, 2, 3, 4])).toEqual([
    { from: 1, to: 2 },
    { from: 3, to: 4 },
  ]);
});
