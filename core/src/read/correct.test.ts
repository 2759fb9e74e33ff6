import { hzToMidi, midiToHz } from '../units';
import {
  addNote,
  asRead,
  correctReading,
  hear,
  joinNotes,
  minus,
  moveBorder,
  noCorrections,
  removeNotes,
  setKind,
  splitNote,
} from './correct';
import { centreOf } from './centre';
import { candidateShares, cutsIn, doubtsOf, hearings, likeNeighbours } from './hearings';
import { CANDIDATES_PER_FRAME as MOST, HOP, type ReadNote, type Reading } from './reading';
import { findSpoken } from './spoken';

interface Sung {
  from: number;
  to: number;
  midi: number;
  /** Pitch the line shows, where it differs. */
  shown?: number;
  /** Strengths of candidates at this pitch and an octave below. */
  own?: number;
  below?: number;
}

/** A reading of two seconds made of notes; each frame has its pitch and the octave below as candidates. */
function reading(list: Sung[], seconds = 2): Reading {
  const frames = Math.round(seconds / HOP) + 1;
  const half = (frames + 1) >> 1;
  const f0 = new Float32Array(frames);
  const candidates = {
    count: new Uint8Array(half),
    hz: new Float32Array(half * MOST),
    periodicity: new Float32Array(half * MOST),
    harmonicity: new Float32Array(half * MOST),
  };
  for (const n of list)
    for (let k = Math.round(n.from / HOP); k < Math.round(n.to / HOP); k++) {
      f0[k] = midiToHz(n.shown ?? n.midi);
      const q = k >> 1;
      candidates.count[q] = 2;
      [n.midi, n.midi - 12].forEach((m, j) => {
        const strength = j ? (n.below ?? 0.4) : (n.own ?? 0.95);
        candidates.hz[q * MOST + j] = midiToHz(m);
        candidates.periodicity[q * MOST + j] = strength;
        candidates.harmonicity[q * MOST + j] = strength;
      });
    }
  const notes = list.map((n): ReadNote => ({
    start: n.from,
    end: n.to,
    pitch: n.shown ?? n.midi,
    onset: n.from + 0.02,
  }));
  return {
    version: 3,
    sampleRate: 48000,
    duration: seconds,
    hop: HOP,
    range: 'mid',
    f0,
    levelDb: Float32Array.from(f0, f => (f ? -20 : -90)),
    candidates,
    notes,
    noises: [{ start: 1.6, end: 1.7, kind: 'sibilant' }],
    spoken: [],
    colour: new Float32Array(frames),
    vowelsDb: new Float32Array(frames),
    keys: [],
    tuningCents: 0,
  };
}

const two = () =>
  reading([
    { from: 0.1, to: 0.7, midi: 60 },
    { from: 0.7, to: 1.3, midi: 64 },
  ]);
const spans = (r: Reading) => r.notes.map(n => [n.start, n.end, Math.round(n.pitch * 100) / 100]);

