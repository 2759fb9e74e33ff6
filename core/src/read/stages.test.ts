import { settleOctaves } from './octaves';
import { choosePath, levelGate } from './path';
import { CANDIDATES_PER_FRAME as MOST, HOP, type Candidates } from './reading';
import { midiToHz } from '../units';
import { colourChange, findNotes } from './notes';
import { findNoises } from './noises';
import type { Bands } from './spectra';

/** Candidates made by hand: for each 10 ms frame a list of [MIDI, periodicity, harmonicity]. */
function candidates(frames: [number, number, number][][]): Candidates {
  const c: Candidates = {
    count: new Uint8Array(frames.length),
    hz: new Float32Array(frames.length * MOST),
    periodicity: new Float32Array(frames.length * MOST),
    harmonicity: new Float32Array(frames.length * MOST),
  };
  frames.forEach((list, k) => {
    c.count[k] = list.length;
    list.forEach(([midi, p, h], j) => {
      c.hz[k * MOST + j] = midiToHz(midi);
      c.periodicity[k * MOST + j] = p;
      c.harmonicity[k * MOST + j] = h;
    });
  });
  return c;
}
const repeat = <T>(n: number, v: T): T[] => Array.from({ length: n }, () => v);

describe('the path through the candidates', () => {
  const levels = (n: number) => new Float32Array(2 * n).fill(-20);

  it('prefers the well supported pitch to its octave below, though that is as periodic', () => {
    const c = candidates(
      repeat<[number, number, number][]>(60, [
        [60, 0.97, 1],
        [48, 0.97, 0.1],
      ]),
    );
    expect(Array.from(choosePath(c, levels(60), { gate: -60, loud: -20 }))).toEqual(repeat(60, 0));
  });

  it('goes over a single bad frame', () => {
    const frames = repeat<[number, number, number][]>(60, [[60, 0.97, 1]]);
    frames[30] = [
      [72, 0.9, 1],
      [60, 0.85, 0.6],
    ];
    const path = choosePath(candidates(frames), levels(60), { gate: -60, loud: -20 });
    expect(path[30]).toBe(1);
  });

  it('is silent where there is nothing, or far under the gate', () => {
    const c = candidates([
      ...repeat<[number, number, number][]>(30, [[60, 0.97, 1]]),
      ...repeat<[number, number, number][]>(30, []),
    ]);
    expect(Array.from(choosePath(c, levels(60), { gate: -60, loud: -20 })).slice(35)).toEqual(repeat(25, -1));
    expect(Array.from(choosePath(c, levels(60).fill(-95), { gate: -60, loud: -20 }))).toEqual(repeat(60, -1));
  });

  it('sets the gate by the take itself', () => {
    const loud = levelGate(Float32Array.from({ length: 200 }, (_, k) => (k % 2 ? -10 : -80))).gate;
    const quiet = levelGate(Float32Array.from({ length: 200 }, (_, k) => (k % 2 ? -40 : -110))).gate;
    expect(loud - quiet).toBeCloseTo(30, 3);
  });
});

describe('octaves by context', () => {
  const rough = (midi: number): [number, number, number][] => [
    [midi - 12, 0.98, 0.95],
    [midi, 0.8, 1],
  ];
  /** A rough note that is more periodic an octave down. */
  const halved = (midi: number): [number, number, number][] => [
    [midi - 12, 0.99, 1],
    [midi, 0.55, 0.5],
  ];
  const gap = repeat<[number, number, number][]>(6, []);
  const line = (notes: { midi: number; n: number }[]) =>
    Float32Array.from(notes.flatMap(({ midi, n }) => repeat(2 * n, midi ? midiToHz(midi) : 0)));

  it('lifts a rough note its neighbours say is an octave higher', () => {
    const c = candidates([
      ...repeat(30, rough(62)),
      ...gap,
      ...repeat(30, halved(61)),
      ...gap,
      ...repeat(30, rough(64)),
    ]);
    const f0 = line([
      { midi: 62, n: 30 },
      { midi: 0, n: 6 },
      { midi: 49, n: 30 },
      { midi: 0, n: 6 },
      { midi: 64, n: 30 },
    ]);
    settleOctaves(f0, c, new Float32Array(f0.length), 0);
    expect(f0[100]).toBeCloseTo(midiToHz(61), 0);
    expect(f0[10]).toBeCloseTo(midiToHz(62), 0);
  });

  it('leaves a leap of an octave in a clean voice', () => {
    const clean = (midi: number): [number, number, number][] => [
      [midi, 0.98, 1],
      [midi - 12, 0.95, -0.1],
    ];
    const c = candidates([
      ...repeat(30, clean(57)),
      ...gap,
      ...repeat(30, clean(69)),
      ...gap,
      ...repeat(30, clean(57)),
    ]);
    const f0 = line([
      { midi: 57, n: 30 },
      { midi: 0, n: 6 },
      { midi: 69, n: 30 },
      { midi: 0, n: 6 },
      { midi: 57, n: 30 },
    ]);
    const before = Array.from(f0);
    settleOctaves(f0, c, new Float32Array(f0.length), 0);
    expect(Array.from(f0)).toEqual(before);
  });
});

