import type { Reading } from '@essim/core';
import { drawVoice } from '../../field/draw/notes';
import type { Scene, SceneNote } from '../../field/scene';
import { xOf } from '../../field/viewport';
import { drawnScene, recordingPen } from '../../testing-drawing';
import { view } from '../../testing-field';
import {
  dbPerPixel,
  grips,
  hillAt,
  levelY,
  noiseAt,
  noiseDbPerPixel,
  noiseY,
  toneDress,
  toneLayout,
  type ToneScene,
} from './draw';
import type { TonedNoise, TonedNote } from './tones';

const l = toneLayout(1000, 700);
const levelDb = new Float32Array(2000).fill(-90);
for (let i = 0; i < 4; i++) levelDb.fill(-24 + 3 * i, 200 * i + 20, 200 * i + 180);
const reading = { levelDb, hop: 0.005, noises: [], spoken: [], notes: [] } as unknown as Reading;

const note = (i: number, fields: Partial<TonedNote> = {}): TonedNote => ({
  key: `n${i}`,
  spoken: false,
  word: `word${i}`,
  start: i + 0.1,
  end: i + 0.9,
  edit: undefined,
  toTake: t => t,
  sungDb: 3 * i,
  nowDb: 3 * i,
  colour: new Float32Array(16),
  added: null,
  ...fields,
});
const noise = (start: number, fields: Partial<TonedNoise> = {}): TonedNoise => ({
  kind: 'sibilant',
  start,
  end: start + 0.08,
  sungDb: -10,
  nowDb: -10,
  usualDb: -14,
  together: false,
  ...fields,
});
const tone = (t: Partial<ToneScene> = {}): ToneScene => ({
  colour: 'teal',
  notes: [note(0), note(1), note(2)],
  noises: [],
  phraseDb: new Float32Array(3).fill(-24),
  listening: false,
  ...t,
});
const chosen = (i: number) => ({ key: `n${i}`, from: i + 0.1, to: i + 0.9, rail: 60, selected: true }) as SceneNote;
const scene = (t: ToneScene, more: Partial<Scene> = {}) =>
  drawnScene({ layout: l, dress: toneDress(t), reading, notes: [], spoken: [], gainDb: null, ...more });
const draw = async (t: Partial<ToneScene>, more: Partial<Scene> = {}) => {
  const made = recordingPen();
  drawVoice(made.pen, await scene(tone(t), more));
  const touches = (x: number, y: number, near = 2) =>
    made.strokes.some(q => q.points.some(p => Math.abs(p[0] - x) < near && Math.abs(p[1] - y) < near));
  return { ...made, touches };
};
const x = (t: number) => xOf(view, l, t);

describe('hills', () => {
  it('stand as high as each note is beside its phrase, as sung and as it is', async () => {
    const { touches, said } = await draw({});
    expect(touches(x(0.5), levelY(l, 0))).toBe(true);
    expect(touches(x(1.5), levelY(l, 3))).toBe(true);
    expect(touches(x(2.5), levelY(l, 6))).toBe(true);
    expect(said()).toEqual(expect.arrayContaining(['Level', 'phrase', '+6 dB', '−12 dB', '+6.0']));
    const eased = await draw({}, { gainDb: new Float32Array(2000).fill(-6) });
    expect(eased.touches(x(1.5), levelY(l, -3))).toBe(true);
    expect(eased.touches(x(1.5), levelY(l, 3))).toBe(true);
  });

  it('say what is muted, and how far a word stands out', async () => {
    const { said } = await draw({
      notes: [note(0, { edit: { silent: 'muted' } as never, nowDb: -60 }), note(1, { nowDb: -8 })],
    });
    expect(said()).toEqual(expect.arrayContaining(['muted', '−8.0']));
    expect(said()).not.toContain('−60.0');
  });

  it('have five grips where one note is chosen, its fades among them, and none where several are', async () => {
    const t = tone({ notes: [note(0), note(1, { edit: { fadeIn: 100, fadeOut: 200 } as never })] });
    const one = grips(await scene(t, { notes: [chosen(1)] }), t);
    expect(one.map(g => g.what)).toEqual(['startDb', 'middleDb', 'endDb', 'fadeIn', 'fadeOut']);
    expect(one[3].x).toBeCloseTo(x(1.2), 0);
    expect(one[4].x).toBeCloseTo(x(1.7), 0);
    expect(one[1].y).toBeCloseTo(levelY(l, 3), 0);
    expect(grips(await scene(t, { notes: [chosen(0), chosen(1)] }), t)).toEqual([]);
    expect(grips(await scene(t, { notes: [chosen(1)], reading: null }), t)).toEqual([]);
  });

  it('are found where they are pointed at', async () => {
    const t = tone();
    const s = await scene(t);
    expect(hillAt(s, t, x(1.5), l.own.hills.bottom - 5)?.key).toBe('n1');
    expect(hillAt(s, t, x(1.95), l.own.hills.bottom - 5)).toBeNull();
    expect(hillAt(s, t, x(1.5), l.own.grain.bottom - 5)).toBeNull();
  });

  it('a pixel is as many dB as it looks', () => {
    expect(levelY(l, -3) - levelY(l, 0)).toBeCloseTo(3 / dbPerPixel(l), 6);
    expect(noiseY(l, -20) - noiseY(l, -10)).toBeCloseTo(10 / noiseDbPerPixel(l), 6);
    // beyond the lane's ends it stays at its end
    expect(levelY(l, 40)).toBe(levelY(l, 9));
  });
});

