import { AS_SUNG, editedLine, splitNotes, type NoteShape } from '.';
import { swayOf } from './detail';

/** Two joined notes a whole tone apart, the second with a vibrato that grows, its swings uneven. 5 ms frames. */
const FRAMES = 600;
const MEETING = 200;
const sung = Float64Array.from({ length: FRAMES }, (_, k) => {
  const t = k * 0.005;
  const glide = 1 / (1 + Math.exp(-(k - MEETING) / 4));
  const width = 40 * Math.max(0, Math.min(1, (t - 1.3) / 0.3)) * (1 + 0.5 * Math.sin(2 * Math.PI * 0.9 * t));
  return 6000 + 200 * glide + width * Math.sin(2 * Math.PI * 5.5 * (t - 1.3));
});
const voiced = new Float64Array(FRAMES).fill(1);
const notes = splitNotes(sung, voiced, [
  { start: 0, end: MEETING },
  { start: MEETING, end: FRAMES },
]);
const shape = (w: Partial<NoteShape>): NoteShape => ({ ...AS_SUNG, ...w });
const lineOf = (a: Partial<NoteShape>, b: Partial<NoteShape>) => editedLine(sung, voiced, notes, [shape(a), shape(b)]);
const mean = (x: ArrayLike<number>, from: number, to: number) => {
  let sum = 0;
  for (let k = from; k < to; k++) sum += x[k];
  return sum / (to - from);
};
/** Frames at which a line rises through a level. */
const rises = (x: ArrayLike<number>, from: number, to: number, level: number) => {
  const at: number[] = [];
  for (let k = from + 1; k < to; k++)
    if (x[k - 1] < level && x[k] >= level) at.push(k - 1 + (level - x[k - 1]) / (x[k] - x[k - 1]));
  return at;
};
const noJumps = (line: Float64Array, most: number) => {
  for (let k = 1; k < FRAMES; k++)
    expect(Math.abs(line[k] - line[k - 1])).toBeLessThan(most + Math.abs(sung[k] - sung[k - 1]));
};

