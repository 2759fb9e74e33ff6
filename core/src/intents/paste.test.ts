import { placedClips, Score } from '../score';
import { heardView, readingOf, song, sourceOf, take, track } from '../score/testing';
import { AlignRule, FoundAlignment, Take, TimeMap, type Song, type Track } from '../song';
import { followed, type WrittenStep } from './testing';

/** Sound brought from elsewhere: where it is heard, what of it comes along, and that nothing else moves. */

const NOTES: [number, number][] = [
  [1, 1.8],
  [2, 2.8],
  [6, 6.8],
  [7, 7.8],
];
/** Four notes, each a semitone over the one before. @param base MIDI of the first */
const reading = (base: number) => {
  const line = new Float32Array(200 * 9).fill(NaN);
  NOTES.forEach(([a, z], i) => line.fill(base + i, a * 200, z * 200));
  return readingOf(line, NOTES);
};
const readings = { l: reading(60), m: reading(64), d: reading(70) };
const made = (fields: Partial<Track> = {}): Song =>
  song([
    track('Lead', [take('l'), take('m')], { role: 'lead', ...fields }),
    track('Double', [take('d')], { role: 'double' }),
    track('Piano', [take('p')], { role: 'backing' }),
  ]);
/** A take is read as that whose recording it is. */
const readAs = (k: Take) => readings[(Object.keys(readings) as 'l'[]).find(id => k.sourceId === sourceOf(id)) ?? 'l'];
const views = (s: Song) =>
  Object.fromEntries(s.tracks.flatMap(t => t.takes.map(k => [k.id, heardView(readAs(k), k)] as const)));
const follow = (steps: WrittenStep[], from = made()) => followed(from, steps, views(from));
const view = (s: Song, name = 'Lead') => new Score(s, views(s)).view(name);
/** What is sung when, to a tenth of a second. */
const sings = (s: Song, name = 'Lead') =>
  view(s, name).notes.map(n => [Math.round(n.start * 10) / 10, Math.round(n.end * 10) / 10, Math.round(n.sung)]);
const lead = { tracks: 'Lead' };

describe('a word pasted', () => {
  test('over another one is heard there, and where it comes from too; the rest stays', async () => {
    const s = await follow([{ do: 'paste', on: lead, with: { from: 0.95, to: 1.85, at: 5.95 } }]);
    expect(sings(s)).toEqual([
      [1, 1.8, 60],
      [2, 2.8, 61],
      [6, 6.8, 60],
      [7, 7.8, 63],
    ]);
    const borrowed = s.tracks[0].takes.filter(t => t.borrowed);
    expect(borrowed).toHaveLength(1);
    expect(borrowed[0]).toMatchObject({
      sourceId: s.tracks[0].takes[0].sourceId,
      name: expect.stringContaining('0:0'),
    });
    // joins are crossfaded
    const clips = placedClips(s, s.tracks[0]);
    expect(clips).toHaveLength(3);
    for (const c of clips.slice(1)) expect(c.fadeIn).toBeGreaterThan(0);
  });

  test('brings its edits along, and later edits of it are its own', async () => {
    const s = await follow([
      { do: 'place', on: { ...lead, notes: { index: [0] } }, with: { pitch: 62 } },
      { do: 'paste', on: lead, with: { from: 0.95, to: 1.85, at: 5.95 } },
    ]);
    const targets = (q: Song) => view(q).notes.map(n => view(q).edits[n.key]?.target);
    expect(targets(s)).toEqual([62, undefined, 62, undefined]);
    const other = await follow([{ do: 'place', on: { ...lead, notes: { index: [2] } }, with: { pitch: 65 } }], s);
    expect(targets(other)).toEqual([62, undefined, 65, undefined]);
  });

  test('comes from another take where that is heard, and from another track', async () => {
    const comp = made();
    comp.tracks[0].segments.push({ at: 5, takeId: 'm', fadeMs: 12 } as never);
    const fromTake = await follow([{ do: 'paste', on: lead, with: { from: 5.95, to: 6.85, at: 0.95 } }], comp);
    expect(sings(fromTake)[0]).toEqual([1, 1.8, 66]);
    const fromTrack = await follow([
      { do: 'paste', on: lead, with: { from: 6.95, to: 7.85, track: 'Double', at: 1.95 } },
    ]);
    expect(sings(fromTrack)[1]).toEqual([2, 2.8, 73]);
    expect(sings(fromTrack, 'Double')).toEqual(sings(made(), 'Double'));
  });

  test('onto a follower lies where it is to be heard, on top of its alignment', async () => {
    const late = made();
    Object.assign(late.tracks[1], {
      followsId: 'Lead',
      align: Object.assign(new AlignRule(), { closeness: 100 }),
      found: Object.assign(new FoundAlignment(), {
        stamp: 'x',
        points: [0, 0, 1.2, 1, 9, 8.8],
        apart: [],
        rests: [],
        confidence: 1,
      }),
    });
    const s = await follow(
      [{ do: 'paste', on: { tracks: 'Double' }, with: { from: 0.95, to: 1.85, track: 'Lead', at: 3.95 } }],
      late,
    );
    const there = view(s, 'Double').notes.find(n => Math.round(n.sung) === 60)!;
    expect(there.start).toBeCloseTo(4, 2);
    expect(there.end).toBeCloseTo(4.8, 2);
    // what was aligned stays where it was
    const before = view(late, 'Double').notes.map(n => n.start);
    for (const n of view(s, 'Double').notes.filter(q => q.sung > 69))
      expect(Math.min(...before.map(b => Math.abs(b - n.start)))).toBeLessThan(0.002);
  });

  test('what was moved by hand is heard moved where it goes too', async () => {
    const s = await follow([
      { do: 'stretch', on: { ...lead, notes: { index: [0] } }, with: { end: 1.6 } },
      { do: 'paste', on: lead, with: { from: 0.95, to: 1.62, at: 3.95 } },
    ]);
    const pasted = view(s).notes.find(n => Math.abs(n.start - 4) < 0.05)!;
    expect(pasted.end - pasted.start).toBeCloseTo(0.6, 1);
    const map = placedClips(s, s.tracks[0])[0].place.bent ?? TimeMap.identity;
    for (let t = 0; t < 8; t += 0.01) expect(map.forward(t + 0.01)).toBeGreaterThan(map.forward(t));
  });

  test.each([
    ['nothing', { from: 3, to: 3.001, at: 1 }, /nothing between/],
    ['where nobody sings', { from: 1, to: 2, track: 'Choir', at: 1 }, /no track "Choir"/],
    ['backwards', { from: 2, to: 1, at: 1 }, /nothing between/],
  ])('of %s is refused', async (_, args, message) => {
    await expect(follow([{ do: 'paste', on: lead, with: args }])).rejects.toThrow(message);
  });

  test('onto a part is refused: it sings what its lead does', async () => {
    const s = await follow([{ do: 'part', on: lead, with: { steps: 2, name: 'Third' } }]);
    await expect(
      follow([{ do: 'paste', on: { tracks: 'Third' }, with: { from: 1, to: 2, at: 5 } }], s),
    ).rejects.toThrow(/is a part/);
  });
});
