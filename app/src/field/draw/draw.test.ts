import { noteKey, type NoteEdit, type Reading } from '@essim/core';
import { layout, sceneNow, view } from '../../testing-field';
import { open, song, sung, take, tempo, track } from '../../testing';
import type { Palette } from '../palette';
import type { AlignLeaf, Scene } from '../scene';
import { alignLayout, xOf, yOf } from '../viewport';
import { drawAlign, leafAt, mirrorAxes, offsetAt, offsetY } from './align';
import { clock, drawGround } from './ground';
import { drawVoice } from './notes';
import { drawOverlay } from './overlay';
import { fitted } from './shapes';

/** What is drawn, as a list of strokes and words: where things lie, not how they look. */
interface Stroke {
  points: [number, number][];
  width: number;
}
class Recorded {
  points: [number, number][] = [];
  moveTo(x: number, y: number) {
    this.points.push([x, y]);
  }
  lineTo(x: number, y: number) {
    this.points.push([x, y]);
  }
}
Object.assign(globalThis, { Path2D: Recorded });

function pen() {
  const words: { text: string; x: number; y: number }[] = [];
  const strokes: Stroke[] = [];
  const known: Record<string, unknown> = { lineWidth: 1 };
  let path = new Recorded();
  const does: Record<string, unknown> = {
    measureText: (text: string) => ({ width: 6 * text.length }),
    fillText: (text: string, x: number, y: number) => words.push({ text, x, y }),
    beginPath: () => (path = new Recorded()),
    moveTo: (x: number, y: number) => path.moveTo(x, y),
    lineTo: (x: number, y: number) => path.lineTo(x, y),
    roundRect: (x: number, y: number) => path.moveTo(x, y),
    bezierCurveTo: (...c: number[]) => path.lineTo(c[4], c[5]),
    stroke: (given?: Recorded) => strokes.push({ points: (given ?? path).points, width: known.lineWidth as number }),
  };
  const made = new Proxy(known, {
    get: (_, name: string) => does[name] ?? known[name] ?? (() => {}),
    set: (_, name: string, value) => {
      known[name] = value;
      return true;
    },
  }) as unknown as CanvasRenderingContext2D;
  return { pen: made, words, strokes, said: () => words.map(w => w.text) };
}
const palette = new Proxy({}, { get: (_, name) => String(name) }) as Palette;

/** Three notes 40 cents over C4; the second is meant to be D4 and pinned there. */
async function scene(more: Partial<Scene> = {}): Promise<Scene> {
  const read = sung(60.4, [3]);
  const notes = read.notes.map(n => ({ ...n, key: noteKey(n) }));
  const edits: Record<string, NoteEdit> = {
    [notes[1].key]: { start: notes[1].start, end: notes[1].end, target: 62, pinned: true },
  };
  const line = read.line.slice();
  line.fill(62, 220, 380);
  line.fill(NaN, 0, 20);
  const noises = [{ start: 2.91, end: 2.98, kind: 'sibilant' }] as Reading['noises'];
  const made = song(
    [
      track('lead', [take('a', { edits })], {
        phrases: [{ start: 0, end: 3, text: 'hear' }] as never,
      }),
    ],
    { key: { tonic: 0, mode: 'major' }, tempo: tempo(60) },
  );
  await open(made, { a: { ...read, reading: { ...read.reading!, noises }, notes, line } });
  return sceneNow({
    palette,
    song: made,
    duration: 8,
    keys: [{ from: -Infinity, key: { tonic: 0, mode: 'major' } }],
    sungLine: read.line,
    line,
    phrases: [],
    others: [],
    loop: null,
    span: null,
    edited: true,
    colour: 'teal',
    align: null,
    ...more,
  });
}

describe('the voice', () => {
  it('is a line through its pitch, where it sounds and nowhere else', async () => {
    const { pen: p, strokes } = pen();
    const s = await scene();
    drawVoice(p, s);
    const voice = strokes.filter(q => q.width === 3.2).flatMap(q => q.points);
    expect(voice.length).toBeGreaterThan(100);
    for (const [x, y] of voice) {
      const t = view.from + ((x - layout.ladder) / (layout.width - layout.ladder)) * (view.to - view.from);
      expect(t).toBeGreaterThan(0.09);
      expect(y).toBeCloseTo(yOf(view, layout, s.line[Math.round(t / 0.005)]), 6);
    }
  });

  it('heard as sung, the line is what was sung', async () => {
    const { pen: p, strokes } = pen();
    drawVoice(p, await scene({ edited: false }));
    for (const [, y] of strokes.filter(q => q.width === 3.2).flatMap(q => q.points))
      expect(y).toBeCloseTo(yOf(view, layout, 60.4), 4);
  });

  it('tells what is still off beside each note, and nothing of one that is where it is meant', async () => {
    const { pen: p, words } = pen();
    drawVoice(p, await scene());
    const tags = words.filter(w => /^[+−]\d+$/.test(w.text));
    expect(tags.map(w => w.text)).toEqual(['+40', '+40']);
    expect(tags.map(w => w.x)).toEqual([0.1, 2.1].map(t => expect.closeTo(xOf(view, layout, t) + 4, 6)));
    for (const w of tags) expect(w.y).toBeLessThan(yOf(view, layout, 60.4));
  });

  it('shows grips on what is chosen', async () => {
    const count = async () => {
      const { pen: p, strokes } = pen();
      drawVoice(p, sceneNow({ ...(await scene()), notes: sceneNow().notes }));
      return strokes.filter(q => q.width === 1.5).length;
    };
    expect(await count()).toBe(0);
    const s = await scene();
    s.notes[1].selected = true;
    const { pen: p, strokes } = pen();
    drawVoice(p, s);
    expect(strokes.filter(q => q.width === 1.5)).toHaveLength(2);
  });

  it('names its unpitched sounds in their lane', async () => {
    const { pen: p, words } = pen();
    drawVoice(p, await scene());
    const s = words.find(w => w.text === 's')!;
    expect(s.x).toBeCloseTo(xOf(view, layout, 2.91), 6);
    expect(s.y).toBeGreaterThan(layout.noises.top);
  });
});

