import { midiToHz } from '../units';
import { candidateShares, cutsIn, doubtsOf, hearings, likeNeighbours } from './hearings';
import { CANDIDATES_PER_FRAME, HOP, type Reading } from './reading';

/** A made-up reading: notes one after the other, each with a line and with ways it could be heard. */
interface Sung {
  seconds: number;
  /** MIDI at a moment of the note, 0..1. */
  line: (share: number) => number;
  /** Distances from the line, semitones, with their strengths. */
  ways?: [number, number][];
}
function readingOf(sung: Sung[], tuningCents = 0): Reading {
  const frames = Math.round(sung.reduce((s, n) => s + n.seconds, 0) / HOP) + 1;
  const half = (frames + 1) >> 1;
  const f0 = new Float32Array(frames);
  const count = new Uint8Array(half);
  const [hz, periodicity, harmonicity] = [0, 1, 2].map(() => new Float32Array(half * CANDIDATES_PER_FRAME));
  const notes: { start: number; end: number; onset: number; pitch: number }[] = [];
  let at = 0;
  for (const { seconds, line, ways = [[0, 0.95]] } of sung) {
    const n = Math.round(seconds / HOP);
    for (let k = 0; k < n; k++) {
      const midi = line(k / n);
      f0[at + k] = midiToHz(midi);
      if ((at + k) % 2) continue;
      const q = (at + k) / 2;
      count[q] = ways.length;
      ways.forEach(([off, strength], j) => {
        hz[q * CANDIDATES_PER_FRAME + j] = midiToHz(midi + off);
        periodicity[q * CANDIDATES_PER_FRAME + j] = harmonicity[q * CANDIDATES_PER_FRAME + j] = strength;
      });
    }
    notes.push({ start: at * HOP, end: (at + n) * HOP, onset: at * HOP, pitch: line(0.5) });
    at += n;
  }
  return {
    duration: frames * HOP,
    hop: HOP,
    f0,
    levelDb: new Float32Array(frames).fill(-20),
    colour: new Float32Array(frames),
    candidates: { count, hz, periodicity, harmonicity },
    notes,
    noises: [],
    spoken: [],
    keys: [],
    tuningCents,
  } as unknown as Reading;
}
const held = (midi: number, seconds = 0.6, ways?: Sung['ways']): Sung => ({ seconds, line: () => midi, ways });
const whole = (r: Reading, i = 0) => r.notes[i];

describe('how a stretch can be heard', () => {
  test('the shares of a frame add up to one, the stronger the likelier', () => {
    const r = readingOf([
      held(60, 0.4, [
        [0, 0.9],
        [12, 0.8],
        [-12, 0.6],
      ]),
    ]);
    const shares = candidateShares(r, 10);
    expect(shares.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 9);
    expect(shares[0]).toBeGreaterThan(shares[2]);
    expect(candidateShares(r, 10000)).toHaveLength(0);
  });

  test('is a list, the likeliest first, with what it is now', () => {
    const r = readingOf([
      held(60, 0.6, [
        [0, 0.9],
        [12, 0.82],
        [-12, 0.6],
      ]),
    ]);
    const list = hearings(r, whole(r));
    expect(list.map(h => Math.round(h.midi)).sort()).toEqual(expect.arrayContaining([60, 72]));
    expect(list.find(h => h.now)!.midi).toBeCloseTo(60, 3);
    expect([...list].sort((a, b) => b.share - a.share)).toEqual(list);
    expect(list.reduce((s, h) => s + h.share, 0)).toBeLessThanOrEqual(1.0001);
  });

  test('a glide or a vibrato is one hearing, not many', () => {
    const swaying: Sung = {
      seconds: 1,
      line: t => 60 + 0.8 * Math.sin(2 * Math.PI * 5 * t),
      ways: [
        [0, 0.9],
        [12, 0.86],
      ],
    };
    const r = readingOf([swaying]);
    expect(
      hearings(r, whole(r))
        .map(h => Math.round(h.midi))
        .sort(),
    ).toEqual([60, 72]);
  });

  test('where nothing is sung there is none', () => {
    const r = readingOf([held(60)]);
    r.f0.fill(0);
    expect(hearings(r, whole(r))).toEqual([]);
  });

  test('a note an octave off goes on as its neighbours do, a run of them as well', () => {
    const r = readingOf([
      held(60),
      held(74, 0.5, [
        [0, 0.85],
        [-12, 0.84],
      ]),
      held(75, 0.5, [
        [0, 0.85],
        [-12, 0.8],
      ]),
      held(64),
    ]);
    expect(likeNeighbours(r, [1, 2]).map(c => [c.index, Math.round(c.midi)])).toEqual([
      [1, 62],
      [2, 63],
    ]);
    const single = readingOf([
      held(60),
      held(74, 0.5, [
        [0, 0.85],
        [-12, 0.84],
      ]),
      held(64),
    ]);
    expect(likeNeighbours(single, [1])).toEqual([{ index: 1, midi: expect.closeTo(62, 1) as number }]);
    // one that already does stays
    expect(likeNeighbours(readingOf([held(60), held(62), held(64)]), [1])).toEqual([]);
    const alone = readingOf([held(60)]);
    expect(likeNeighbours(alone, [0])).toEqual([]);
  });
});