describe('noises', () => {
  const list = [
    noise(0.95, { nowDb: -16 }),
    noise(1.95, { kind: 'breath', together: true }),
    noise(2.95, { kind: 'plosive', nowDb: 2 }),
  ];

  it('are as high as they are beside their voice, hollow as sung, a tick at what is usual', async () => {
    const { touches, said } = await draw({ noises: list });
    expect(touches(x(0.95), noiseY(l, -10))).toBe(true);
    expect(touches(x(0.95) - 2, noiseY(l, -14))).toBe(true);
    expect(said()).toEqual(expect.arrayContaining(['Noises', 's −6', 'breath', 't +12']));
  });

  it('that coincide with the lead’s are bracketed', async () => {
    const floor = l.own.sounds.bottom - 4;
    const { touches } = await draw({ noises: list });
    expect(touches(x(1.95), floor + 2.5, 1)).toBe(true);
    expect(touches(x(0.95), floor + 2.5, 1)).toBe(false);
  });

  it('are found where they are pointed at, however short', async () => {
    const t = tone({ noises: [noise(1, { end: 1.002, kind: 'click' })] });
    const s = await scene(t);
    expect(noiseAt(s, t, x(1) + 6)?.kind).toBe('click');
    expect(noiseAt(s, t, x(1) + 20)).toBeNull();
  });
});

describe('the grain of a voice', () => {
  it('is thick where a note has more of a band than the others, straight where it has as much', async () => {
    const colour = Float32Array.from({ length: 16 }, (_, b) => (b < 8 ? 8 : -8));
    const { strokes } = await draw({ notes: [note(0), note(1, { colour })] });
    const widths = (at: number) =>
      strokes
        .filter(
          q => q.points.length === 2 && Math.abs(q.points[0][0] - x(at) - 2) < 1 && q.points[0][1] > l.own.grain.top,
        )
        .map(q => q.width);
    expect(new Set(widths(0.1)).size).toBe(1);
    expect(Math.max(...widths(1.1))).toBeGreaterThan(4 * Math.min(...widths(1.1)));
    // what evening adds makes it run straight
    const even = await draw({ notes: [note(1, { colour, added: Array.from(colour, v => -v) })] });
    const straight = even.strokes.filter(
      q => q.points.length === 2 && Math.abs(q.points[0][0] - x(1.1) - 2) < 1 && q.points[0][1] > l.own.grain.top,
    );
    expect(new Set(straight.map(q => q.width)).size).toBe(1);
  });

  it('says that the sound is being listened to while it is', async () => {
    expect((await draw({ listening: true })).said()).toContain('listening to the sound …');
    expect((await draw({})).said()).not.toContain('listening to the sound …');
  });

  it('is amber where a note stands out from the others', async () => {
    const far = new Float32Array(16).fill(9);
    const { strokes } = await draw({ notes: [note(0), note(1, { colour: far })] });
    const styles = (at: number) =>
      new Set(
        strokes
          .filter(
            q => q.points.length === 2 && Math.abs(q.points[0][0] - x(at) - 2) < 1 && q.points[0][1] > l.own.grain.top,
          )
          .map(q => q.style),
      );
    expect(styles(1.1)).toEqual(new Set(['amber']));
    expect(styles(0.1)).not.toContain('amber');
  });
});
