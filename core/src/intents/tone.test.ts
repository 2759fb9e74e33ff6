import { heldBands, louderBy } from '../measure';
import { BANDS } from '../plan';
import { clickGains, Score, surroundingsOf, type TakeView } from '../score';
import { song, sung, take, track } from '../score/testing';
import type { NoiseSort, Song } from '../song';
import { followed, type WrittenStep } from './testing';

/** Six notes a second apart; each so much louder than the one before. */
const loud = (k: number) => -30 + 2 * Math.floor(k / 200);
const view = (): TakeView => {
  const made = sung(60, [6]);
  const frames = made.reading!.f0.length;
  made.reading!.levelDb.set(Float32Array.from({ length: frames }, (_, k) => loud(k)));
  const noise = (kind: NoiseSort, start: number, db: number) => {
    made.reading!.noises.push({ start, end: start + 0.05, kind } as never);
    made.reading!.levelDb.fill(db, start * 200, (start + 0.05) * 200);
  };
  // four s beside their voices, one of them soft
  [0, 1, 2, 3].forEach(i => noise('sibilant', i + 0.95, loud(i * 200) - (i === 2 ? 30 : 10)));
  noise('breath', 4.94, -40);
  const colour = new Float32Array(Math.ceil(frames / 4) * BANDS.length);
  colour.forEach(
    (_, i) => (colour[i] = (Math.floor(i / BANDS.length / 50) % 2 ? 4 : -4) * ((i % BANDS.length) / 8 - 1)),
  );
  const loudnessDb = Float32Array.from({ length: frames }, (_, k) => loud(k));
  // as much power in each half band
  const power = new Float32Array(Math.ceil(frames / 4) * heldBands(BANDS.length)).fill(1);
  made.sound = () => ({
    loudnessDb,
    colour: { envelope: colour, power },
    clicks: [{ start: 1.5, end: 1.502, overDb: 20 }],
  });
  return made;
};
const takes = { l: view(), d: view() };
const LEAD = track('Lead', [take('l')], { role: 'lead' });
const start = song([LEAD, track('Double', [take('d')], { role: 'double', followsId: 'Lead' })]);
const follow = (steps: WrittenStep[], from: Song = start) => followed(from, steps, takes);
const lead = { tracks: 'Lead' };
const edits = (s: Song) => {
  const v = new Score(s, takes).view('Lead');
  return v.notes.map(n => v.edits[n.key] as (typeof v.edits)[string] | undefined);
};
const gains = (s: Song, of = 0) => {
  const score = new Score(s, takes);
  const t = s.tracks[of];
  return surroundingsOf(s, t, t.takes[0], id => score.view(id), score.scaleAt, takes[of ? 'd' : 'l'])?.gains ?? [];
};

test('levels, fades, formants and sway are set, and taken off by what is as sung', async () => {
  const on = { ...lead, notes: { index: [1] } };
  const s = await follow([
    { do: 'level', on, with: { startDb: -3, middleDb: 0, endDb: -6 } },
    { do: 'fade', on, with: { inMs: 40, outMs: 200, shape: 'late' } },
    { do: 'formant', on, with: { semitones: -1, follow: 20 } },
    { do: 'sway', on, with: { db: 1.5, rateHz: 4 } },
    { do: 'mute', on },
  ]);
  expect(edits(s)[1]).toMatchObject({
    startDb: -3,
    endDb: -6,
    fadeIn: 40,
    fadeOut: 200,
    fadeShape: 'late',
    formant: -1,
    follow: 20,
    swayDb: 1.5,
    silent: 'muted',
  });
  expect(edits(s)[1]).not.toHaveProperty('middleDb');
  const off = await follow(
    [
      { do: 'level', on, with: { startDb: null, endDb: 0 } },
      { do: 'fade', on, with: { inMs: null, outMs: 0, shape: 'smooth' } },
      { do: 'formant', on, with: { semitones: 0, follow: 0 } },
      { do: 'sway', on, with: { db: 0 } },
      { do: 'mute', on, with: { off: true } },
    ],
    s,
  );
  expect(edits(off)[1]).toBeUndefined();
  await expect(follow([{ do: 'level', on }])).rejects.toThrow('no level');
});

