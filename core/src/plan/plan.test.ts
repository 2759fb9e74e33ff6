import { singPhrases } from '@essim/demo';
import { nearestStep, scaleOfKey, semitones } from '../music';
import { readTake } from '../read';
import { noteKey, type NoteEdit } from '../song/document';
import {
  AS_SUNG,
  editedLine,
  editsInOrder,
  moveNotes,
  noteFacts,
  planTake,
  planWholeTake,
  settle,
  splitNotes,
  type Wish,
} from '.';

/** A made-up line of two joined notes: a scoop into the first, a vibrato in the second, a fall at the end. 5 ms frames. */
function madeUp() {
  const n = 400;
  const sung = Float64Array.from({ length: n }, (_, k) => {
    const t = k * 0.005;
    const glide = 1 / (1 + Math.exp(-(k - 160) / 4));
    const scoop = k < 160 ? -140 * Math.exp(-t / 0.045) : 0;
    const vibrato = 35 * Math.min(1, Math.max(0, (t - 1.1) / 0.25)) * Math.sin(2 * Math.PI * 5.5 * (t - 1.1));
    const fall = k > 370 ? -180 * ((k - 370) / 30) ** 2 : 0;
    return 5970 + 230 * glide + scoop + vibrato + fall;
  });
  const voiced = new Float64Array(n).fill(1);
  const notes = splitNotes(sung, voiced, [
    { start: 0, end: 160 },
    { start: 160, end: n },
  ]);
  return { sung, voiced, notes };
}

const wish = (w: Partial<Wish>): Wish => ({ ...AS_SUNG, ...w });

describe('the split of a note', () => {
  const { sung, voiced, notes } = madeUp();

  it('adds up to the line exactly', () => {
    for (const o of notes)
      for (let k = o.start; k < o.end; k++) expect(o.ownAt(k) + o.glideAt(k, sung[k])).toBeCloseTo(sung[k], 9);
  });

  it('finds centres, scoop, fall and vibrato', () => {
    const [a, b] = notes;
    expect(a.centre).toBeGreaterThan(5966);
    expect(a.centre).toBeLessThan(5974);
    expect(b.centre).toBeGreaterThan(6196);
    expect(b.centre).toBeLessThan(6204);
    expect(a.scoopDepth).toBeLessThan(-80);
    expect(b.fallDepth).toBeLessThan(-80);
    expect(b.vibratoShape!.rate).toBeCloseTo(5.5, 1);
    expect(b.vibratoShape!.depth).toBeGreaterThan(31);
  });

  it('gives the sung line back when nothing is wished', () => {
    expect(Array.from(editedLine(sung, voiced, notes, [AS_SUNG, AS_SUNG]))).toEqual(Array.from(sung));
  });

  it('moves the centre by Aim and keeps the movement', () => {
    const half = editedLine(sung, voiced, notes, [wish({}), wish({ rail: 6300, aim: 0.5 })]);
    const [, b] = notes;
    for (let k = b.bodyStart + 10; k < b.bodyEnd - 40; k++)
      expect(half[k] - sung[k]).toBeCloseTo((6300 - b.centre) / 2, 0);
  });

  it('keeps vibrato when Wander goes, and the slow line when Vibrato goes', () => {
    const [, b] = notes;
    const depthOf = (line: Float64Array) => {
      const body = Array.from(line.slice(280, 360));
      return (Math.max(...body) - Math.min(...body)) / 2;
    };
    expect(depthOf(editedLine(sung, voiced, notes, [AS_SUNG, wish({ wander: 0 })]))).toBeGreaterThan(32);
    expect(depthOf(editedLine(sung, voiced, notes, [AS_SUNG, wish({ vibrato: 0 })]))).toBeLessThan(8);
    expect(depthOf(editedLine(sung, voiced, notes, [AS_SUNG, wish({ vibrato: 2 })]))).toBeGreaterThan(60);
    expect(b.joinedIn).toBe(true);
  });

  it('never jumps at a join', () => {
    const moved = editedLine(sung, voiced, notes, [
      wish({ rail: 6000, aim: 1 }),
      wish({ rail: 6200, aim: 1, wander: 0, vibrato: 0 }),
    ]);
    for (let k = 1; k < moved.length; k++)
      expect(Math.abs(moved[k] - moved[k - 1])).toBeLessThan(4 + 1.6 * Math.abs(sung[k] - sung[k - 1]));
  });

  it('re-times the glide', () => {
    const width = (line: Float64Array) => {
      let first = 0;
      while (line[first] < 6010) first++;
      let last = first;
      while (line[last] < 6160) last++;
      return last - first;
    };
    const slow = editedLine(sung, voiced, notes, [AS_SUNG, wish({ glide: 300 })]);
    expect(width(slow)).toBeGreaterThan(1.5 * width(sung));
  });
});

describe('plans of a take', () => {
  const { samples, truth } = singPhrases([3], { marks: { '3.2': { cents: -63 } } });
  const movements = moveNotes(readTake(samples, truth.sampleRate));
  const facts = noteFacts(movements);
  const key = scaleOfKey({ tonic: 2, mode: 'major' });

  it('leave an unedited take untouched', () => {
    const { voice, line } = planTake(movements, {});
    expect(voice.active.some(Boolean)).toBe(false);
    expect(voice.offsetCents.some(Boolean)).toBe(false);
    expect(Array.from(line)).toEqual(Array.from(movements.sung));
  });

  it('put settled notes on the key, pinned ones nowhere', () => {
    const pinned: NoteEdit = { start: facts[0].start, end: facts[0].end, target: 55.5, pinned: true };
    const settled = settle(facts, { [facts[0].key]: pinned }, key);
    expect(settled[facts[0].key]).toBeUndefined();
    for (const n of facts.slice(1)) expect(settled[n.key].target! * 100).toBe(nearestStep(key, n.sung * 100));
    const { line } = planTake(movements, settled);
    facts.slice(1).forEach((n, i) => {
      const o = movements.notes[i + 1];
      if (o.bodyEnd - o.bodyStart < 30) return;
      let shift = 0;
      for (let k = o.bodyStart; k < o.bodyEnd; k++) shift += (line[k] - movements.sung[k]) / (o.bodyEnd - o.bodyStart);
      expect(Math.abs(o.centre + shift - settled[n.key].target! * 100)).toBeLessThan(6);
    });
  });

  it('find an edit again when a new reading moved the note a little', () => {
    const n = movements.reading.notes[2];
    const edit: NoteEdit = { start: n.start + 0.02, end: n.end, target: 60 };
    expect(editsInOrder(movements.reading, { [noteKey(edit)]: edit })[2]).toBe(edit);
  });

  it('tune without notes, more gently with a longer settle time', () => {
    const off = (settleMs: number) => {
      const { line } = planWholeTake(movements, { settleMs, aim: 1, vibrato: 1, scale: semitones() });
      let sum = 0;
      let count = 0;
      for (const o of movements.notes)
        for (let k = o.bodyStart + 20; k < o.bodyEnd; k++) {
          sum += Math.abs(line[k] - nearestStep(semitones(), line[k]));
          count++;
        }
      return sum / count;
    };
    expect(off(5)).toBeLessThan(off(200));
  });
});
