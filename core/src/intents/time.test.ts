import { heardMap, Score } from '../score';
import { heardView, readingOf, song, take, track } from '../score/testing';
import type { Reading } from '../read';
import { FoundAlignment, Tempo, type Song } from '../song';
import { followed, type WrittenStep } from './testing';

/** Two joined notes, the second begun by a voiced consonant; a rest; a note begun by an s; a last one after a longer rest. */
const NOTES: [start: number, end: number][] = [
  [1, 1.5],
  [1.5, 2.2],
  [2.6, 3.4],
  [4, 4.5],
];
const reading: Reading = (() => {
  const line = Array.from({ length: 1200 }, (_, k) =>
    NOTES.some(([a, z]) => k * 0.005 >= a && k * 0.005 < z) ? 60 : NaN,
  );
  const made = readingOf(line, NOTES);
  made.notes[1].onset = 1.56;
  made.noises.push({ start: 2.5, end: 2.6, kind: 'sibilant', peak: 2.55, levelDb: -30 } as never);
  return made;
})();
const LEAD = track('Lead', [take('l')], { role: 'lead' });
const start = song([LEAD], {
  key: { tonic: 0, mode: 'major' },
  tempo: Object.assign(new Tempo(), { bpm: 60, beatsPerBar: 4, firstBarSeconds: 0 }),
});
const takes = (s: Song) => Object.fromEntries(s.tracks.flatMap(t => t.takes.map(k => [k.id, heardView(reading, k)])));
const score = (s: Song) => new Score(s, takes(s));
const follow = (steps: WrittenStep[], from: Song = start) => followed(from, steps, takes(from));
const heard = (s: Song, of = 0) =>
  score(s)
    .view(s.tracks[of].id)
    .notes.map(n => [n.start, n.onset, n.end].map(t => Math.round(t * 1e4) / 1e4));
const only = (...index: number[]) => ({ tracks: 'Lead', notes: { index } });
/** The time runs forward, and finely enough for nothing to be torn. */
const rises = (s: Song) => {
  const map = heardMap(s, s.tracks[0]);
  let least = 1;
  for (let t = 0; map && t < 6; t += 0.003) least = Math.min(least, map.forward(t + 0.003) - map.forward(t));
  expect(least).toBeGreaterThan(0);
};

describe('a note that is nudged', () => {
  test('goes as it is; of a rest beside it the rest gives, of a joined note its vowel', async () => {
    const s = await follow([{ do: 'nudge', on: only(1), with: { ms: 60 } }]);
    // the note before is held until it, that after stays
    expect(heard(s)).toEqual([
      [1, 1, 1.56],
      [1.56, 1.62, 2.26],
      [2.6, 2.6, 3.4],
      [4, 4, 4.5],
    ]);
    rises(s);
    expect(heard(await follow([{ do: 'nudge', on: only(1), with: { ms: -60 } }], s))).toEqual(heard(start));
  });

  test('takes what it meets along, and a consonant stays as long as it is', async () => {
    const s = await follow([{ do: 'nudge', on: only(0), with: { ms: 100 } }]);
    const [first, second, third] = heard(s);
    expect(first).toEqual([1.1, 1.1, 1.6]);
    expect(second[0]).toBe(1.6);
    expect(second[1] - second[0]).toBeCloseTo(0.06, 2);
    expect(second[2]).toBe(2.2);
    expect(third).toEqual([2.6, 2.6, 3.4]);
    rises(s);
  });

  test('may leave a gap, which is silent', async () => {
    const s = await follow([{ do: 'nudge', on: only(1), with: { ms: 200, neighbours: 'gap' } }]);
    const [first, second] = heard(s);
    expect(first).toEqual([1, 1, 1.7]);
    expect(second.slice(0, 2)).toEqual([1.7, 1.76]);
    expect(s.tracks[0].time.filter(a => a.holds === 'gap').map(a => a.at)).toEqual([expect.closeTo(1.492, 6)]);
    // the first is as it was until 8 ms before its end
    expect(heardMap(s, s.tracks[0])!.forward(1.492)).toBeCloseTo(1.492, 6);
  });

  test('is refused where there is no room, with the reason', async () => {
    await expect(follow([{ do: 'nudge', on: only(0), with: { ms: -1100 } }])).rejects.toThrow('no room before');
    await expect(
      follow([{ do: 'nudge', on: { tracks: 'Lead', notes: { name: 'F7' } }, with: { ms: 5 } }]),
    ).rejects.toThrow('no notes');
  });

  test('pushes on as far as it must', async () => {
    const s = await follow([{ do: 'nudge', on: only(1), with: { ms: 900 } }]);
    const [, second, third, fourth] = heard(s);
    expect(second).toEqual([2.4, 2.46, 3.1]);
    expect(third[0]).toBeGreaterThan(3.1);
    expect(third[2] - third[0]).toBeGreaterThan(0.1);
    expect(fourth[2]).toBe(4.5);
    rises(s);
  });
});