test('a deleted note is none any more, until it is as sung', async () => {
  // the next is the first now
  const second = await follow([
    { do: 'delete', on: { ...lead, notes: { index: [0] } } },
    { do: 'level', on: { ...lead, notes: { index: [0] } }, with: { startDb: -3 } },
  ]);
  expect(edits(second).map(e => e?.startDb ?? e?.silent)).toEqual(['deleted', -3, ...Array(4).fill(undefined)]);
  expect(edits(await follow([{ do: 'as-sung', on: lead }], second)).every(e => !e)).toBe(true);
});

test('one desk takes off only what is its own', async () => {
  const s = await follow([
    { do: 'place', on: { ...lead, notes: { index: [0] } }, with: { pitch: 64 } },
    { do: 'level', on: lead, with: { startDb: -3 } },
  ]);
  const tone = edits(await follow([{ do: 'as-sung', on: lead, with: { what: 'tone' } }], s));
  expect([tone[0]?.target, tone[0]?.startDb, tone[1]]).toEqual([64, undefined, undefined]);
  const pitch = edits(
    await follow([{ do: 'as-sung', on: { ...lead, notes: { index: [0] } }, with: { what: 'pitch' } }], s),
  );
  expect([pitch[0]?.target, pitch[0]?.startDb]).toEqual([undefined, -3]);
  await expect(follow([{ do: 'as-sung', on: lead, with: { what: 'time' } }], s)).rejects.toThrow('nothing was edited');
});

test('levels are evened towards the middle of the phrase, quiet and loud by their own shares', async () => {
  const s = await follow([{ do: 'even-levels', on: lead, with: { lift: 100, ease: 50 } }]);
  // -30 to -20 in steps of 2: the middle is -24 or -26
  const even = edits(s).map(e => e?.evenDb ?? 0);
  expect(even[0]).toBeCloseTo(even[1] + 2, 3);
  expect(even[5]).toBeCloseTo(even[4] - 1, 3);
  expect(even.filter(v => v > 0).length).toBeGreaterThan(1);
  expect(edits(await follow([{ do: 'even-levels', on: lead, with: { lift: 0, ease: 0 } }], s)).every(e => !e)).toBe(
    true,
  );
});

test('colours come together, as far as is asked, and stay as loud', async () => {
  const s = await follow([{ do: 'even-colour', on: lead, with: { amount: 60, brightnessDb: 2 } }]);
  const [a, b] = edits(s);
  expect(a).toMatchObject({ colourAmount: 60, brightness: 2 });
  // what one has more of the other has less
  expect(Math.sign(a!.colour![15] - a!.colour![0])).toBe(-Math.sign(b!.colour![15] - b!.colour![0]));
  expect(Math.abs(a!.colour![15] - a!.colour![0])).toBeGreaterThan(4);
  const flat = new Float32Array(heldBands(BANDS.length)).fill(1);
  for (const e of [a, b]) expect(louderBy(flat, [0], e!.colour!)).toBeCloseTo(0, 1);
  const none = await follow([{ do: 'even-colour', on: lead, with: { amount: 0, brightnessDb: 0 } }], s);
  expect(edits(none).every(e => !e)).toBe(true);
});

