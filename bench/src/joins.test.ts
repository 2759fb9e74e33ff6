import { analyseVoice } from '@essim/core';
import { JOIN_EDITS, joinsOfNotes } from './joins';

/** The measure itself: steady notes join without a corner, and a join that is not where it should be is told. */

const RATE = 48000;
const HOP = 0.005;
const x = Float32Array.from({ length: 2 * RATE }, (_, i) => {
  const t = i / RATE;
  return 0.2 * [1, 2, 3, 4, 5].reduce((s, h) => s + Math.cos(2 * Math.PI * 180 * h * t + h) / h, 0);
});
const voice = analyseVoice([x], RATE, new Float32Array(2 / HOP + 1).fill(180), HOP);

describe('joins of edits', () => {
  it.each(JOIN_EDITS)('of a steady voice stand out nowhere: $name', edit => {
    const joins = joinsOfNotes(voice, [{ start: 0.5, end: 1.1 }], edit);
    expect(joins.map(j => j.at)).toEqual([expect.closeTo(0.52, 6), expect.closeTo(1.08, 6)]);
    for (const { over, reach } of joins) {
      // an octave down there is half as much of the voice about each of its peaks
      expect(over).toBeLessThan(edit.cents < -600 ? 8 : 3);
      expect(reach).toBeLessThan(60);
    }
  });

  it('tell a crack: a note beside a click of the recording is not blamed for it, one that makes it is', () => {
    const clicked = x.slice();
    clicked[Math.round(0.522 * RATE)] += 0.3;
    const beside = analyseVoice([clicked], RATE, new Float32Array(2 / HOP + 1).fill(180), HOP);
    const [join] = joinsOfNotes(beside, [{ start: 0.5, end: 1.1 }], JOIN_EDITS[0]);
    expect(join.over).toBeLessThan(3);
  });

  it('of notes too short to be edited inside are left out', () => {
    expect(joinsOfNotes(voice, [{ start: 0.5, end: 0.6 }], JOIN_EDITS[0])).toEqual([]);
  });
});