describe('a corrected reading', () => {
  it('is the reading itself while nothing is corrected', () => {
    const r = two();
    expect(correctReading(r, noCorrections).reading).toBe(r);
  });

  it('has notes split, joined, added and taken away, their centres found again', () => {
    const r = two();
    let c = splitNote(noCorrections, r.notes[0], [0.4]);
    expect(spans(correctReading(r, c).reading)).toEqual([
      [0.1, 0.4, 60],
      [0.4, 0.7, 60],
      [0.7, 1.3, 64],
    ]);
    c = joinNotes(c, correctReading(r, c).reading.notes.slice(0, 2));
    expect(spans(correctReading(r, c).reading)).toHaveLength(2);
    c = removeNotes(c, [r.notes[1]]);
    expect(spans(correctReading(r, c).reading)).toEqual([[0.1, 0.7, 60]]);
    c = addNote(c, { start: 0.8, end: 1.2 });
    expect(spans(correctReading(r, c).reading)).toEqual([
      [0.1, 0.7, 60],
      [0.8, 1.2, 64],
    ]);
    expect(spans(correctReading(r, asRead(c, { start: 0, end: 2 })).reading)).toEqual(spans(r));
  });

  it('has no note where nothing is sung, and says so', () => {
    const { reading: now, misfits } = correctReading(two(), addNote(noCorrections, { start: 1.5, end: 1.9 }));
    expect(now.notes).toHaveLength(2);
    expect(misfits).toEqual([{ start: 1.5, end: 1.9, what: 'nothing is sung where a note was set' }]);
  });

  it('ignores a cut too near a note’s end', () => {
    const r = two();
    expect(splitNote(noCorrections, r.notes[0], [0.11, 5])).toBe(noCorrections);
  });

  it('moves a border from either side; the neighbour gives way but never vanishes', () => {
    const r = two();
    const later = correctReading(r, moveBorder(noCorrections, r.notes, 0, 'end', 0.9)).reading;
    expect(later.notes.map(n => [n.start, n.end])).toEqual([
      [0.1, 0.9],
      [0.9, 1.3],
    ]);
    const earlier = correctReading(r, moveBorder(noCorrections, r.notes, 1, 'start', 0.5)).reading;
    expect(earlier.notes.map(n => n.end)).toEqual([0.5, 1.3]);
    const far = correctReading(r, moveBorder(noCorrections, r.notes, 0, 'end', 9)).reading;
    expect(far.notes[1].start).toBeCloseTo(1.27, 6);
    const first = correctReading(r, moveBorder(noCorrections, r.notes, 0, 'start', 0.3)).reading;
    expect(first.notes[0].start).toBe(0.3);
  });

  it('hears a stretch at another pitch where there is evidence, to the fine pitch', () => {
    const r = reading([{ from: 0.1, to: 1.1, midi: 62, shown: 50.03 }]);
    const { reading: now, assumed } = correctReading(r, hear(noCorrections, { start: 0.1, end: 0.6, midi: 62 }));
    expect(hzToMidi(now.f0[60])).toBeCloseTo(62.03, 3);
    expect(hzToMidi(now.f0[180])).toBeCloseTo(50.03, 3);
    expect(assumed).toEqual([]);
  });

  it('folds the line where there is none, and marks it as assumed', () => {
    const { reading: now, assumed } = correctReading(two(), hear(noCorrections, { start: 0.1, end: 0.7, midi: 72 }));
    expect(hzToMidi(now.f0[60])).toBeCloseTo(72, 4);
    expect(assumed).toHaveLength(1);
    expect(now.notes[0].pitch).toBeCloseTo(72, 2);
  });

  it('says when a choice of pitch has lost its voice', () => {
    const { misfits } = correctReading(two(), hear(noCorrections, { start: 1.5, end: 1.8, midi: 60 }));
    expect(misfits[0].what).toMatch(/nothing is sung/);
  });

  it('cuts a breath off a note, and gives a stretch back to the voice', () => {
    const r = two();
    const cut = correctReading(r, setKind(noCorrections, { start: 0.1, end: 0.25, kind: 'breath' })).reading;
    expect(spans(cut)[0].slice(0, 2)).toEqual([0.25, 0.7]);
    expect(cut.f0[30]).toBe(0);
    expect(cut.noises.map(n => [n.kind, n.start, n.end])).toEqual([
      ['breath', 0.1, 0.25],
      ['sibilant', 1.6, 1.7],
    ]);
    const back = setKind(
      { ...noCorrections, kinds: [{ start: 0.1, end: 0.25, kind: 'breath' }] },
      {
        start: 0.1,
        end: 0.25,
        kind: 'sung',
      },
    );
    expect(spans(correctReading(r, back).reading)).toEqual(spans(r));
  });

  it('changes what an unpitched sound is, and moves its borders', () => {
    const c = setKind(setKind(noCorrections, { start: 1.6, end: 1.7, kind: 'breath' }), {
      start: 1.65,
      end: 1.7,
      kind: 'none',
    });
    expect(correctReading(two(), c).reading.noises).toEqual([{ start: 1.6, end: 1.65, kind: 'breath' }]);
  });

  it('keeps spoken stretches free of notes but not of pitch', () => {
    const { reading: now } = correctReading(two(), setKind(noCorrections, { start: 0.05, end: 0.7, kind: 'spoken' }));
    expect(now.spoken).toEqual([{ start: 0.05, end: 0.7 }]);
    expect(now.notes.map(n => n.start)).toEqual([0.7]);
    expect(now.f0[60]).toBeGreaterThan(0);
  });

  it('finds a centre that neither vibrato, scoop, fall nor a breath moves', () => {
    const f0 = Float32Array.from({ length: 200 }, (_, k) => {
      const scoop = k < 20 ? -2 * (1 - k / 20) : 0;
      const fall = k > 180 ? -(k - 180) * 0.15 : 0;
      return k < 8 ? 0 : midiToHz(62 + 0.4 * Math.sin((2 * Math.PI * 5.5 * k) / 200) + scoop + fall);
    });
    expect(centreOf(f0, new Float32Array(200).fill(-20), { start: 0, end: 1 })).toBeCloseTo(62, 1);
    expect(centreOf(new Float32Array(10), new Float32Array(10), { start: 0, end: 0.05 })).toBeNaN();
  });

  it('takes spans out of spans', () => {
    expect(minus({ start: 0, end: 1 }, [{ start: 0.2, end: 0.3 }])).toEqual([
      { start: 0, end: 0.2 },
      { start: 0.3, end: 1 },
    ]);
    expect(minus({ start: 0, end: 1 }, [{ start: -1, end: 2 }])).toEqual([]);
  });
});