describe('a note that is stretched', () => {
  test('keeps its consonants, and its vowel is what gives', async () => {
    const s = await follow([{ do: 'stretch', on: only(1), with: { end: 2.45 } }]);
    const [first, second, third] = heard(s);
    expect(first).toEqual([1, 1, 1.5]);
    expect(second[1] - 1.5).toBeCloseTo(0.06, 2);
    expect(second[2]).toBe(2.45);
    expect(third).toEqual([2.6, 2.6, 3.4]);
    // the s before the next is as long as it was
    const map = heardMap(s, s.tracks[0])!;
    expect(map.forward(2.6) - map.forward(2.5)).toBeCloseTo(0.1, 2);
  });

  test('may be the last and be held far on', async () => {
    const s = await follow([{ do: 'stretch', on: only(3), with: { end: 9 } }]);
    expect(heard(s)[3]).toEqual([4, 4, 9]);
    rises(s);
  });

  test('that ends earlier leaves a gap or draws its neighbour along', async () => {
    const gap = await follow([{ do: 'stretch', on: only(0), with: { end: 1.4, neighbours: 'gap' } }]);
    expect(heard(gap)[0]).toEqual([1, 1, 1.4]);
    expect(heardMap(gap, gap.tracks[0])!.forward(1.508)).toBeCloseTo(1.508, 6);
    const give = await follow([{ do: 'stretch', on: only(0), with: { end: 1.4 } }]);
    expect(heard(give)[1]).toEqual([1.4, expect.closeTo(1.46, 2), 2.2]);
  });

  test('is refused what it cannot be', async () => {
    await expect(follow([{ do: 'stretch', on: only(0), with: { start: 2, end: 1 } }])).rejects.toThrow(
      'before it begins',
    );
    await expect(follow([{ do: 'stretch', on: only(0), with: { end: 1.01 } }])).rejects.toThrow('neither so short');
    await expect(follow([{ do: 'stretch', on: only(0) }])).rejects.toThrow('neither start nor end');
  });
});

test('a stitch is met, stays while the rest gives, and can be taken out', async () => {
  const s = await follow([{ do: 'stitch', on: { tracks: 'Lead' }, with: { at: 3, to: 3.1 } }]);
  const at = (q: Song, t: number) => heardMap(q, q.tracks[0])?.forward(t) ?? t;
  expect(at(s, 3)).toBeCloseTo(3.1, 9);
  expect(heard(s)).toEqual(heard(start));
  const longer = await follow([{ do: 'stretch', on: only(2), with: { end: 3.6 } }], s);
  expect(at(longer, 3)).toBeCloseTo(3.1, 9);
  expect(heard(longer)[2]).toEqual([2.6, 2.6, 3.6]);
  const without = await follow([{ do: 'unstitch', on: only(2) }], s);
  expect(without.tracks[0].time).toEqual([]);
  await expect(follow([{ do: 'stitch', on: { tracks: 'Lead' }, with: { at: 0.2, to: 0.3 } }])).rejects.toThrow(
    'no note',
  );
  await expect(follow([{ do: 'unstitch', on: only(1) }], s)).rejects.toThrow('no stitch');
});

test('a stretch said to keep its length does', async () => {
  const said = await follow([{ do: 'keep-length', on: { tracks: 'Lead', span: [2.7, 3] } }]);
  const s = await follow([{ do: 'stretch', on: only(2), with: { end: 3.7 } }], said);
  const map = heardMap(s, s.tracks[0])!;
  expect(map.forward(3) - map.forward(2.7)).toBeCloseTo(0.3, 2);
  expect(heard(s)[2][2]).toBe(3.7);
});