describe('beyond the faders', () => {
  it('a tilt rises by as much as asked, about the middle, and goes over where notes meet', () => {
    const line = lineOf({ tilt: 80 }, {});
    expect(line[100] - sung[100]).toBeCloseTo(0, 0);
    expect(line[150] - line[20] - (sung[150] - sung[20])).toBeCloseTo((80 * 130) / MEETING, 1);
    for (let k = 260; k < FRAMES; k++) expect(line[k]).toBe(sung[k]);
    noJumps(line, 6);
  });

  it('first and last pitch are met, and the middle stays', () => {
    const line = lineOf({ startCents: -90 }, { endCents: 60 });
    expect(line[0] - sung[0]).toBeCloseTo(-90, 6);
    expect(line[FRAMES - 1] - sung[FRAMES - 1]).toBeCloseTo(60, 6);
    for (const k of [90, 150, 400]) expect(line[k]).toBe(sung[k]);
    noJumps(line, 6);
  });

  it('a correction that begins later leaves the beginning as sung', () => {
    const line = lineOf({ rail: 6050, aim: 1, lead: 6, begin: 200 }, {});
    for (let k = 0; k < 44; k++) expect(Math.abs(line[k] - sung[k])).toBeLessThan(0.5);
    expect(mean(line, 100, 150) - mean(sung, 100, 150)).toBeCloseTo(50, 0);
    noJumps(line, 6);
  });

  it('another stretch counts for the centre', () => {
    const leaning = Float64Array.from({ length: 200 }, (_, k) => 6000 + 40 * (k > 100 ? 1 : 0));
    const one = splitNotes(leaning, new Float64Array(200).fill(1), [{ start: 0, end: 200 }]);
    const to = (w: Partial<NoteShape>) =>
      editedLine(leaning, new Float64Array(200).fill(1), one, [shape({ rail: 6100, aim: 1, ...w })]);
    expect(mean(to({ centreFrom: 120, centreTo: 190 }), 120, 190)).toBeCloseTo(6100, 0);
    expect(mean(to({ centreFrom: 10, centreTo: 90 }), 10, 90)).toBeCloseTo(6100, 0);
  });

  it('an added vibrato has the rate and depth asked, begins when asked, and dies away before the next note', () => {
    const line = lineOf({ addedDepth: 50, addedHz: 6, addedDelay: 200, addedBuild: 150, lead: 4 }, {});
    const added = Array.from(line, (v, k) => v - sung[k]);
    for (let k = 0; k < 44; k++) expect(added[k]).toBe(0);
    expect(Math.max(...added.slice(80, 170))).toBeGreaterThan(48);
    expect(Math.max(...added)).toBeLessThan(50.5);
    const up = rises(added, 46, 180, 0);
    expect((up.length - 1) / ((up[up.length - 1] - up[0]) * 0.005)).toBeCloseTo(6, 1);
    expect(added.slice(MEETING + 20).every(v => v === 0)).toBe(true);
  });

  it('a sung vibrato is quickened, slowed and evened', () => {
    for (const hz of [4.8, 6.4]) {
      const line = lineOf({}, { vibratoHz: hz });
      const up = rises(line, 330, 570, 6200);
      expect((up.length - 1) / ((up[up.length - 1] - up[0]) * 0.005) / hz).toBeCloseTo(1, 1);
    }
    /** How much the tops of a line differ. */
    const unevenness = (x: Float64Array) => {
      const tops: number[] = [];
      for (let k = 340; k < 560; k++) if (x[k] > x[k - 1] && x[k] >= x[k + 1] && x[k] > 6210) tops.push(x[k] - 6200);
      return (Math.max(...tops) - Math.min(...tops)) / mean(tops, 0, tops.length);
    };
    expect(unevenness(sung)).toBeGreaterThan(0.6);
    expect(unevenness(lineOf({}, { even: 1 }))).toBeLessThan(0.25);
  });

  it('what is drawn is met from its first to its last point, over a join too, and reached without a jump', () => {
    const stroke = [0.6, 60.4, 1.0, 61.7, 1.4, 61.9];
    const parts = [
      [0.6, 60.4, 1, 61.7],
      [1, 61.7, 1.4, 61.9],
    ];
    const line = lineOf({ rail: 6100, aim: 1, drawn: [parts[0]] }, { drawn: [parts[1]] });
    for (let k = 120; k <= 280; k++) {
      const t = k * 0.005;
      const j = t < 1 ? 0 : 2;
      const at = stroke[j + 1] + ((stroke[j + 3] - stroke[j + 1]) * (t - stroke[j])) / (stroke[j + 2] - stroke[j]);
      expect(Math.abs(line[k] - at * 100)).toBeLessThan(0.01);
    }
    for (let k = 300; k < FRAMES; k++) expect(line[k]).toBe(sung[k]);
    noJumps(line, 40);
  });

  it('loudness and colour sway with an added vibrato alone', () => {
    expect(swayOf(notes, [AS_SUNG, shape({ addedDepth: 30 })], FRAMES)).toBeNull();
    const sway = swayOf(notes, [AS_SUNG, shape({ addedDepth: 30, addedSway: 1 })], FRAMES)!;
    expect(Math.max(...sway.levelDb)).toBeGreaterThan(1.3);
    expect(Math.max(...sway.formantCents)).toBeGreaterThan(26);
    expect(sway.levelDb.subarray(0, MEETING).every(v => v === 0)).toBe(true);
  });
});

test('a part of a note keeps to its own values, and goes over into the rest without a step', () => {
  const part = { from: 400, to: 500, aim: 0, wander: 1, vibrato: 0, scoop: 1, fall: 1 };
  const line = lineOf({}, { parts: [part] });
  for (let k = 0; k < FRAMES; k++) if (k < 395 || k > 505) expect(line[k]).toBeCloseTo(sung[k], 6);
  const spread = (x: Float64Array) => Math.max(...x.subarray(410, 490)) - Math.min(...x.subarray(410, 490));
  expect(spread(line)).toBeLessThan(0.25 * spread(sung));
  noJumps(line, 8);
});

test('a glide lies later or earlier when that is asked, as long as it was', () => {
  const crossing = (line: Float64Array) => rises(line, MEETING - 60, MEETING + 60, 6100)[0];
  const before = crossing(lineOf({}, {}));
  for (const glidePlace of [12, -10]) {
    const line = lineOf({}, { glidePlace });
    expect(crossing(line) - before).toBeCloseTo(glidePlace, -0.5);
    noJumps(line, 22);
  }
});
