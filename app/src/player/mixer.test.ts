import { clipSamples, composeClips } from '@essim/core';
import { Mixer, STATUS, type Recorded } from './mixer';

const RATE = 48000;
const BLOCK = 128;

const whole = (offset = 0) => ({
  sourceId: 'take',
  ...clipSamples(
    { takeId: 'take', from: 0, to: Infinity, shift: offset / RATE, fadeIn: 0, fadeOut: 0, levelDb: 0 },
    RATE,
  ),
});

function mixer(length = RATE) {
  const status = new Float64Array(STATUS.size);
  const m = new Mixer(RATE, status);
  const sung = Float32Array.from({ length }, (_, i) => 0.5 * Math.sin((2 * Math.PI * 220 * i) / RATE));
  const edited = sung.slice();
  m.receive({ kind: 'sources', sources: [{ id: 'take', sung: [sung], edited: [edited] }] });
  m.receive({ kind: 'tracks', tracks: [{ id: 'lead', clips: [whole()] }] });
  m.receive({ kind: 'gains', gains: { lead: [1, 1] } });
  return { m, status, sung, edited };
}

function play(m: Mixer, blocks: number): Float32Array {
  const out = new Float32Array(blocks * BLOCK);
  const right = new Float32Array(BLOCK);
  for (let b = 0; b < blocks; b++) m.process(out.subarray(b * BLOCK, (b + 1) * BLOCK), right);
  return out;
}

const steepest = (x: Float32Array) => x.reduce((s, v, i) => Math.max(s, i ? Math.abs(v - x[i - 1]) : 0), 0);

describe('the mixer', () => {
  it('is silent until it plays, then gives the samples at their place', () => {
    const { m, sung, status } = mixer();
    expect(play(m, 2).every(v => v === 0)).toBe(true);
    m.receive({ kind: 'play', at: 1000 });
    const out = play(m, 20);
    expect(status[STATUS.position]).toBe(1000 + 20 * BLOCK);
    for (let i = 500; i < out.length; i++) expect(out[i]).toBeCloseTo(sung[1000 + i], 6);
  });

  it('places a track by its offset', () => {
    const { m, sung } = mixer();
    m.receive({ kind: 'tracks', tracks: [{ id: 'lead', clips: [whole(640)] }] });
    m.receive({ kind: 'play', at: 0 });
    const out = play(m, 20);
    expect(out.subarray(0, 640).every(v => v === 0)).toBe(true);
    expect(out[2000]).toBeCloseTo(sung[2000 - 640], 6);
  });

  it('takes an edit in under the playhead without a step', () => {
    const { m, sung } = mixer();
    m.receive({ kind: 'play', at: 0 });
    const before = play(m, 40);
    m.receive({ kind: 'patch', id: 'take', from: 2000, channels: [sung.slice(2000, 30000).map(v => -v)] });
    const after = play(m, 40);
    expect(steepest(after)).toBeLessThan(1.5 * steepest(before));
    for (let i = 1000; i < after.length; i++) expect(after[i]).toBeCloseTo(-sung[40 * BLOCK + i], 5);
  });

  it('plays an edit made elsewhere at the next pass', () => {
    const { m } = mixer();
    m.receive({ kind: 'patch', id: 'take', from: 20000, channels: [new Float32Array(2000).fill(0.25)] });
    m.receive({ kind: 'play', at: 19000 });
    const out = play(m, 16);
    expect(out[1500]).toBeCloseTo(0.25, 6);
  });

  it('goes over between as sung and edited within 30 ms, smoothly', () => {
    const { m, sung, edited } = mixer();
    edited.fill(0);
    m.receive({ kind: 'play', at: 0 });
    play(m, 10);
    m.receive({ kind: 'compare', edited: false });
    const out = play(m, 20);
    expect(steepest(out)).toBeLessThan(0.05);
    for (let i = Math.round(0.03 * RATE); i < out.length; i++) expect(out[i]).toBeCloseTo(sung[10 * BLOCK + i], 6);
  });

  it('loops without a gap or a click', () => {
    const { m, status } = mixer();
    m.receive({ kind: 'loop', from: 1000, to: 5000 });
    m.receive({ kind: 'play', at: 1000 });
    const out = play(m, 100);
    expect(status[STATUS.position]).toBeGreaterThanOrEqual(1000);
    expect(status[STATUS.position]).toBeLessThan(5000);
    expect(steepest(out)).toBeLessThan(0.06);
    let quiet = 0;
    for (let i = 600; i < out.length; i++) quiet = Math.abs(out[i]) < 1e-3 ? quiet + 1 : 0;
    expect(quiet).toBeLessThan(10);
  });

  it('fades when it stops or jumps', () => {
    const { m } = mixer();
    m.receive({ kind: 'play', at: 0 });
    play(m, 10);
    m.receive({ kind: 'seek', at: 30000 });
    expect(steepest(play(m, 10))).toBeLessThan(0.06);
    m.receive({ kind: 'stop' });
    const out = play(m, 10);
    expect(steepest(out)).toBeLessThan(0.06);
    expect(out[out.length - 1]).toBe(0);
  });

  it('moves levels smoothly and mutes what has none', () => {
    const { m } = mixer();
    m.receive({ kind: 'play', at: 0 });
    play(m, 10);
    m.receive({ kind: 'gains', gains: {} });
    const out = play(m, 60);
    expect(steepest(out)).toBeLessThan(0.03);
    expect(Math.abs(out[out.length - 1])).toBeLessThan(1e-3);
  });
});

