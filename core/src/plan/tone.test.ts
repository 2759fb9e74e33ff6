import type { NoteEdit } from '../song';
import { fadeAt, spanGains, syllableExtents, NoteCurves, withoutClipping } from './tone';
import { shapeOf } from './plan';
import type { SplitTake } from './split';

/** Frames of 5 ms: two joined notes, a rest, a third that an s leads to and a t ends. */
const take = {
  notes: [
    { start: 100, end: 200 },
    { start: 200, end: 300 },
    { start: 400, end: 500 },
  ],
  sung: new Float64Array(700),
  reading: {
    hop: 0.005,
    notes: [0.5, 1, 2].map(onset => ({ onset })),
    spoken: [],
    noises: [
      { kind: 'sibilant', start: 1.9, end: 1.99 },
      { kind: 'plosive', start: 2.55, end: 2.6 },
      { kind: 'breath', start: 1.6, end: 1.8 },
    ],
  },
} as unknown as SplitTake;
const plan = (...edits: (Partial<NoteEdit> | undefined)[]) =>
  new NoteCurves(take).plan(take.notes.map((_, i) => edits[i] as NoteEdit | undefined));

test('a note takes its consonants along, and no breath', () => {
  expect(syllableExtents(take.notes, take.reading)).toEqual([
    { start: 100, end: 200 },
    { start: 200, end: 300 },
    { start: 380, end: 520 },
  ]);
});

describe('levels', () => {
  test('run smoothly through start, middle and end, and nowhere else', () => {
    const levelDb = plan(undefined, undefined, { startDb: -6, middleDb: 3, endDb: -12 }).levelDb!;
    expect([levelDb[400], levelDb[450], levelDb[500]].map(v => Math.round(v * 10) / 10)).toEqual([-6, 3, -12]);
    // its consonants are as loud as its ends
    expect([levelDb[385], levelDb[515]].map(v => Math.round(v * 10) / 10)).toEqual([-6, -12]);
    expect(Math.max(...levelDb)).toBeCloseTo(3, 1);
    for (let k = 1; k < 700; k++)
      if (k > 375 && k < 525) expect(Math.abs(levelDb[k] - levelDb[k - 1])).toBeLessThan(2.5);
    expect(levelDb.slice(0, 370).every(v => v === 0)).toBe(true);
    expect(levelDb.slice(530).every(v => v === 0)).toBe(true);
  });

  test('of joined notes go over into each other about where they meet', () => {
    const levelDb = plan({ startDb: -12, middleDb: -12, endDb: -12 }, undefined, undefined).levelDb!;
    expect(levelDb[190]).toBeCloseTo(-12, 3);
    expect(levelDb[210]).toBe(0);
    expect(levelDb[200]).toBeGreaterThan(-12);
    expect(levelDb[200]).toBeLessThan(0);
    const both = plan({ evenDb: -6 }, { evenDb: -6 }, undefined).levelDb!;
    for (let k = 105; k < 295; k++) expect(both[k]).toBeCloseTo(-6, 3);
  });

  test('are nothing where a note is muted, and a fade runs as it is asked', () => {
    const muted = plan(undefined, { silent: 'muted' }, undefined).levelDb!;
    expect([muted[190], muted[210], muted[290]]).toEqual([0, -120, -120]);
    const faded = plan({ fadeIn: 100, fadeOut: 50, fadeShape: 'straight' }).levelDb!;
    expect(faded[110]).toBeCloseTo(20 * Math.log10(0.5), 1);
    expect(faded[195]).toBeCloseTo(20 * Math.log10(0.5), 1);
    expect(faded[150]).toBe(0);
    for (const shape of ['straight', 'smooth', 'early', 'late'] as const)
      expect([fadeAt(0, shape), fadeAt(1, shape), fadeAt(2, shape)]).toEqual([0, 1, 1].map(v => expect.closeTo(v, 9)));
    expect(fadeAt(0.3, 'early')).toBeGreaterThan(fadeAt(0.3, 'late'));
  });

  test('swing when they sway', () => {
    const levelDb = plan(undefined, { swayDb: 3, swayHz: 5 }, undefined).levelDb!;
    const part = levelDb.slice(260, 300);
    expect(Math.max(...part)).toBeCloseTo(3, 1);
    expect(Math.min(...part)).toBeCloseTo(-3, 1);
  });
});

