import { singPhrases } from '@essim/demo';
import fc from 'fast-check';
import { nearestStep, scaleOfKey, semitones } from '../music';
import { readTake } from '../read';
import { settle } from '../intents/settle';
import type { NoteEdit } from '../song/document';
import { editsInOrder } from '../song/match';
import {
  AS_SUNG,
  editedLine,
  splitTake,
  noteFacts,
  planTake,
  planWholeTake,
  splitNotes,
  TakePlanner,
  type NoteShape,
  type Surroundings,
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

const shape = (w: Partial<NoteShape>): NoteShape => ({ ...AS_SUNG, ...w });

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
    const half = editedLine(sung, voiced, notes, [shape({}), shape({ rail: 6300, aim: 0.5 })]);
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
    expect(depthOf(editedLine(sung, voiced, notes, [AS_SUNG, shape({ wander: 0 })]))).toBeGreaterThan(32);
    expect(depthOf(editedLine(sung, voiced, notes, [AS_SUNG, shape({ vibrato: 0 })]))).toBeLessThan(8);
    expect(depthOf(editedLine(sung, voiced, notes, [AS_SUNG, shape({ vibrato: 2 })]))).toBeGreaterThan(60);
    expect(b.joinedIn).toBe(true);
  });

  it('never jumps at a join', () => {
    const moved = editedLine(sung, voiced, notes, [
      shape({ rail: 6000, aim: 1 }),
      shape({ rail: 6200, aim: 1, wander: 0, vibrato: 0 }),
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
    const slow = editedLine(sung, voiced, notes, [AS_SUNG, shape({ glide: 300 })]);
    expect(width(slow)).toBeGreaterThan(1.5 * width(sung));
  });
});

describe('plans of a take', () => {
  const { samples, truth } = singPhrases([3], { marks: { '3.2': { cents: -63 } } });
  const movements = splitTake(readTake(samples, truth.sampleRate));
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
    expect(editsInOrder(movements.reading.notes, { any: edit })[2]).toBe(edit);
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

describe('a planner', () => {
  const { samples, truth } = singPhrases([3, 4], { seed: 5 });
  const take = splitTake(readTake(samples, truth.sampleRate));
  const frames = take.sung.length;
  const lead = take.sung.map((c, k) => (take.voiced[k] ? Math.round(c / 100) * 100 : NaN));
  const surroundings: Surroundings[] = [
    {},
    { lean: { lead, amount: 60 } },
    {
      cents: new Float32Array(frames).fill(3),
      turns: take.notes.map((_, i) => ({ faster: 1 + 0.01 * (i % 5), phase: 0.3 })),
      formant: 1,
    },
    { lean: { lead, amount: 100 }, levelLean: { lead: take.reading.levelDb.map(v => v + 2) as never, amount: 50 } },
  ];
  const edit = fc.record({
    note: fc.nat(take.notes.length - 1),
    target: fc.integer({ min: 50, max: 70 }),
    vibrato: fc.constantFrom(0, 50, 100, 200),
    glide: fc.option(fc.integer({ min: 0, max: 300 }), { nil: undefined }),
    pinned: fc.boolean(),
  });
  const same = (a: ArrayLike<number>, b: ArrayLike<number>) =>
    a.length === b.length && Array.prototype.every.call(a, (v, i) => Object.is(v, b[i as number]));

  it('plans a change as it would plan all of it, bit for bit, and says which frames it touched', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(edit, fc.constantFrom('put', 'put', 'off'), fc.nat(3)), { minLength: 1, maxLength: 8 }),
        moves => {
          const planner = new TakePlanner(take);
          let edits: Record<string, NoteEdit> = {};
          let before = planner.plan(edits);
          moves.forEach(([{ note, ...fields }, how, around], i) => {
            const { start, end } = take.reading.notes[note];
            edits = { ...edits, [`e${note}`]: { start, end, ...(how === 'put' ? fields : {}) } };
            // surroundings change now and then
            const surrounding = surroundings[i % 3 ? around : moves[0][2]];
            const step = planner.plan(edits, surrounding);
            const whole = planTake(take, edits, surrounding);
            expect(same(step.line, whole.line)).toBe(true);
            for (const name of ['offsetCents', 'active', 'levelDb', 'formantCents'] as const)
              expect(same(step.voice[name] ?? [], whole.voice[name] ?? [])).toBe(true);
            const untold = step.line.findIndex(
              (v, k) => v !== before.line[k] && (k < step.dirty.start || k >= step.dirty.end),
            );
            expect(untold).toBe(-1);
            before = step;
          });
        },
      ),
      { numRuns: 12 },
    );
  });

  it('leaves notes placed by hand where they were put, however much the rest leans', () => {
    const { start, end } = take.reading.notes[2];
    const off = take.notes[2].centre / 100 + 0.31;
    const pinned = { p: { start, end, target: off, pinned: true } };
    const middle = Math.round((take.notes[2].bodyStart + take.notes[2].bodyEnd) / 2);
    const alone = planTake(take, pinned).line;
    expect(planTake(take, pinned, surroundings[3]).line[middle]).toBe(alone[middle]);
    expect(planTake(take, { p: { start, end, target: off } }, surroundings[3]).line[middle]).not.toBe(alone[middle]);
  });

  it('a change of one note touches its chain and no more', () => {
    const planner = new TakePlanner(take);
    planner.plan({}, surroundings[1]);
    const { start, end } = take.reading.notes[1];
    const { dirty } = planner.plan({ a: { start, end, target: 60 } }, surroundings[1]);
    expect(dirty.end - dirty.start).toBeLessThan(frames / 3);
    const still = planner.plan({ b: { start, end, target: 60 } }, surroundings[1]);
    expect(still.dirty.end - still.dirty.start).toBe(0);
  });
});
