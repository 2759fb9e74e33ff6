import { clipSamples, composeClips, packSamples } from '@essim/core';
import { Mixer, STATUS, type Recorded } from './mixer';
import { MARGIN, placeOf, TILE, tileMemory, TileWriter } from './tiles';

const RATE = 48000;
const BLOCK = 128;

const whole = (offset = 0) => ({
  sourceId: 'take',
  ...clipSamples(
    { takeId: 'take', from: 0, to: Infinity, shift: offset / RATE, fadeIn: 0, fadeOut: 0, levelDb: 0 },
    RATE,
  ),
});

const wave = (length: number) =>
  Float32Array.from({ length }, (_, i) => 0.5 * Math.sin((2 * Math.PI * 220 * i) / RATE));

/** A mixer with one take, and its tiles: render(tile, f) makes a tile's sound f(source sample). */
function mixer(length = 2 * RATE) {
  const status = new Float64Array(STATUS.size);
  const m = new Mixer(RATE, status);
  const sung = wave(length);
  const tiles = tileMemory(length, 1);
  const writer = new TileWriter(tiles);
  const render = (tile: number, f: (t: number) => number) => {
    const slot = writer.take()!;
    for (let i = 0; i < TILE + MARGIN; i++) tiles.pool[0][placeOf(slot) + i] = f(tile * TILE + i);
    writer.publish(tile, slot);
  };
  m.receive({ kind: 'sources', sources: [{ id: 'take', sung: [sung], tiles }] });
  m.receive({ kind: 'tracks', tracks: [{ id: 'lead', clips: [whole()] }] });
  m.receive({ kind: 'gains', gains: { lead: [1, 1] } });
  return { m, status, sung, tiles, writer, render };
}

function play(m: Mixer, blocks: number): Float32Array {
  const out = new Float32Array(blocks * BLOCK);
  const right = new Float32Array(BLOCK);
  for (let b = 0; b < blocks; b++) m.process(out.subarray(b * BLOCK, (b + 1) * BLOCK), right);
  return out;
}

/** The first of some samples that is off by half a step of so many digits; -1 where none is. Asked once, for there are thousands. */
function astray(from: number, to: number, off: (i: number) => number, digits: number): number {
  for (let i = from; i < to; i++) if (!(Math.abs(off(i)) < 0.5 * 10 ** -digits)) return i;
  return -1;
}

const steepest = (x: Float32Array) => x.reduce((s, v, i) => Math.max(s, i ? Math.abs(v - x[i - 1]) : 0), 0);