describe('comps in the mixer', () => {
  const clips = [
    { takeId: 'a', from: 0, to: 0.1, shift: 0, fadeIn: 0, fadeOut: 0.02, levelDb: 0 },
    { takeId: 'b', from: 0.1, to: Infinity, shift: 0.05, fadeIn: 0.02, fadeOut: 0, levelDb: -6 },
  ];
  it('plays a comp exactly as it is composed for export', () => {
    const m = new Mixer(RATE, new Float64Array(STATUS.size));
    const a = Float32Array.from({ length: 20000 }, (_, i) => Math.sin(i / 9));
    const b = Float32Array.from({ length: 20000 }, (_, i) => Math.sin(i / 13));
    m.receive({
      kind: 'sources',
      sources: [
        { id: 'a', sung: [a], edited: [a] },
        { id: 'b', sung: [b], edited: [b] },
      ],
    });
    m.receive({
      kind: 'tracks',
      tracks: [{ id: 'lead', clips: clips.map(c => ({ sourceId: c.takeId, ...clipSamples(c, RATE) })) }],
    });
    m.receive({ kind: 'gains', gains: { lead: [1, 1] } });
    m.receive({ kind: 'play', at: 0 });
    const out = play(m, 100);
    const wanted = composeClips(
      clips,
      new Map([
        ['a', [a]],
        ['b', [b]],
      ]),
      RATE,
      out.length,
    )[0];
    for (let i = 400; i < out.length; i++) expect(out[i]).toBeCloseTo(wanted[i], 5);
  });
});

describe('recording', () => {
  const recorder = () => {
    const taken: Recorded[] = [];
    const m = new Mixer(RATE, new Float64Array(STATUS.size), r => taken.push(r));
    const left = new Float32Array(BLOCK);
    let frame = 0;
    // the microphone brings the number of the frame
    const run = (blocks: number) => {
      for (let b = 0; b < blocks; b++) {
        m.process(
          left,
          new Float32Array(BLOCK),
          frame,
          Float32Array.from(left, (_, i) => (frame + i) / 1e6),
        );
        frame += BLOCK;
      }
    };
    return { m, taken, run };
  };

  it('knows the song position of every sample, counts in, and begins at the frame asked for', () => {
    const { m, taken, run } = recorder();
    m.receive({ kind: 'record', on: true });
    m.receive({ kind: 'play', at: 5000, countIn: 1000, frame: 300 });
    run(60);
    m.receive({ kind: 'stop' });
    expect(taken[0].position).toBe(4000);
    const all = taken.flatMap(t => [...t.samples]);
    expect(all).toHaveLength(60 * BLOCK - 300);
    expect(all[0]).toBeCloseTo(300 / 1e6, 9);
    taken.forEach(t => expect(Math.round(t.samples[0] * 1e6) - 300 + 4000).toBe(t.position));
  });

  it('cuts at each round of a loop', () => {
    const { m, taken, run } = recorder();
    m.receive({ kind: 'loop', from: 1000, to: 3000 });
    m.receive({ kind: 'record', on: true });
    m.receive({ kind: 'play', at: 1000 });
    run(50);
    m.receive({ kind: 'stop' });
    expect(taken.map(t => t.round)).toEqual([0, 1, 2, 3]);
    expect(taken.slice(0, 3).map(t => [t.position, t.samples.length])).toEqual(Array(3).fill([1000, 2000]));
  });

  it('sounds only clicks while it counts in', () => {
    const { m } = mixer();
    m.receive({ kind: 'clicks', at: [-1000, 0, 2000], accents: [1, 0, 0], on: false });
    m.receive({ kind: 'play', at: 0, countIn: 1280 });
    const out = play(m, 30);
    expect(Math.max(...out.subarray(0, 270).map(Math.abs))).toBe(0);
    expect(Math.max(...out.subarray(280, 500).map(Math.abs))).toBeGreaterThan(0.1);
    expect(Math.max(...out.subarray(1290, 3000).map(Math.abs))).toBeGreaterThan(0.3);
  });
});