describe('the ground', () => {
  it('names the steps of the key on the ladder, each on its row', async () => {
    const { pen: p, words } = pen();
    drawGround(p, await scene());
    const c = words.find(w => w.text === 'C4' && w.x < layout.ladder)!;
    expect(c.y).toBeCloseTo(yOf(view, layout, 60) + 0.5, 6);
    const degrees = words.filter(w => /^[1-7]$/.test(w.text) && Math.abs(w.x - layout.ladder + 8) < 0.01);
    expect(degrees.map(w => w.text)).toEqual(expect.arrayContaining(['1', '2', '3', '4', '5', '6', '7']));
  });

  it('tells time as minutes and seconds', () => {
    expect([0, 9.96, 65, 600.04, -3.2].map(t => clock(t))).toEqual([
      '0:00.0',
      '0:10.0',
      '1:05.0',
      '10:00.0',
      '−0:03.2',
    ]);
    expect(clock(75, 0)).toBe('1:15');
  });
});

test('the tag of a gesture is kept inside the field', () => {
  for (const x of [-50, 400, 2000]) {
    const { pen: p, words } = pen();
    drawOverlay(p, layout, palette, { tag: { x, y: 10, text: 'D4   +160 cents from sung' } });
    expect(words[0].x).toBeGreaterThan(layout.ladder);
    expect(words[0].x + 6 * words[0].text.length).toBeLessThan(layout.width);
    expect(words[0].y).toBeGreaterThan(layout.ruler.bottom);
  }
});

describe('mirror and offset lane', () => {
  const l = alignLayout(1000, 640);
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
    const made = pen();
    const align = {
      lead: { name: 'Lead', colour: 'teal' as const, levelDb: new Float32Array(1600).fill(-20), words: [] },
      follower: { name: 'Ash', colour: 'violet' as const },
      followers: [{ colour: 'violet' as const, shown: true, leaves: shown }],
      asSung: [{ start: 4, end: 5 }],
      tying,
    };
    const s = await scene({ layout: l, align, ...more });
    drawAlign(made.pen, s, align);
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
      Math.max(...strokes.flatMap(q => q.points.map(([, y]) => y)).filter(y => y < l.mirror!.bottom));
    const outlined = ({ strokes }: { strokes: Stroke[] }) => strokes.filter(q => q.points.length > 200);
    expect(outlined(await draw())).toHaveLength(0);
    const gainDb = new Float32Array(1600).fill(-6);
    const turned = outlined(await draw(leaves, null, { gainDb }));
    expect(turned).toHaveLength(1);
    // the outline is as sung: louder than what is heard, so further from the axis
    expect(lowest(turned)).toBeGreaterThan(mirrorAxes(l).follower + 10);
  });

  it('are grabbed where they are drawn, the shown follower’s only', async () => {
    const { scene: s } = await draw();
    const at = (i: number, seconds: number) => leafAt(s, xOf(view, l, i + 0.2), offsetY(l, seconds))?.key;
    expect(at(0, 0.01)).toBe('n0');
    expect(at(0, 0.13)).toBeUndefined();
    expect(leafAt(s, xOf(view, l, 1.2), offsetY(l, 0) + 16)?.key).toBe('n1');
    expect(at(2, 0)).toBe('n2');
    expect(at(5, 0)).toBeUndefined();
    s.align!.followers[0].shown = false;
    expect(at(0, 0.01)).toBeUndefined();
  });

  it('go from seconds to the canvas and back, late below, and stop at the edge of the lane', () => {
    for (const seconds of [-0.1, 0, 0.05, 0.14]) expect(offsetAt(l, offsetY(l, seconds))).toBeCloseTo(seconds, 9);
    expect(offsetY(l, 0.1)).toBeGreaterThan(offsetY(l, -0.1));
    expect(offsetY(l, 2)).toBeLessThanOrEqual(l.offsets!.bottom);
    const { lead, follower } = mirrorAxes(l);
    expect(lead).toBeLessThan(follower);
  });
});

test('a text too long is cut with an ellipsis, or left out', () => {
  const { pen: p } = pen();
  expect(fitted(p, 'harbour', 60)).toBe('harbour');
  expect(fitted(p, 'harbour', 30)).toBe('harb…');
  expect(fitted(p, 'harbour', 3)).toBe('');
});
