import { layout, view } from '../../testing-field';
import { drawnScene as scene, palette, recordingPen as pen } from '../../testing-drawing';
import { xOf, yOf } from '../viewport';
import { drawTabs } from './tabs';
import { clock, drawGround, groundOf } from './ground';
import { drawVoice } from './notes';
import { drawOverlay } from './overlay';
import { fitted } from './shapes';

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

test('a text too long is cut with an ellipsis, or left out', () => {
  const { pen: p } = pen();
  expect(fitted(p, 'harbour', 60)).toBe('harbour');
  expect(fitted(p, 'harbour', 30)).toBe('harb…');
  expect(fitted(p, 'harbour', 3)).toBe('');
});

describe('the ground', () => {
  const drawn = (s: Awaited<ReturnType<typeof scene>>): string => {
    const { pen: p, words, strokes, rects } = pen();
    drawGround(p, s);
    drawTabs(p, s);
    return JSON.stringify([words, strokes, rects]);
  };

  const same = (a: unknown[], b: unknown[]) => a.length === b.length && a.every((v, i) => Object.is(v, b[i]));

  it('is another wherever another is drawn', async () => {
    const s = await scene({ phrases: [{ id: 'p', start: 0, end: 3 }] as never, alternatives: [] });
    const [{ scale }] = s.keys;
    const others = [
      { view: { ...s.view, to: s.view.to + 1 } },
      { duration: 9 },
      { phrases: [{ id: 'p', start: 0, end: 2 }] as never },
      { loop: { from: 1, to: 2 } },
      { song: { ...s.song, tempo: null } },
      { keys: [{ from: -Infinity, key: { tonic: 2, mode: 'major' as const }, scale }] },
      { alternatives: [{ name: 'A', start: 0, end: 3, heard: true }] as never },
    ];
    for (const other of others) expect(same(groundOf(s), groundOf({ ...s, ...other }))).toBe(false);
    expect(drawn({ ...s, ...others[3] })).not.toBe(drawn(s));
    expect(drawn({ ...s, ...others[6] })).not.toBe(drawn(s));
  });

  it('is the same while notes are edited', async () => {
    const s = await scene({ alternatives: [] });
    const edited = { ...s, notes: s.notes.slice(1), line: s.line.map(v => v + 1), edited: false };
    expect(same(groundOf(s), groundOf(edited))).toBe(true);
    expect(drawn(edited)).toBe(drawn(s));
  });
});