describe('noises', () => {
  test('of a kind are turned down, soft ones left soft; one alone by a span', async () => {
    const s = await follow([{ do: 'noises', on: lead, with: { kind: 'sibilant', db: -6 } }]);
    expect(gains(s).map(g => [g.start, g.db])).toEqual([0.95, 1.95, 3.95].map(t => [t, expect.closeTo(-6, 1)]));
    const one = await follow(
      [{ do: 'noises', on: { ...lead, span: [2.9, 3.1] }, with: { kind: 'sibilant', db: 3 } }],
      s,
    );
    expect(gains(one).map(g => Math.round(g.db))).toEqual([-6, -6, 3, -6]);
    expect(gains(await follow([{ do: 'noises', on: lead, with: { kind: 'sibilant', db: 0 } }], s))).toEqual([]);
    await expect(
      follow([{ do: 'noises', on: { ...lead, span: [2, 2.2] }, with: { kind: 'breath', db: 3 } }]),
    ).rejects.toThrow('no breath');
    await expect(follow([{ do: 'noises', on: lead, with: { kind: 'breath' } }])).rejects.toThrow('neither');
  });

  test('mouth clicks among them', async () => {
    const s = await follow([{ do: 'noises', on: { ...lead, span: [1.4, 1.6] }, with: { kind: 'click', db: -40 } }]);
    expect(s.tracks[0].takes[0].noises).toMatchObject([{ start: 1.5, end: 1.502, db: -40 }]);
    const { clicks } = takes.l.sound!();
    expect(clickGains(clicks, s.tracks[0], s.tracks[0].takes[0])).toMatchObject([{ start: 1.5, keep: 0.01 }]);
    expect(clickGains(clicks, start.tracks[0], start.tracks[0].takes[0])).toEqual([]);
    const all = await follow([{ do: 'clean', on: lead, with: { clicks: true } }]);
    expect(clickGains(clicks, all.tracks[0], all.tracks[0].takes[0])[0].keep).toBeLessThan(1e-4);
  });

  test('of a follower that coincide with the lead’s are turned down together', async () => {
    const s = await follow([{ do: 'noises', on: { tracks: 'Double' }, with: { kind: 'sibilant', together: -9 } }]);
    expect(gains(s, 1).map(g => g.db)).toEqual([-9, -9, -9, -9]);
    expect(gains(s, 0)).toEqual([]);
  });

  test('and what lies between phrases is cleaned', async () => {
    const s = await follow([{ do: 'clean', on: lead, with: { gapsDb: -20, clicks: true } }]);
    expect(s.tracks[0].clean).toMatchObject({ gapsDb: -20, clicks: true });
    const quiet = await follow([{ do: 'clean', on: lead, with: { gapsDb: 0, clicks: false } }], s);
    expect(quiet.tracks[0].clean).toBeNull();
    await expect(follow([{ do: 'clean', on: lead }])).rejects.toThrow('neither');
  });
});

describe('formants of a stretch', () => {
  const cut = { ...lead, span: [1.3, 2.5] };

  test('that cuts through notes are of what it holds of them', async () => {
    const s = await follow([{ do: 'formant', on: cut, with: { semitones: 2 } }]);
    const [none, first, second] = edits(s);
    expect(none).toBeUndefined();
    expect(first).toMatchObject({ parts: [{ start: 1.3, end: 1.9, formant: 2 }] });
    expect(second).toMatchObject({ parts: [{ start: 2.1, end: 2.5, formant: 2 }] });
    expect(first!.formant).toBeUndefined();
  });

  test('give way to what is said of the whole note, and go as sung with the tone', async () => {
    const both = await follow([
      { do: 'shape', on: cut, with: { wander: 30 } },
      { do: 'formant', on: cut, with: { semitones: 2, follow: 50 } },
    ]);
    const whole = await follow(
      [{ do: 'formant', on: { ...lead, notes: { index: [1] } }, with: { semitones: -1 } }],
      both,
    );
    expect(edits(whole)[1]).toMatchObject({ formant: -1, parts: [{ wander: 30, follow: 50 }] });
    expect(edits(whole)[1]!.parts![0].formant).toBeUndefined();
    const tone = await follow([{ do: 'as-sung', on: lead, with: { what: 'tone' } }], both);
    expect(edits(tone)[1]!.parts).toEqual([expect.objectContaining({ wander: 30 })]);
    expect(edits(tone)[1]!.parts![0].formant).toBeUndefined();
    const pitch = await follow([{ do: 'as-sung', on: lead, with: { what: 'pitch' } }], both);
    expect(edits(pitch)[1]!.parts).toEqual([expect.objectContaining({ formant: 2, follow: 50 })]);
    expect(edits(pitch)[1]!.parts![0].wander).toBeUndefined();
  });
});