describe('notes from a line', () => {
  /** Change of colour of a voice that is one vowel, or another from a frame on. */
  const colour = (n: number, change = -1): Float32Array => {
    const power = new Float32Array(n * 19).fill(1e-4);
    for (let k = 0; k < n; k++)
      for (let q = 0; q < 19; q++) if (change >= 0 && k >= change) power[k * 19 + q] = q % 2 ? 1e-3 : 1e-5;
    const bands: Bands = { count: 19, edgesHz: Array.from({ length: 20 }, (_, i) => 150 + i * 500), power };
    return colourChange(bands, n);
  };
  const flat = (n: number) => new Float32Array(n).fill(-30);
  const levels = (n: number) => new Float32Array(n).fill(-20);
  const hz = (n: number, at: (k: number) => number) => Float32Array.from({ length: n }, (_, k) => midiToHz(at(k)));

  it('are cut where the pitch steps, and the glide belongs to the second', () => {
    const n = 200;
    const notes = findNotes(
      hz(n, k => 60 + 4 / (1 + Math.exp(-(k - 100) / 3))),
      levels(n),
      colour(n),
      flat(n),
    );
    expect(notes.map(q => Math.round(q.pitch))).toEqual([60, 64]);
    expect(notes[1].start).toBeLessThan(0.5);
    expect(notes[1].start).toBeGreaterThan(0.42);
  });

  it('are not made of a vibrato or a drift', () => {
    expect(
      findNotes(
        hz(300, k => 60 + 0.6 * Math.sin(2 * Math.PI * 5.5 * k * HOP)),
        levels(300),
        colour(300),
        flat(300),
      ),
    ).toHaveLength(1);
    expect(
      findNotes(
        hz(300, k => 60 + 0.0012 * k),
        levels(300),
        colour(300),
        flat(300),
      ),
    ).toHaveLength(1);
  });

  it('begin anew on another vowel where the level dips', () => {
    const level = levels(240);
    for (let k = 112; k < 128; k++) level[k] = -30;
    const two = findNotes(
      hz(240, k => (k < 120 ? 60 : 60.4)),
      level,
      colour(240, 120),
      flat(240),
    );
    expect(two).toHaveLength(2);
  });

  it('take in the scoop at the start of a phrase', () => {
    const notes = findNotes(
      hz(200, k => (k < 18 ? 58.6 : 60)),
      levels(200),
      colour(200),
      flat(200),
    );
    expect(notes).toHaveLength(1);
    expect(notes[0].pitch).toBeCloseTo(60, 1);
    expect(notes[0].start).toBe(0);
  });
});

describe('unpitched sounds', () => {
  const frames = 200;
  /** Power by frame and band: quiet but for one sound. */
  const heard = (from: number, to: number, shape: (k: number) => number, high: boolean): Bands => {
    const edgesHz = [
      150, 300, 450, 600, 800, 1000, 1250, 1500, 1800, 2150, 2500, 3000, 3600, 4300, 5200, 6500, 8000, 10000, 12500,
      16000,
    ];
    const power = new Float32Array(frames * 19).fill(1e-9);
    for (let k = from; k < to; k++)
      for (let q = 0; q < 19; q++) power[k * 19 + q] += shape(k - from) * (edgesHz[q] > 2300 === high ? 1e-4 : 1.5e-5);
    return { count: 19, edgesHz, power };
  };
  const silent = new Float32Array(frames);

  it('are told apart by length, attack and colour', () => {
    expect(
      findNoises(
        silent,
        heard(80, 104, k => Math.sin((Math.PI * (k + 1)) / 25), true),
        -20,
      ),
    ).toMatchObject([{ kind: 'sibilant' }]);
    expect(
      findNoises(
        silent,
        heard(80, 130, k => Math.sin((Math.PI * (k + 1)) / 51), false),
        -20,
      ),
    ).toMatchObject([{ kind: 'breath' }]);
    expect(
      findNoises(
        silent,
        heard(80, 87, k => Math.exp(-k / 2), true),
        -20,
      ),
    ).toMatchObject([{ kind: 'plosive' }]);
  });

  it('are not the dying away of a voice, nor its first moments', () => {
    const voice = (from: number, to: number) =>
      Float32Array.from({ length: frames }, (_, k) => (k >= from && k < to ? 220 : 0));
    const tail = heard(80, 100, k => Math.exp(-k / 4), false);
    expect(findNoises(voice(20, 80), tail, -20)).toEqual([]);
    const onset = heard(76, 82, k => Math.exp(k - 6), false);
    expect(findNoises(voice(82, 150), onset, -20)).toEqual([]);
  });

  it('are cut where another begins with a burst', () => {
    const both = heard(60, 100, k => (k < 30 ? 0.02 : Math.exp((30 - k) / 3)), true);
    expect(findNoises(silent, both, -20).map(n => n.kind)).toEqual(['sibilant', 'plosive']);
  });

  it('are where they are', () => {
    const [breath] = findNoises(
      silent,
      heard(80, 130, k => Math.sin((Math.PI * (k + 1)) / 51), false),
      -20,
    );
    expect(breath.start).toBeGreaterThan(0.39);
    expect(breath.start).toBeLessThan(0.45);
    expect(breath.end).toBeGreaterThan(0.6);
    expect(
      findNoises(
        silent,
        heard(0, 0, () => 0, false),
        -20,
      ),
    ).toEqual([]);
  });
});