describe('the mixer', () => {
  it('plays the same of samples that are held in fewer bytes, edited, compared and past their end', () => {
    const heard = [16, 24].map(bits => {
      const floats = wave(RATE).map(v => Math.round(v * 2 ** (bits - 1)) / 2 ** (bits - 1) + 0);
      return [floats, packSamples(floats)].map(sung => {
        const { m, tiles, render } = mixer(RATE);
        m.receive({ kind: 'sources', sources: [{ id: 'take', sung: [sung], tiles }] });
        render(0, t => 0.3 * Math.sin(t / 9));
        m.receive({ kind: 'play', at: RATE - 200 * BLOCK });
        const before = play(m, 60);
        m.receive({ kind: 'compare', edited: false });
        return [...before, ...play(m, 180)];
      });
    });
    for (const [floats, whole] of heard) {
      expect(floats.some(v => v !== 0)).toBe(true);
      expect(whole).toEqual(floats);
    }
  });

  it('is silent until it plays, then gives the samples at their place', () => {
    const { m, sung, status } = mixer();
    expect(play(m, 2).every(v => v === 0)).toBe(true);
    m.receive({ kind: 'play', at: 1000 });
    const out = play(m, 20);
    expect(status[STATUS.position]).toBe(1000 + 20 * BLOCK);
    expect(astray(500, out.length, i => out[i] - sung[1000 + i], 6)).toBe(-1);
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
    const { m, sung, render } = mixer();
    m.receive({ kind: 'play', at: 0 });
    const before = play(m, 40);
    render(0, t => -sung[t]);
    const after = play(m, 40);
    expect(steepest(after)).toBeLessThan(1.5 * steepest(before));
    expect(astray(1000, after.length, i => after[i] + sung[40 * BLOCK + i], 5)).toBe(-1);
  });

  it('plays from tile to tile without a join', () => {
    const { m, sung, render } = mixer();
    render(0, t => -sung[t]);
    render(1, t => -sung[t]);
    m.receive({ kind: 'play', at: TILE - 2000 });
    const out = play(m, 40);
    expect(astray(500, out.length, i => out[i] + sung[TILE - 2000 + i], 5)).toBe(-1);
  });

  it('plays a late tile as sung, goes over to it and back without a step, and says so', () => {
    const { m, status, sung, render, writer } = mixer();
    render(0, t => -sung[t]);
    writer.markLate(1);
    m.receive({ kind: 'play', at: TILE - 2048 });
    const out = play(m, 16);
    expect(status[STATUS.late]).toBe(0);
    const late = play(m, 40);
    expect(status[STATUS.late]).toBeGreaterThan(30);
    expect(astray(500, late.length, i => late[i] - sung[TILE + i], 5)).toBe(-1);
    render(1, t => -sung[t]);
    const counted = status[STATUS.late];
    const after = play(m, 40);
    expect(status[STATUS.late]).toBe(counted);
    expect(astray(500, after.length, i => after[i] + sung[TILE + 40 * BLOCK + i], 5)).toBe(-1);
    expect(steepest(Float32Array.from([...out.slice(500), ...late, ...after]))).toBeLessThan(0.02 + (2 * 0.5) / 288);
  });

  it('goes on with the last rendering while a newer one is late', () => {
    const { m, sung, render, writer } = mixer();
    render(0, t => 0.5 * sung[t]);
    writer.markLate(0);
    m.receive({ kind: 'play', at: 0 });
    const out = play(m, 30);
    expect(astray(500, out.length, i => out[i] - 0.5 * sung[i], 5)).toBe(-1);
  });

  it('goes over between as sung and edited within 30 ms, smoothly', () => {
    const { m, sung, render } = mixer();
    render(0, () => 0);
    m.receive({ kind: 'play', at: 0 });
    play(m, 10);
    m.receive({ kind: 'compare', edited: false });
    const out = play(m, 20);
    expect(steepest(out)).toBeLessThan(0.05);
    expect(astray(Math.round(0.03 * RATE), out.length, i => out[i] - sung[10 * BLOCK + i], 6)).toBe(-1);
  });

  it('compares at one loudness', () => {
    const { m, sung, render, tiles } = mixer();
    render(0, t => 0.5 * sung[t]);
    tiles.match[0] = 0.5;
    m.receive({ kind: 'compare', edited: false });
    m.receive({ kind: 'play', at: 0 });
    const out = play(m, 60);
    expect(astray(4000, out.length, i => out[i] - 0.5 * sung[i], 3)).toBe(-1);
  });

  it('scrubs: a moment sounds where the pointer is, and ends by itself', () => {
    const { m, sung, status } = mixer();
    m.receive({ kind: 'scrub', at: 5000 });
    const out = play(m, 60);
    expect(status[STATUS.position]).toBe(5000);
    expect(astray(1000, 4000, i => out[i] - sung[5000 + i], 5)).toBe(-1);
    expect(out.subarray(5400).every(v => v === 0)).toBe(true);
    expect(steepest(out)).toBeLessThan(0.03);
    m.receive({ kind: 'scrub', at: 20000 });
    const first = play(m, 10);
    m.receive({ kind: 'scrub', at: 31000 });
    expect(steepest(Float32Array.from([...first, ...play(m, 60)]))).toBeLessThan(0.06);
  });

  it('meters every track by itself', () => {
    const { m, status } = mixer();
    m.receive({
      kind: 'tracks',
      tracks: [
        { id: 'quiet', clips: [whole()] },
        { id: 'lead', clips: [whole()] },
      ],
    });
    m.receive({ kind: 'gains', gains: { quiet: [0.1, 0.1], lead: [1, 0] } });
    m.receive({ kind: 'play', at: 0 });
    play(m, 40);
    expect(status[STATUS.tracks]).toBeCloseTo(0.05, 2);
    expect(status[STATUS.tracks + 1]).toBeCloseTo(0.5, 1);
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

  it('plays tiles beyond the end of the recording, and silence where there is neither', () => {
    const { m, sung } = mixer(TILE);
    const longer = tileMemory(3 * TILE, 1);
    const writer = new TileWriter(longer);
    m.receive({ kind: 'sources', sources: [{ id: 'take', sung: [sung], tiles: longer }] });
    for (const tile of [0, 1]) {
      const slot = writer.take()!;
      for (let i = 0; i < TILE + MARGIN; i++) longer.pool[0][placeOf(slot) + i] = tile ? 0.25 : sung[i] || 0.25;
      writer.publish(tile, slot);
    }
    m.receive({ kind: 'play', at: TILE - 8 * BLOCK });
    const over = play(m, 40);
    expect(over.every(Number.isFinite)).toBe(true);
    expect(astray(12 * BLOCK, over.length, i => over[i] - 0.25, 5)).toBe(-1);
    // the third tile is not rendered, and the recording is over
    m.receive({ kind: 'seek', at: 2 * TILE + 4 * BLOCK });
    const beyond = play(m, 40);
    expect(beyond.every(Number.isFinite)).toBe(true);
    expect(beyond.subarray(20 * BLOCK).every(v => v === 0)).toBe(true);
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
        { id: 'a', sung: [a] },
        { id: 'b', sung: [b] },
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
    expect(astray(400, out.length, i => out[i] - wanted[i], 5)).toBe(-1);
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
