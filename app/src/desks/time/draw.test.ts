import type { Reading } from '@essim/core';
import { drawVoice } from '../../field/draw/notes';
import { mirrorAxes, mirrorLayout, offsetY } from '../../field/draw/mirror';
import type { Scene, SceneNote } from '../../field/scene';
import { xOf } from '../../field/viewport';
import { drawnScene, recordingPen } from '../../testing-drawing';
import { view } from '../../testing-field';
import { timeDress, type TimeScene } from './draw';
import type { TimedNote } from './timed';

const l = mirrorLayout(1000, 640);
const note = (i: number, by = 0, fields: Partial<TimedNote> = {}): TimedNote => ({
  key: `n${i}`,
  spoken: false,
  word: `word${i}`,
  start: i + 0.1 + by,
  onset: i + 0.15 + by,
  end: i + 0.9 + by,
  was: { start: i + 0.1, onset: i + 0.15, end: i + 0.9 },
  offWas: 0.01,
  offNow: 0.01 + by,
  joinedAfter: false,
  ...fields,
});
const levelDb = new Float32Array(2000).fill(-90);
for (let i = 0; i < 4; i++) levelDb.fill(-20, 200 * i + 20, 200 * i + 180);
const reading = { levelDb, hop: 0.005, noises: [], spoken: [], notes: [] } as unknown as Reading;
const selected = (i: number): SceneNote =>
  ({ key: `n${i}`, from: i + 0.1, to: i + 0.9, rail: 60, selected: true }) as SceneNote;

const draw = async (t: Partial<TimeScene>, more: Partial<Scene> = {}) => {
  const made = recordingPen();
  const time: TimeScene = {
    colour: 'teal',
    notes: [note(0), note(1), note(2)],
    stiff: [],
    stitches: [],
    gaps: [],
    heard: was => was,
    coming: new Map(),
    beside: 'beat',
    ...t,
  };
  const scene = await drawnScene({ layout: l, dress: timeDress(time), reading, notes: [], spoken: [], ...more });
  drawVoice(made.pen, scene);
  /** Whether a stroke goes from one place to another. */
  const goes = (a: [number, number], b: [number, number]) =>
    made.strokes.some(q =>
      [a, b].every(([x, y]) => q.points.some(p => Math.abs(p[0] - x) < 1.5 && Math.abs(p[1] - y) < 1.5)),
    );
  return { ...made, goes };
};
const x = (t: number) => xOf(view, l, t);
const { lead, follower } = mirrorAxes(l);

describe('the mirror of a track over its time', () => {
  it('has a thread from where each note was sung to where it is', async () => {
    const { goes, said, strokes } = await draw({ notes: [note(0), note(1, 0.12), note(2)] });
    expect(goes([x(0.1), lead], [x(0.1), follower])).toBe(true);
    expect(goes([x(1.1), lead], [x(1.22), follower])).toBe(true);
    expect(goes([x(1.9), lead], [x(2.02), follower])).toBe(true);
    // what was moved is drawn stronger
    const width = (a: number, b: number) =>
      strokes.find(
        q => q.points.length === 2 && Math.abs(q.points[0][0] - x(a)) < 1 && Math.abs(q.points[1][0] - x(b)) < 1,
      )!.width;
    expect(width(1.1, 1.22)).toBeGreaterThan(width(0.1, 0.1));
    expect(said()).toEqual(expect.arrayContaining(['As sung', 'Now', 'word0', 'word1', 'word2']));
  });

  it('writes words only where there is room for them', async () => {
    const { said } = await draw({
      notes: [note(0), note(0, 0, { key: 'n9', word: 'over', was: note(0).was }), note(1)],
    });
    expect(said()).not.toContain('over');
    expect(said()).toContain('word1');
  });

  it('stipples what keeps its length, above and below, and nothing else', async () => {
    const dots = ({ rects }: { rects: { x: number; y: number; width: number }[] }) =>
      rects.filter(r => r.width === 1.2);
    expect(dots(await draw({}))).toHaveLength(0);
    const stiff = dots(await draw({ stiff: [{ start: 0.3, end: 0.5 }] }));
    expect(stiff.length).toBeGreaterThan(50);
    for (const d of stiff) expect(d.x > x(0.3) - 4 && d.x < x(0.5) + 4).toBe(true);
    expect(stiff.some(d => d.y < lead)).toBe(true);
    expect(stiff.some(d => d.y > follower)).toBe(true);
  });

  it('shows what is held inside a note, and the silence left beside one', async () => {
    const { goes, strokes } = await draw({
      stitches: [{ at: 1.6, was: 1.5 }],
      gaps: [{ start: 0.9, end: 1.05 }],
    });
    expect(goes([x(1.5), lead], [x(1.6), follower])).toBe(true);
    expect(strokes.some(q => q.points.some(p => Math.abs(p[0] - x(0.9)) < 1 && p[1] > follower))).toBe(true);
  });

  it('frames what is chosen and says how long it is and was', async () => {
    const longer = note(1, 0, { end: 2.3 });
    const { said } = await draw({ notes: [note(0), longer] }, { notes: [selected(1)] });
    expect(said()).toContain('1.20 s, was 0.80');
    const same = await draw({}, { notes: [selected(1)] });
    expect(same.said().some(t => t.includes('was'))).toBe(false);
  });

  it('shows nothing of a voice that is not read yet', async () => {
    const { said, goes } = await draw({}, { reading: null });
    expect(said()).toContain('As sung');
    expect(goes([x(0.1), lead], [x(0.1), follower])).toBe(false);
  });
});

describe('leaves', () => {
  it('hang by how far off they are, as they were and as they are; where they would be brought is dashed', async () => {
    const { goes, strokes, said } = await draw({
      notes: [note(0, 0.1), note(1, -0.06), note(2, 0, { offNow: null, offWas: null })],
      coming: new Map([['n0', 0.15]]),
      beside: 'Double',
    });
    const touches = (px: number, py: number) =>
      strokes.some(q => q.points.some(p => Math.abs(p[0] - px) < 1.5 && Math.abs(p[1] - py) < 1.5));
    expect(goes([x(0.15), offsetY(l, 0.01)], [x(0.25), offsetY(l, 0.11)])).toBe(true);
    expect(touches(x(0.15), offsetY(l, 0.01))).toBe(true);
    expect(said()).toEqual(expect.arrayContaining(['Double', '+110 ms', '−50 ms']));
    // what nothing is near to has no leaf
    expect(touches(x(2.15), offsetY(l, 0))).toBe(false);
  });

  it('tell no tag of what is together, nor from far away', async () => {
    expect((await draw({})).said().some(t => t.endsWith(' ms'))).toBe(false);
    const far = await draw({ notes: [note(0, 0.1)] }, { view: { ...view, from: 0, to: 30 } });
    expect(far.said().some(t => t === '+110 ms')).toBe(false);
  });
});