describe('ways to hear', () => {
  it('share out what the evidence says', () => {
    const r = reading([{ from: 0.1, to: 1, midi: 62, own: 0.7, below: 0.75 }]);
    const shares = candidateShares(r, 30);
    expect(shares[0] + shares[1]).toBeCloseTo(1, 9);
    const list = hearings(r, r.notes[0]);
    expect(list.map(h => Math.round(h.midi))).toEqual([62, 50]);
    expect(list[0].share).toBeGreaterThan(list[1].share);
    expect(list[0].now).toBe(true);
    expect(hearings(r, { start: 1.5, end: 1.6 })).toEqual([]);
  });

  it('put a run where its neighbours are', () => {
    const r = reading([
      { from: 0.1, to: 0.5, midi: 62 },
      { from: 0.5, to: 0.9, midi: 64, shown: 52, own: 0.6, below: 0.9 },
      { from: 0.9, to: 1.3, midi: 66, shown: 54, own: 0.6, below: 0.9 },
      { from: 1.3, to: 1.7, midi: 67 },
    ]);
    expect(likeNeighbours(r, [1, 2]).map(c => [c.index, Math.round(c.midi)])).toEqual([
      [1, 64],
      [2, 66],
    ]);
    expect(likeNeighbours(two(), [0, 1])).toEqual([]);
  });

  it('list what is doubtful, with the reason', () => {
    const r = reading([
      { from: 0.1, to: 0.5, midi: 50, shown: 50, own: 0.7, below: 0.2 },
      { from: 0.5, to: 0.9, midi: 62, shown: 62, own: 0.7, below: 0.82 },
      { from: 0.9, to: 1.3, midi: 64.48 },
      { from: 1.3, to: 1.38, midi: 66 },
      { from: 1.4, to: 1.9, midi: 60, own: 0.4, below: 0.1 },
    ]);
    const list = doubtsOf(r).map(d => `${d.start} ${d.reason}`);
    expect(list).toContain('0.5 octave');
    expect(list).toContain('0.9 between');
    expect(list).toContain('1.3 short');
    expect(list).toContain('1.4 weak');
    expect(list).not.toContain('0.1 octave');
    expect(doubtsOf(two())).toEqual([]);
  });
});

describe('cuts by cause', () => {
  const base = () => reading([{ from: 0.1, to: 1.9, midi: 60 }]);

  it('find a dip, a consonant and a step in pitch', () => {
    const r = base();
    for (let k = 195; k < 206; k++) r.levelDb[k] = -23 - 2 * (5 - Math.abs(k - 200));
    for (let k = 235; k < 246; k++) r.colour[k] = 6 - Math.abs(k - 240);
    for (let k = 300; k < 380; k++) r.f0[k] = midiToHz(62);
    const cuts = cutsIn(r, r.notes[0]);
    expect(cuts.dip).toEqual([1]);
    expect(cuts.consonant).toEqual([1.2]);
    expect(cuts.pitch).toHaveLength(1);
    expect(cuts.pitch[0]).toBeCloseTo(1.5, 1);
    expect(cuts.swing).toEqual([]);
  });

  it('find every swing of a vibrato', () => {
    const r = base();
    for (let k = 20; k < 380; k++) r.f0[k] = midiToHz(60 + 0.5 * Math.sin(2 * Math.PI * 5 * k * HOP));
    const { swing, pitch } = cutsIn(r, r.notes[0]);
    expect(swing.length).toBeGreaterThanOrEqual(6);
    expect(swing.length).toBeLessThanOrEqual(9);
    expect(pitch).toEqual([]);
  });
});

describe('spoken stretches', () => {
  it('are those whose pitch never stays', () => {
    const frames = 600;
    const speech = Float32Array.from({ length: frames }, (_, k) =>
      k % 50 > 42 ? 0 : midiToHz(50 + 5 * Math.sin(k / 17) - (k % 50) * 0.06),
    );
    const [found] = findSpoken(speech);
    expect(found.end - found.start).toBeGreaterThan(2);
    const song = Float32Array.from({ length: frames }, (_, k) =>
      k % 100 > 92 ? 0 : midiToHz(60 + 2 * (Math.floor(k / 100) % 3) + 0.4 * Math.sin((2 * Math.PI * 5.5 * k) / 200)),
    );
    expect(findSpoken(song)).toEqual([]);
  });
});
