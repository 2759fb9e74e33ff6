import {
  asCompared,
  packSamples,
  readTake,
  stretchesOf,
  type NoteEdit,
  type Reading,
  type TakeSurroundings,
} from '@essim/core';
import { singPhrases } from '@essim/demo';
import { practicePiece } from './practice';
import { TakeJob } from './take-job';

/** One take's computation as the page asks for it, without the thread. */

const RATE = 48000;
const { samples } = singPhrases([0], { seed: 4 });
const flag = () => new Int32Array(new SharedArrayBuffer(4));
const none = { heard: [], regions: [], kinds: [] };

const jobs: TakeJob[] = [];
/** A job that is ended with the tests. */
const begun = () => {
  const one = new TakeJob();
  jobs.push(one);
  return one;
};
const job = begun();
afterAll(() => jobs.forEach(j => j.close()));

job.open([samples], RATE);
const reading: Reading = job.read('auto', flag(), () => {});
const { notes } = job.prepare(reading, none);
const moved = (semitones: number): Record<string, NoteEdit> =>
  Object.fromEntries(notes.map(n => [n.key, { start: n.start, end: n.end, target: n.sung + semitones }]));
const render = (edits: Record<string, NoteEdit>, around: TakeSurroundings | null = null) =>
  job.render(edits, around)[0];
const same = (a: Float32Array, b: Float32Array) => a.length === b.length && a.every((v, i) => Object.is(v, b[i]));
const power = (x: Float32Array, from = 0, to = x.length / RATE) =>
  x.subarray(from * RATE, to * RATE).reduce((sum, v) => sum + v * v, 0);
/** Where long notes of a rendering lie above those that were sung, semitones. */
const lifted = (x: Float32Array): number[] => {
  const heard = readTake(x, RATE).notes;
  return notes
    .filter(n => n.end - n.start > 0.35)
    .flatMap(n => {
      const there = heard.find(h => Math.abs(h.start - n.start) < 0.08 && Math.abs(h.end - n.end) < 0.12);
      return there ? [there.pitch - n.sung] : [];
    });
};
const part = (fields: Partial<NonNullable<TakeSurroundings['part']>> = {}): TakeSurroundings => ({
  part: { scatter: { time: 0, pitch: 0, seed: 1 }, formant: 0, spans: null, ...fields },
});

describe('reading', () => {
  test('is in shared memory, and tells how far it is until it is stopped', () => {
    expect(reading.f0.buffer).toBeInstanceOf(SharedArrayBuffer);
    const told: number[] = [];
    job.read('auto', flag(), share => told.push(share));
    expect(told).toEqual([...told].sort((a, b) => a - b));
    expect(told.at(-1)).toBeGreaterThan(0.9);
    const stop = flag();
    expect(() => job.read('auto', stop, share => void (share > 0.2 && Atomics.store(stop, 0, 1)))).toThrow(/stopped/);
  });

  test('and all that is made is the same of samples that are held in fewer bytes', () => {
    const floats = samples.map(v => Math.round(v * 2 ** 15) / 2 ** 15 + 0);
    const [a, b] = [floats, packSamples(floats)].map(channel => {
      const one = begun();
      one.open([channel], RATE);
      const read = one.read('auto', flag(), () => {});
      one.prepare(read, none);
      const clicks = { track: { clean: { gapsDb: 0, clicks: true }, noises: [] }, take: { noises: [] } };
      return { read, sound: one.sound(), made: one.render(moved(2), { clicks }), tone: one.tone() };
    });
    expect(b.read).toEqual(a.read);
    expect(b.sound).toEqual(a.sound);
    expect(same(b.made[0], a.made[0])).toBe(true);
    expect(same(b.tone, a.tone)).toBe(true);
  });

  test('is the same after practice, in which everything happens that reading does', () => {
    const piece = readTake(practicePiece(RATE), RATE);
    expect(piece.notes).toHaveLength(4);
    expect(piece.noises.length).toBeGreaterThan(0);
    const other = begun();
    other.practise();
    other.open([samples], RATE);
    expect(other.read('auto', flag(), () => {})).toEqual(reading);
  });

  test('a short take has no beginning to show ahead', () => {
    expect(job.readHead('auto')).toBeNull();
  });

  test('what was put right is handed over; without it, nothing is', () => {
    const other = begun();
    other.open([samples], RATE);
    expect(other.prepare(reading, none).corrected).toBeNull();
    const { start, end } = notes[1];
    const put = other.prepare(reading, { ...none, regions: [{ start, end, notes: [] }] });
    expect(put.corrected!.notes).toHaveLength(reading.notes.length - 1);
    expect(put.notes).toHaveLength(notes.length - 1);
  });

  test('nothing can be asked before it', () => {
    const fresh = begun();
    fresh.open([samples], RATE);
    expect(() => fresh.plan({})).toThrow(/not read/);
    expect(() => fresh.render({})).toThrow(/not read/);
  });
});

