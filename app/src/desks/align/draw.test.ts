import { drawVoice } from '../../field/draw/notes';
import type { Scene } from '../../field/scene';
import { areaAt } from '../../field/hit';
import { xOf } from '../../field/viewport';
import { drawnScene, recordingPen, type Stroke } from '../../testing-drawing';
import { view } from '../../testing-field';
import { mirrorAxes, mirrorLayout, mirrorOf, offsetAt, offsetsOf, offsetY } from '../../field/draw/mirror';
import { alignDress, leafAt, type AlignLeaf } from './draw';

describe('mirror and offset lane', () => {
  const l = mirrorLayout(1000, 640);
  const leaf = (i: number, fields: Partial<AlignLeaf> = {}): AlignLeaf => ({
    key: `n${i}`,
    word: `word${i}`,
    at: i + 0.15,
    start: i + 0.1,
    end: i + 0.9,
    sung: 0.08,
    now: 0.01,
    tied: null,
    moved: false,
    stretch: 1,
    ...fields,
  });
  const leaves = [leaf(0), leaf(1, { sung: null, now: null }), leaf(2, { sung: -0.06, now: 0, tied: 'locked' })];
  const draw = async (
    shown = leaves,
    tying: { key: string; lead: number } | null = null,
    more: Partial<Scene> = {},
  ) => {
    const made = recordingPen();
    const align = {
      lead: { name: 'Lead', colour: 'teal' as const, levelDb: new Float32Array(1600).fill(-20), words: [] },
      follower: { name: 'Ash', colour: 'violet' as const },
      followers: [{ colour: 'violet' as const, shown: true, leaves: shown }],
      asSung: [{ start: 4, end: 5 }],
      tying,
    };
    const s = await drawnScene({ layout: l, dress: alignDress(align), ...more });
    drawVoice(made.pen, s);
    return { ...made, scene: s };
  };

  it('hang each syllable by how late it is, as sung and now', async () => {
    const { strokes, said } = await draw();
    const heights = new Set(strokes.flatMap(q => q.points.map(([x, y]) => `${Math.round(x)} ${Math.round(y)}`)));
    const x = Math.round(xOf(view, l, 0.1));
    expect(heights.has(`${x} ${Math.round(offsetY(l, 0.08))}`)).toBe(true);
    expect(heights.has(`${x} ${Math.round(offsetY(l, 0.01))}`)).toBe(true);
    expect(said()).toEqual(
      expect.arrayContaining(['was +80', 'was −60', '“word1”, only here', 'as sung', 'Lead', 'Ash']),
    );
  });

  it('say what is bent beyond what sounds natural, and never write one tag over another', async () => {
    const { said } = await draw([leaf(0, { stretch: 1.62 }), leaf(1, { stretch: 0.6 }), leaf(2, { stretch: 1.2 })]);
    expect(said().filter(t => t.startsWith('bent'))).toEqual(['bent 1.6×', 'bent 0.6×']);
    const close = await draw([leaf(0), leaf(0, { key: 'near', start: 0.15, end: 0.3 }), leaf(1)]);
    expect(close.said().filter(t => t === 'was +80')).toHaveLength(2);
  });

  it('show a follower as loud as it is heard, and how it was sung beside it', async () => {
    const lowest = (strokes: Stroke[]) =>
      Math.max(...strokes.flatMap(q => q.points.map(([, y]) => y)).filter(y => y < mirrorOf(l).bottom));
    const outlined = ({ strokes }: { strokes: Stroke[] }) =>
      strokes.filter(q => q.width === 1 && q.points.length > 200);
    expect(outlined(await draw())).toHaveLength(0);
    const gainDb = new Float32Array(1600).fill(-6);
    const turned = outlined(await draw(leaves, null, { gainDb }));
    expect(turned).toHaveLength(1);
    // the outline is as sung: louder than what is heard, so further from the axis
    expect(lowest(turned)).toBeGreaterThan(mirrorAxes(l).follower + 10);
  });

  it('are grabbed where they are drawn', async () => {
    const { scene: s } = await draw();
    const at = (i: number, seconds: number) => leafAt(leaves, s, xOf(view, l, i + 0.2), offsetY(l, seconds))?.key;
    expect(at(0, 0.01)).toBe('n0');
    expect(at(0, 0.13)).toBeUndefined();
    expect(leafAt(leaves, s, xOf(view, l, 1.2), offsetY(l, 0) + 16)?.key).toBe('n1');
    expect(at(2, 0)).toBe('n2');
    expect(at(5, 0)).toBeUndefined();
  });

  it('are places of their own, over the field', () => {
    const middle = ({ top, bottom }: { top: number; bottom: number }) => areaAt(l, 400, (top + bottom) / 2);
    expect([mirrorOf(l), offsetsOf(l), l.field].map(middle)).toEqual(['mirror', 'offsets', 'field']);
  });

  it('go from seconds to the canvas and back, late below, and stop at the edge of the lane', () => {
    for (const seconds of [-0.1, 0, 0.05, 0.14]) expect(offsetAt(l, offsetY(l, seconds))).toBeCloseTo(seconds, 9);
    expect(offsetY(l, 0.1)).toBeGreaterThan(offsetY(l, -0.1));
    expect(offsetY(l, 2)).toBeLessThanOrEqual(offsetsOf(l).bottom);
    const { lead, follower } = mirrorAxes(l);
    expect(lead).toBeLessThan(follower);
  });
});
