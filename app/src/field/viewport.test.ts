import fc from 'fast-check';
import { areaAt, noteAt, notesIn } from './hit';
import type { SceneNote } from './scene';
import {
  bounded,
  layoutFor,
  panBy,
  pitchAt,
  stripTime,
  stripX,
  timeAt,
  xOf,
  yOf,
  zoomPitch,
  zoomTime,
  type Viewport,
} from './viewport';

const layout = layoutFor(900, 600);
const view = fc
  .record({
    from: fc.double({ min: 0, max: 50, noNaN: true }),
    length: fc.double({ min: 0.3, max: 60, noNaN: true }),
    low: fc.integer({ min: 30, max: 60 }),
    rows: fc.integer({ min: 6, max: 40 }),
  })
  .map((v): Viewport => ({ from: v.from, to: v.from + v.length, low: v.low, high: v.low + v.rows }));

describe('the viewport', () => {
  it('goes from time and pitch to the canvas and back', () => {
    fc.assert(
      fc.property(
        view,
        fc.double({ min: 0, max: 60, noNaN: true }),
        fc.double({ min: 30, max: 90, noNaN: true }),
        (v, t, m) => {
          expect(timeAt(v, layout, xOf(v, layout, t))).toBeCloseTo(t, 6);
          expect(pitchAt(v, layout, yOf(v, layout, m))).toBeCloseTo(m, 6);
          expect(stripTime(layout, 60, stripX(layout, 60, t))).toBeCloseTo(t, 6);
        },
      ),
    );
  });

  it('keeps what is under the pointer there while zooming, as long as the song allows', () => {
    const v = { from: 20, to: 30, low: 50, high: 70 };
    const near = zoomTime(v, 0.5, 23, 60);
    expect(xOf(near, layout, 23)).toBeCloseTo(xOf(v, layout, 23), 6);
    const tall = zoomPitch(v, 0.5, 60, 60);
    expect(yOf(tall, layout, 60)).toBeCloseTo(yOf(v, layout, 60), 6);
  });

  it('never leaves the song or sensible zoom', () => {
    fc.assert(
      fc.property(
        view,
        fc.double({ min: -100, max: 100, noNaN: true }),
        fc.double({ min: 0.01, max: 100, noNaN: true }),
        (v, by, factor) => {
          for (const w of [
            panBy(v, by, by, 60),
            zoomTime(v, factor, v.from, 60),
            zoomPitch(v, factor, v.low, 60),
            bounded(v, 60),
          ]) {
            expect(w.to - w.from).toBeGreaterThan(0.19);
            expect(w.from).toBeGreaterThanOrEqual(-1 - 1e-9);
            expect(w.to).toBeLessThanOrEqual(61 + 1e-6);
            expect(w.high - w.low).toBeGreaterThanOrEqual(5 - 1e-9);
          }
        },
      ),
    );
  });
});

describe('hits', () => {
  const v: Viewport = { from: 0, to: 10, low: 50, high: 70 };
  const note = (key: string, from: number, to: number, rail: number, sung = rail): SceneNote => ({
    key,
    from,
    onset: from,
    to,
    rail,
    sung,
    offCents: 0,
    edit: undefined,
    selected: false,
    joined: false,
    word: null,
  });
  const notes = [note('a', 1, 2, 60), note('b', 2, 3, 64, 63.4), note('c', 5, 6, 60)];
  const x = (t: number) => xOf(v, layout, t);
  const y = (m: number) => yOf(v, layout, m);

  it('finds the note on its rail or at its line', () => {
    expect(noteAt(notes, v, layout, x(1.5), y(60))?.key).toBe('a');
    expect(noteAt(notes, v, layout, x(2.5), y(63.4))?.key).toBe('b');
    expect(noteAt(notes, v, layout, x(2.5), y(58))).toBeNull();
    expect(noteAt(notes, v, layout, x(4), y(60))).toBeNull();
  });

  it('finds what a rubber band touches', () => {
    expect(notesIn(notes, v, layout, { x: x(0.5), y: y(66) }, { x: x(2.2), y: y(58) }).map(n => n.key)).toEqual([
      'a',
      'b',
    ]);
    expect(notesIn(notes, v, layout, { x: x(9), y: y(50) }, { x: x(5.5), y: y(61) }).map(n => n.key)).toEqual(['c']);
  });

  it('knows the areas', () => {
    expect(areaAt(layout, 400, 10)).toBe('strip');
    expect(areaAt(layout, 400, 60)).toBe('ruler');
    expect(areaAt(layout, 20, 200)).toBe('ladder');
    expect(areaAt(layout, 400, 200)).toBe('field');
    expect(areaAt(layout, 400, 520)).toBe('noises');
    expect(areaAt(layout, 400, 580)).toBe('level');
  });
});
