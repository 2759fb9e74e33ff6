import { AlignRule, FoundAlignment, TieMark, type Track } from '../song';
import { heardMap, meetingsOf, meetingsWithLead, Place, placedClips as clipsIn } from './place';
import { song, sung, take, track } from './testing';
import { trackView } from './track-view';

const lead = () => track('lead', [take('l')]);
const bentOf = (t: Track) => heardMap(song([lead(), t]), t);
const placedClips = (t: Track) => clipsIn(song([lead(), t]), t);

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

test('notes are shown where they are heard', () => {
  const takes = { d: sung(60, [6]) };
  const viewOf = (t: Track) => trackView(song([lead(), t]), t, takes);
  const [asSung, view] = [viewOf(follower({ closeness: 0 })), viewOf(follower())];
  expect(view.notes[3].start - asSung.notes[3].start).toBeCloseTo(-0.08, 3);
  expect(view.notes[0].start).toBeCloseTo(asSung.notes[0].start, 2);
  expect(view.notes[3].place.toTake(view.notes[3].start)).toBeCloseTo(takes.d.notes[3].start, 6);
});

test('who follows a follower comes to it as it is heard, not as it was sung', () => {
  const second = follower({}, { id: 'third', followsId: 'double', takes: [take('t')] });
  const all = song([lead(), follower(), second]);
  // the follower is heard 80 ms earlier than it was sung, and its own follower another 80 before that
  expect(Math.abs(heardMap(all, second)!.forward(5) - 4.84)).toBeLessThan(0.01);
  const half = { ...second, align: Object.assign(new AlignRule(), { closeness: 50 }) };
  expect(Math.abs(heardMap(all, half)!.forward(5) - 4.92)).toBeLessThan(0.01);
  const meeting = meetingsWithLead(all, second)!.findLast(m => m.from === 9)!;
  expect(Math.abs(meeting.to - 8.84)).toBeLessThan(0.01);
  // where the stack lead of both is heard as it was sung, nothing more is bent
  const loose = song([lead(), follower({ closeness: 0 }), second]);
  expect(Math.abs(heardMap(loose, second)!.forward(5) - 4.92)).toBeLessThan(0.005);
});

test('kept points are pairs', () => {
  expect(meetingsOf([1, 2, 3, 4])).toEqual([
    { from: 1, to: 2 },
    { from: 3, to: 4 },
  ]);
});