describe('doubts', () => {
  const reasons = (r: Reading) => doubtsOf(r).map(d => d.reason);

  test('there are none where a note is clear, long and on a step', () => {
    expect(doubtsOf(readingOf([held(60), held(62), held(64)]))).toEqual([]);
  });

  test('an octave that is nearly as likely, a weak voice, a very short note', () => {
    const [octave] = doubtsOf(
      readingOf([
        held(60, 0.6, [
          [0, 0.85],
          [12, 0.84],
        ]),
      ]),
    );
    expect(octave).toMatchObject({ reason: 'octave', midi: 60 });
    expect(octave.other).toBeCloseTo(72, 1);
    expect(reasons(readingOf([held(60, 0.6, [[0, 0.4]])]))).toEqual(['weak']);
    expect(reasons(readingOf([held(60), held(62, 0.08), held(64)]))).toEqual(['short']);
  });

  test('a centre between two steps, counted from the take’s own tuning', () => {
    const [between] = doubtsOf(readingOf([held(60.48)]));
    expect(between).toMatchObject({ reason: 'between', midi: 60, other: 61 });
    expect(reasons(readingOf([held(60.48)], 45))).toEqual([]);
    expect(reasons(readingOf([held(60.3)]))).toEqual([]);
    expect(reasons(readingOf([held(60.95)], 45))).toEqual(['between']);
  });

  test('come in order of time', () => {
    const r = readingOf([held(60.5), held(62, 0.08), held(63.5), held(60, 0.6, [[0, 0.4]])]);
    const at = doubtsOf(r).map(d => d.start);
    expect(at).toHaveLength(4);
    expect(at).toEqual([...at].sort((a, b) => a - b));
  });
});

describe('where a note could be cut', () => {
  test('at a step of the pitch, and not in a vibrato or a slow glide', () => {
    const step: Sung = { seconds: 1.2, line: t => (t < 0.5 ? 60 : 62) };
    const r = readingOf([step]);
    const { pitch } = cutsIn(r, whole(r));
    expect(pitch).toHaveLength(1);
    expect(pitch[0]).toBeCloseTo(0.6, 1);
    const swaying: Sung = { seconds: 1.2, line: t => 60 + 0.6 * Math.sin(2 * Math.PI * 6.6 * t) };
    expect(cutsIn(readingOf([swaying]), { start: 0, end: 1.2 }).pitch).toEqual([]);
    const gliding: Sung = { seconds: 1.2, line: t => 60 + 4 * t };
    expect(cutsIn(readingOf([gliding]), { start: 0, end: 1.2 }).pitch).toEqual([]);
  });

  test('at each swing of a vibrato', () => {
    const swaying: Sung = { seconds: 1.2, line: t => 60 + 0.6 * Math.sin(2 * Math.PI * 6.6 * t) };
    const { swing } = cutsIn(readingOf([swaying]), { start: 0, end: 1.2 });
    expect(swing.length).toBeGreaterThanOrEqual(5);
    expect(swing.length).toBeLessThanOrEqual(7);
    for (let i = 1; i < swing.length; i++) expect(swing[i] - swing[i - 1]).toBeCloseTo(1.2 / 6.6, 1);
  });

  test('at a dip of the level and at a change of colour, each told by its cause', () => {
    const r = readingOf([held(60, 1)]);
    for (let k = 95; k <= 105; k++) r.levelDb[k] = -20 - 6 * (1 - Math.abs(k - 100) / 6);
    r.colour[60] = 4;
    const cuts = cutsIn(r, whole(r));
    expect(cuts.dip).toEqual([expect.closeTo(0.5, 2)]);
    expect(cuts.consonant).toEqual([expect.closeTo(0.3, 6)]);
    expect([...cuts.pitch, ...cuts.swing]).toEqual([]);
    // at the very ends of a note there is nothing to cut
    const ends = readingOf([held(60, 1)]);
    ends.colour[4] = ends.colour[196] = 5;
    expect(cutsIn(ends, whole(ends)).consonant).toEqual([]);
  });
});