test('a note speaks faster while its ends stay', async () => {
  const s = await follow([{ do: 'onset', on: only(2), with: { speed: 200 } }]);
  const map = heardMap(s, s.tracks[0])!;
  expect(map.forward(2.63) - 2.6).toBeCloseTo(0.015, 4);
  expect(heard(s)).toEqual(heard(start));
  expect(score(s).view('Lead').notes).toHaveLength(4);
  const back = await follow([{ do: 'onset', on: only(2), with: { speed: 100 } }], s);
  expect(heardMap(back, back.tracks[0])?.forward(2.63) ?? 2.63).toBeCloseTo(2.63, 3);
});

describe('bringing to the beat', () => {
  const off = (s: Song) =>
    score(s)
      .view('Lead')
      .notes.map(n => n.onset - Math.round(n.onset * 2) / 2);

  test('moves onsets to the grid, and leaves what is near enough', async () => {
    const s = await follow([{ do: 'quantise', on: { tracks: 'Lead' }, with: { grid: '1/8' } }]);
    for (const o of off(s)) expect(Math.abs(o)).toBeLessThan(1e-6);
    rises(s);
    const some = await follow([{ do: 'quantise', on: { tracks: 'Lead' }, with: { grid: '1/8', overMs: 70 } }]);
    expect(heard(some).map(n => n[1])).toEqual([1, 1.56, 2.5, 4]);
    const half = await follow([{ do: 'quantise', on: { tracks: 'Lead' }, with: { grid: '1/8', strength: 50 } }]);
    expect(heard(half).map(n => n[1])).toEqual([1, 1.53, 2.55, 4]);
    await expect(follow([{ do: 'quantise', on: { tracks: 'Lead' } }], s)).rejects.toThrow('there already');
  });

  test('swings', async () => {
    const s = await follow([{ do: 'quantise', on: { tracks: 'Lead' }, with: { grid: '1/8', swing: 60 } }]);
    expect(heard(s).map(n => n[1])).toEqual([1, 1.6, 2.6, 4]);
  });

  test('or to another track', async () => {
    const two = song([LEAD, track('Double', [take('d', { offsetSeconds: 0.04 })], { role: 'double' })], {
      tempo: start.tempo,
    });
    const s = await follow([{ do: 'quantise', on: { tracks: 'Double' }, with: { against: 'lead' } }], two);
    expect(heard(s, 1).map(n => n[1])).toEqual([1, 1.56, 2.6, 4]);
    await expect(
      follow([{ do: 'quantise', on: { tracks: 'Double' }, with: { against: 'Nobody' } }], two),
    ).rejects.toThrow('no track "Nobody"');
  });
});

test('a follower is moved on top of its alignment, and goes along when that changes', async () => {
  const found = Object.assign(new FoundAlignment(), {
    stamp: 'x',
    points: [0, 0.1, 6, 6.1],
    apart: [],
    rests: [],
    confidence: 1,
  });
  const follower = track('Double', [take('d')], { role: 'double', followsId: 'Lead', found });
  const two = song([LEAD, follower], {});
  const before = heard(two, 1)[1][0];
  expect(before).toBeCloseTo(1.6, 6);
  const s = await follow([{ do: 'nudge', on: { tracks: 'Double', notes: { index: [1] } }, with: { ms: 40 } }], two);
  expect(heard(s, 1)[1][0]).toBeCloseTo(1.64, 6);
  const closer = await follow([{ do: 'follow', on: { tracks: 'Double' }, with: { closeness: 0 } }], s).catch(() => s);
  expect(heard(closer, 1)[1][0] - (closer === s ? 1.6 : 1.5)).toBeCloseTo(0.04, 6);
});