describe('plan', () => {
  test('a change says which frames it touched, and what surrounds the take is told once', () => {
    const other = begun();
    other.open([samples], RATE);
    other.prepare(reading, none);
    const first = other.plan({}, part({ formant: 2 }));
    expect(first.dirty).toBeUndefined();
    expect(first.tiles).toBeDefined();
    const { start, end } = notes[2];
    const step = other.plan({ x: { start, end, target: 62 } });
    expect(step.dirty!.start * reading.hop).toBeLessThanOrEqual(start);
    expect(step.dirty!.end - step.dirty!.start).toBeLessThan(reading.f0.length / 2);
    const whole = begun();
    whole.open([samples], RATE);
    whole.prepare(reading, none);
    const anew = whole.plan({ x: { start, end, target: 62 } }, part({ formant: 2 }));
    expect(same(step.line, anew.line)).toBe(true);
  });

  test('a take nobody edits has no tiles; with its first edit it has, once', () => {
    const other = begun();
    other.open([samples], RATE);
    other.prepare(reading, none);
    expect(other.plan({}).tiles).toBeUndefined();
    const { line, tiles } = other.plan(moved(1));
    expect(tiles!.pool[0].buffer).toBeInstanceOf(SharedArrayBuffer);
    const n = notes.find(k => k.end - k.start > 0.4)!;
    const k = Math.round((n.start + n.end) * 100);
    expect(line[k]).toBeCloseTo(n.sung + 1, 0);
    expect(other.plan(moved(2)).tiles).toBeUndefined();
    other.close();
  });

  test('the line is silent where nothing is sung', () => {
    const { line } = job.plan({});
    expect(Number.isNaN(line[0])).toBe(true);
    expect(line.length).toBe(reading.f0.length);
    expect(line.every((v, i) => Number.isNaN(v) === !(reading.f0[i] > 0))).toBe(true);
  });
});

