import { LayerShelf } from './layer-shelf';
import type { Group, Layers } from './separate';

const group = (from: number): Group => ({ from, to: from + 1, segments: [] });
/** Layers of so many samples together. */
const layers = (samples: number): Layers[] => [
  { from: 0, pulses: new Float32Array(samples / 2), breath: new Float32Array(samples / 2) },
];

describe('a shelf of layers', () => {
  const making = (shelf: LayerShelf) => {
    const made: number[] = [];
    return {
      made,
      get: (g: Group, samples = 1.5e6) =>
        shelf.get(g, () => {
          made.push(g.from);
          return layers(samples);
        }),
    };
  };
  const [a, b, c] = [1, 2, 3].map(group);

  it('keeps those of several takes as long as there is room; the one asked for longest ago goes first', () => {
    const { made, get } = making(new LayerShelf());
    const first = get(a);
    get(b);
    expect(get(a)).toBe(first);
    // three are too many: b was not asked for since
    get(c);
    expect(get(a)).toBe(first);
    get(b);
    expect(made).toEqual([1, 2, 3, 2]);
  });

  it('hands out what is larger than it may keep, and keeps nothing beside it', () => {
    const { made, get } = making(new LayerShelf());
    get(a);
    expect(get(b, 6e6)[0].pulses).toHaveLength(3e6);
    get(a);
    get(b, 6e6);
    expect(made).toEqual([1, 2, 1, 2]);
  });

  it('forgets what it is told to', () => {
    const shelf = new LayerShelf();
    const { made, get } = making(shelf);
    get(a);
    shelf.drop(a);
    shelf.drop(b);
    get(a);
    // and what it forgot takes no room
    get(b);
    get(a);
    expect(made).toEqual([1, 1, 2]);
  });
});
