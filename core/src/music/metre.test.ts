import fc from 'fast-check';
import { BarGrid } from './metre';

describe('bars and beats', () => {
  it('count from bar 1, before it too', () => {
    const grid = new BarGrid({ bpm: 120, beatsPerBar: 4, firstBarSeconds: 1 });
    expect(grid.secondsAt(4)).toBe(3);
    expect(grid.placeAt(1)).toMatchObject({ bar: 1, beat: 1 });
    expect(grid.placeAt(3.5)).toMatchObject({ bar: 2, beat: 2 });
    expect(grid.placeAt(0.5)).toMatchObject({ bar: 0, beat: 4 });
    expect(grid.secondsOfBar(3)).toBe(5);
  });

  it('follow changes of tempo and metre', () => {
    const grid = new BarGrid({
      bpm: 60,
      beatsPerBar: 4,
      firstBarSeconds: 0,
      changes: [{ beat: 8, bpm: 120 }],
      metres: [{ bar: 3, beatsPerBar: 3 }],
    });
    expect(grid.secondsOfBar(3)).toBe(8);
    expect(grid.secondsOfBar(4)).toBe(9.5);
    expect(grid.bpmAt(8.1)).toBeCloseTo(120, 9);
    expect(grid.beats(7.9, 9.6).map(b => [b.seconds, b.bar, b.beat])).toEqual([
      [8, 3, 1],
      [8.5, 3, 2],
      [9, 3, 3],
      [9.5, 4, 1],
    ]);
  });

  it('go from seconds to beats and back', () => {
    const tempo = fc.record({
      bpm: fc.integer({ min: 20, max: 400 }),
      beatsPerBar: fc.integer({ min: 1, max: 12 }),
      firstBarSeconds: fc.double({ min: -5, max: 5, noNaN: true }),
      changes: fc.array(fc.record({ beat: fc.nat(200), bpm: fc.integer({ min: 20, max: 400 }) }), { maxLength: 6 }),
    });
    fc.assert(
      fc.property(tempo, fc.double({ min: -10, max: 300, noNaN: true }), (map, t) => {
        const grid = new BarGrid(map);
        expect(grid.secondsAt(grid.beatAt(t))).toBeCloseTo(t, 7);
      }),
    );
  });
});