describe('sound', () => {
  test('without edits it is the take, bit for bit; edited it is where it was asked', () => {
    expect(same(render({}), samples)).toBe(true);
    const up = lifted(render(moved(3)));
    expect(up.length).toBeGreaterThan(1);
    for (const by of up) expect(Math.abs(by - 3)).toBeLessThan(0.12);
  });

  test('as it is compared it is the same, at a quarter of the rate', () => {
    const low = job.renderCompared(moved(3), null);
    expect(same(low, asCompared(stretchesOf(render(moved(3))), RATE))).toBe(true);
    expect(low.length).toBe(samples.length >> 2);
  });

  test('a part sings only its phrases, and goes silent without a click', () => {
    const span = { start: notes[0].start - 0.2, end: notes[2].end };
    const whole = render(moved(4), part());
    const y = render(moved(4), part({ spans: [span] }));
    expect(power(y, span.end + 0.05)).toBeLessThan(1e-9 * power(whole));
    const [from, to] = [notes[0].start - 0.15, notes[2].end - 0.05].map(t => Math.round(t * RATE));
    expect(same(y.subarray(from, to), whole.subarray(from, to))).toBe(true);
    const steepest = (x: Float32Array) => x.reduce((m, v, i) => Math.max(m, i ? Math.abs(v - x[i - 1]) : 0), 0);
    expect(steepest(y)).toBeLessThanOrEqual(1.01 * steepest(whole));
  });

  test('scatter is another performance, the same for the same seed', () => {
    const scatter = (seed: number) => render(moved(4), part({ scatter: { time: 100, pitch: 100, seed } }));
    const [a, again, b] = [scatter(1), scatter(1), scatter(2)];
    expect(same(a, again)).toBe(true);
    expect(same(a, b)).toBe(false);
    expect(same(a, render(moved(4), part()))).toBe(false);
    for (const by of lifted(a)) expect(Math.abs(by - 4)).toBeLessThan(0.4);
  });

  test('a formant moved leaves the pitch', () => {
    const y = render(moved(0), part({ formant: 3 }));
    expect(same(y, samples)).toBe(false);
    for (const by of lifted(y)) expect(Math.abs(by)).toBeLessThan(0.12);
  });

  test('pitch and level lean draw it to its lead by as much as is said, and leave what is sung alone', () => {
    const lead = Float32Array.from(reading.f0, hz => (hz > 0 ? 69 + 12 * Math.log2(hz / 440) + 0.6 : NaN));
    const counterpart = [
      { from: 0, to: 0 },
      { from: 1, to: 1 },
    ];
    // the lead swells where the follower does not
    const leadDb = reading.levelDb.map((db, k) => db + (reading.f0[k] > 0 ? 4 * Math.sin(k / 80) : 0));
    const leaning = (pitch: number, level: number, alone: { start: number; end: number }[] = []) =>
      render({}, { lean: { pitch, level, lead, leadDb, counterpart, alone } });
    for (const by of lifted(leaning(100, 0))) expect(Math.abs(by - 0.6)).toBeLessThan(0.15);
    for (const by of lifted(leaning(50, 0))) expect(Math.abs(by - 0.3)).toBeLessThan(0.15);
    const everywhere = [{ start: 0, end: samples.length / RATE }];
    expect(same(leaning(100, 100, everywhere), samples)).toBe(true);
    const louder = leaning(0, 100);
    for (const by of lifted(louder)) expect(Math.abs(by)).toBeLessThan(0.1);
    const heardDb = readTake(louder, RATE).levelDb;
    const [wanted, got] = [leadDb, heardDb].map(x =>
      Array.from(x, (db, k) => db - reading.levelDb[k]).filter((_, k) => reading.f0[k] > 0 && reading.levelDb[k] > -35),
    );
    const middle = (x: number[]) => x.reduce((a, b) => a + b, 0) / x.length;
    const off = wanted.map((v, k) => Math.abs(v - middle(wanted) - got[k] + middle(got)));
    expect(middle(off)).toBeLessThan(1);
  });

  test('bent in time it is as long as it was, and its sound is where it was sent', () => {
    const n = notes[1];
    const time = [
      { from: 0, to: 0 },
      { from: n.start, to: n.start + 0.1 },
      { from: n.end + 1, to: n.end + 1 },
    ];
    const y = render({}, { time });
    expect(y).toHaveLength(samples.length);
    const heard = readTake(y, RATE).notes;
    expect(heard.some(h => Math.abs(h.start - n.start - 0.1) < 0.05)).toBe(true);
  });

  test('its tone has the pitch of the reading and is silent in rests', () => {
    const tone = job.tone();
    expect(tone).toHaveLength(samples.length);
    const n = notes.find(k => k.end - k.start > 0.4)!;
    const heard = readTake(tone, RATE).notes.find(
      h => h.start < (n.start + n.end) / 2 && h.end > (n.start + n.end) / 2,
    )!;
    expect(Math.abs(heard.pitch - n.sung)).toBeLessThan(0.25);
    expect(power(tone, 0, Math.max(0.05, notes[0].start - 0.4))).toBeLessThan(1e-6 * power(tone));
  });

  test('a note can be taken to be sung live: its stretch and what is asked of its frames', () => {
    const n = notes[2];
    const [from, to] = [Math.round(n.start * RATE), Math.round(n.end * RATE)];
    const live = job.live(moved(2), null, from, to);
    expect(live).toMatchObject({ from, to });
    expect(live.snapshot.from).toBeLessThanOrEqual(from);
    expect(live.snapshot.from + live.snapshot.source[0].length).toBeGreaterThanOrEqual(to);
    const k = Math.round((n.start + n.end) / 2 / reading.hop) - live.firstFrame;
    expect(live.offsetCents[k]).toBeGreaterThan(150);
  });
});

