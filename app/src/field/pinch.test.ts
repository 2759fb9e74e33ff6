import { pinched, TwoFingers } from './pinch';
import { layoutFor, pitchAt, timeAt, xOf, yOf, type Viewport } from './viewport';

const layout = layoutFor(1000, 640);
const view: Viewport = { from: 10, to: 18, low: 52, high: 76 };
const at = (t: number, midi: number) => ({ x: xOf(view, layout, t), y: yOf(view, layout, midi) });
const two = (a: { x: number; y: number }, b: { x: number; y: number }) => ({ a, b });

describe('two fingers', () => {
  const [a, b] = [at(12, 60), at(14, 60)];

  it('drawn apart sideways show less time, what was under them under them still', () => {
    const [left, right] = [
      { ...a, x: a.x - 80 },
      { ...b, x: b.x + 80 },
    ];
    const seen = pinched(view, layout, two(a, b), two(left, right), 60);
    expect(timeAt(seen, layout, left.x)).toBeCloseTo(12, 3);
    expect(timeAt(seen, layout, right.x)).toBeCloseTo(14, 3);
    expect([seen.low, seen.high]).toEqual([view.low, view.high]);
  });

  it('moved together move what is seen', () => {
    const by = (p: typeof a) => ({ x: p.x + 50, y: p.y + 30 });
    const seen = pinched(view, layout, two(a, b), two(by(a), by(b)), 60);
    expect(timeAt(seen, layout, by(a).x)).toBeCloseTo(12, 3);
    expect(pitchAt(seen, layout, by(a).y)).toBeCloseTo(60, 3);
    expect(seen.to - seen.from).toBeCloseTo(8, 6);
  });

  it('drawn together up and down show more rows; lying side by side they say nothing of rows', () => {
    const [high, low] = [at(13, 70), at(13, 58)];
    const nearer = two({ ...high, y: high.y + 40 }, { ...low, y: low.y - 40 });
    const seen = pinched(view, layout, two(high, low), nearer, 60);
    expect(seen.high - seen.low).toBeGreaterThan(view.high - view.low);
    const tilted = pinched(view, layout, two(a, b), two({ ...a, y: a.y - 30 }, { ...b, y: b.y + 30 }), 60);
    expect(tilted.high - tilted.low).toBeCloseTo(view.high - view.low, 6);
  });

  it('never go beyond the song', () => {
    const seen = pinched(view, layout, two(a, b), two({ ...a, x: a.x + 4000 }, { ...b, x: b.x + 4000 }), 60);
    expect(seen.from).toBeGreaterThanOrEqual(-2);
  });

  it('go about together from when the second comes; the one that is left does nothing more', () => {
    const fingers = new TwoFingers();
    expect(fingers.down(1, a, view, layout)).toBe(false);
    expect(fingers.move(1, b, 60)).toBeUndefined();
    expect(fingers.down(2, a, view, layout)).toBe(true);
    const apart = { ...a, x: a.x - 60 };
    expect(fingers.move(2, apart, 60)).toEqual(pinched(view, layout, two(b, a), two(b, apart), 60));
    expect(fingers.up(1)).toBe(true);
    expect(fingers.move(2, a, 60)).toBeNull();
    expect(fingers.up(2)).toBe(true);
    // another one is a first one again; what was never down is none
    expect(fingers.down(3, a, view, layout)).toBe(false);
    expect(fingers.move(9, a, 60)).toBeUndefined();
    expect(fingers.up(3)).toBe(false);
  });
});