test('colour and formants hold over a note, and the same is not made twice', () => {
  const colour = Array.from({ length: 16 }, (_, i) => i - 8);
  const planner = new NoteCurves(take);
  const edits = [{ colour, colourAmount: 50, formant: 2, follow: 40 }, undefined, undefined] as unknown as NoteEdit[];
  const made = planner.plan(edits);
  expect(Array.from(made.tone!.gainsDb.slice(150 * 16, 151 * 16))).toEqual(colour.map(v => v / 2));
  expect(made.tone!.gainsDb.slice(250 * 16).every(v => v === 0)).toBe(true);
  expect([made.formantCents![150], made.formantCents![250], made.follow![150]]).toEqual([200, 0, expect.closeTo(0.4)]);
  expect(planner.plan([...edits])).toBe(made);
  expect(planner.plan([undefined, undefined, undefined]).tone).toBeNull();
  const bright = plan({ brightness: 6 }).tone!;
  const at = (hz: number) =>
    bright.bands.reduce((b, v, i) => (Math.abs(v - hz) < Math.abs(bright.bands[b] - hz) ? i : b), 0);
  expect(bright.gainsDb[150 * 16 + at(2000)]).toBeCloseTo(0, 0);
  expect(bright.gainsDb[150 * 16 + at(8000)]).toBeCloseTo(6, 0);
});

test('stretches are turned down to their ends and no further than the way there', () => {
  const out = spanGains(
    [
      { start: 1, end: 1.2, db: -6, over: 0.02 },
      { start: 1.1, end: 1.15, db: -20, over: 0.01 },
    ],
    0.005,
    400,
  );
  expect([out[200], out[220], out[240]].map(v => Math.round(v))).toEqual([-6, -26, -6]);
  expect(out.slice(0, 194).every(v => v === 0) && out.slice(246).every(v => v === 0)).toBe(true);
});

test('a lift stops short of clipping, smoothly', () => {
  const level = new Float32Array(100).fill(9);
  const peaks = Float32Array.from({ length: 100 }, (_, k) => (k > 40 && k < 60 ? -4 : -40));
  const out = withoutClipping(level, peaks);
  for (let k = 41; k < 60; k++) expect(out[k] + peaks[k]).toBeLessThanOrEqual(-1.9);
  expect(out[10]).toBe(9);
  for (let k = 1; k < 100; k++) expect(Math.abs(out[k] - out[k - 1])).toBeLessThan(1.2);
  const quiet = new Float32Array(100).fill(-6);
  expect(withoutClipping(quiet, peaks)).toBe(quiet);
});

describe('formants of a part of a note', () => {
  const part = { start: 1.1, end: 1.3, formant: 3, follow: 40 };

  test('hold there and go over in 40 ms; the rest of the note has its own', () => {
    const { formantCents, follow } = plan(undefined, { formant: -1, parts: [part] } as never);
    expect(formantCents![210]).toBeCloseTo(-100, 3);
    expect(formantCents![240]).toBeCloseTo(300, 3);
    expect(formantCents![275]).toBeCloseTo(-100, 3);
    expect(formantCents![220]).toBeGreaterThan(0);
    expect(formantCents![220]).toBeLessThan(200);
    expect([follow![210], follow![240]].map(v => Math.round(v * 100))).toEqual([0, 40]);
    for (let k = 210; k < 290; k++) expect(Math.abs(formantCents![k] - formantCents![k - 1])).toBeLessThan(90);
  });

  test('count though nothing else of the note was decided, and alone change nothing of its line', () => {
    const e = { start: 1, end: 1.5, parts: [part] } as unknown as NoteEdit;
    expect(plan(undefined, e).formantCents![240]).toBeCloseTo(300, 3);
    expect(shapeOf(e).parts).toBeNull();
    const both = { ...e, parts: [{ ...part, wander: 20 }] } as unknown as NoteEdit;
    expect(shapeOf(both).parts).toHaveLength(1);
  });

  test('curves are kept while the parts say the same', () => {
    const curves = new NoteCurves(take);
    const edit = (formant: number) => ({ start: 1, end: 1.5, parts: [{ ...part, formant }] }) as unknown as NoteEdit;
    const first = curves.plan([undefined, edit(3), undefined]);
    expect(curves.plan([undefined, edit(3), undefined])).toBe(first);
    expect(curves.plan([undefined, edit(2), undefined])).not.toBe(first);
  });
});