describe('what the sound tells beside the reading', () => {
  test('is loudness and colour of its frames, and its mouth clicks', () => {
    const { loudnessDb, colour, clicks } = job.sound();
    expect(loudnessDb).toHaveLength(reading.f0.length);
    const n = notes.find(k => k.end - k.start > 0.4)!;
    const middle = Math.round((n.start + n.end) / 2 / reading.hop);
    expect(loudnessDb[middle]).toBeGreaterThan(-40);
    expect(loudnessDb[2]).toBeLessThan(loudnessDb[middle] - 20);
    expect(colour.envelope.length % 16).toBe(0);
    expect(colour.power.length % 31).toBe(0);
    expect(clicks).toEqual([]);
  });

  test('a click is found and taken out: the sound goes on as it was about it', () => {
    const clicked = samples.slice();
    const n = notes.find(k => k.end - k.start > 0.4)!;
    const at = Math.round(((n.start + n.end) / 2) * RATE);
    for (let i = 0; i < 60; i++) clicked[at + i] += 0.4 * Math.exp(-i / 15) * Math.cos(i * 0.5);
    const other = begun();
    other.open([clicked], RATE);
    other.prepare(reading, none);
    const { clicks } = other.sound();
    expect(clicks).toHaveLength(1);
    expect(Math.abs(clicks[0].start * RATE - at)).toBeLessThan(100);
    const clean = { clean: { gapsDb: 0, clicks: true }, noises: [] };
    const [y] = other.render({}, { clicks: { track: clean, take: { noises: [] } } });
    let off = 0;
    for (let i = -200; i < 300; i++) off = Math.max(off, Math.abs(y[at + i] - samples[at + i]));
    expect(off).toBeLessThan(0.1);
    // nothing else is touched
    expect(same(y.subarray(0, at - 2000), clicked.subarray(0, at - 2000))).toBe(true);
    expect(same(y.subarray(at + 2000), clicked.subarray(at + 2000))).toBe(true);
  });

  test('held on past its end it sounds there, and gets longer tiles where those it has do not reach', () => {
    const last = notes[notes.length - 1];
    const end = samples.length / RATE;
    const heldBy = (seconds: number) => [
      { from: 0, to: 0 },
      { from: last.onset, to: last.onset },
      { from: last.end, to: end + seconds },
    ];
    const time = heldBy(1.5);
    const other = begun();
    other.open([samples], RATE);
    other.prepare(reading, none);
    const short = other.plan(moved(1)).tiles!;
    expect(other.plan(moved(1), { time }).tiles).toBeUndefined();
    const long = other.plan(moved(1), { time: heldBy(12) }).tiles!;
    expect(long.table.length).toBeGreaterThan(short.table.length);
    // back to as it was there is room enough: the same tiles stay
    expect(other.plan(moved(1), null).tiles).toBeUndefined();
    const [y] = other.render({}, { time });
    expect(y.length).toBeGreaterThan(samples.length + RATE);
    expect(power(y, end + 0.2, end + 1)).toBeGreaterThan(0.05 * power(samples, last.onset, last.end));
  });
});