test('as sung brings back what gave way too, and leaves what was set beside it', async () => {
  const pushed = await follow([{ do: 'stretch', on: only(1), with: { end: 2.9 } }]);
  expect(heard(pushed)[2][0]).toBeGreaterThan(2.9);
  expect((await follow([{ do: 'as-sung', on: only(1), with: { what: 'time' } }], pushed)).tracks[0].time).toEqual([]);
  const two = await follow([
    { do: 'nudge', on: only(1), with: { ms: 60 } },
    { do: 'nudge', on: only(3), with: { ms: 50 } },
  ]);
  const one = await follow([{ do: 'as-sung', on: only(1), with: { what: 'time' } }], two);
  expect(heard(one)).toEqual([...heard(start).slice(0, 3), [4.05, 4.05, 4.55]]);
  expect((await follow([{ do: 'nudge', on: only(3), with: { ms: -50 } }], one)).tracks[0].time).toEqual([]);
});

test('any sequence runs forward, and as sung brings everything back', async () => {
  let s = start;
  const random = (() => {
    let seed = 7;
    return () => ((seed = (seed * 16807) % 2147483647) % 1000) / 1000;
  })();
  let done = 0;
  for (let i = 0; i < 40; i++) {
    const index = Math.floor(random() * 4);
    const now = heard(s)[index];
    const step = [
      {
        do: 'nudge',
        on: only(index),
        with: { ms: Math.round(400 * (random() - 0.5)), neighbours: random() < 0.5 ? 'give' : 'gap' },
      },
      { do: 'stretch', on: only(index), with: { end: now[2] + 0.4 * (random() - 0.4) } },
      {
        do: 'stitch',
        on: { tracks: 'Lead' },
        with: { at: (now[0] + now[2]) / 2, to: (now[0] + now[2]) / 2 + 0.1 * (random() - 0.5) },
      },
      { do: 'onset', on: only(index), with: { speed: 50 + Math.round(200 * random()) } },
      { do: 'quantise', on: only(index, (index + 1) % 4), with: { grid: '1/16' } },
    ][Math.floor(random() * 5)];
    try {
      s = await follow([step], s);
      done++;
    } catch (error) {
      expect(String(error)).toMatch(/room|short|long|there already|before/);
    }
    rises(s);
  }
  expect(done).toBeGreaterThan(20);
  expect(heard(s)).not.toEqual(heard(start));
  const one = await follow([{ do: 'as-sung', on: only(2) }], s).catch(() => null);
  if (one) expect(heard(one)[2]).toEqual(heard(start)[2]);
  expect((await follow([{ do: 'as-sung', on: { tracks: 'Lead' } }], s)).tracks[0].time).toEqual([]);
});

describe('what is pasted', () => {
  const line = (s: Song) => score(s).view('Lead').line;

  test('is heard where it is put, crossfaded, with what was decided about it; phrases and takes to pick from stay', async () => {
    const moved = await follow([
      { do: 'place', on: only(2), with: { pitch: 67 } },
      { do: 'nudge', on: only(2), with: { ms: 50 } },
    ]);
    const s = await follow([{ do: 'paste', on: { tracks: 'Lead' }, with: { from: 2.55, to: 3.6, at: 4.55 } }], moved);
    const notes = heard(s);
    expect(notes).toHaveLength(5);
    expect(notes[4].slice(0, 1)).toEqual([expect.closeTo(4.65, 3)]);
    expect(notes[4][2]).toBeCloseTo(5.45, 3);
    const { edits, notes: list } = score(s).view('Lead');
    expect(edits[list[4].key]?.target).toBe(67);
    expect(s.tracks[0].segments.map(g => g.fadeMs)).toEqual([12, 12, 12]);
    expect(score(s).view('Lead').phrases).toEqual(score(moved).view('Lead').phrases);
    expect(s.tracks[0].takes.map(t => t.borrowed)).toEqual([false, true]);
    expect(line(s).length).toBeGreaterThan(0);
    rises(s);
  });

  test('comes from another track too, and is refused where nothing is', async () => {
    const two = song([LEAD, track('Other', [take('o', { offsetSeconds: 2 })], { role: 'double' })], {});
    const step = { do: 'paste', on: { tracks: 'Lead' }, with: { from: 3, to: 3.5, track: 'Other', at: 5 } };
    const s = await follow([step], two);
    expect(heard(s).map(n => n[0])).toEqual([1, 1.5, 2.6, 4, 5]);
    await expect(follow([{ ...step, with: { ...step.with, to: 3 } }], two)).rejects.toThrow('nothing between');
    await expect(follow([{ ...step, with: { ...step.with, track: 'Nobody' } }], two)).rejects.toThrow('no track');
  });
});
