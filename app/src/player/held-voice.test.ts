import { analyseVoice, clipSamples, readTake } from '@essim/core';
import { singPhrases } from '@essim/demo';
import type { HeldStretch } from './held-voice';
import { Mixer, STATUS, type MixerMessage } from './mixer';

const BLOCK = 128;
const { samples, truth } = singPhrases([3]);
const rate = truth.sampleRate;
const reading = readTake(samples, rate);
const analysis = analyseVoice([samples], rate, reading.f0, reading.hop);

/** The lead's longest note, brought to D4 as a part's words are. */
const longest = reading.notes.reduce((a, b) => (b.end - b.start > a.end - a.start ? b : a));
const REFERENCE = 62;
const from = Math.round((longest.start - 0.3) * rate);
const to = Math.round((longest.end + 0.3) * rate);
const stretch: HeldStretch = {
  note: {
    snapshot: analysis.snapshot(from, to),
    from,
    to,
    offsetCents: Float32Array.from(reading.f0, () => 100 * (REFERENCE - longest.pitch)),
    firstFrame: 0,
  },
  midi: REFERENCE,
  offset: 0,
  formantCents: 0,
};

/** A mixer whose part is silent but for what is held; it plays from so many seconds into the note on. */
function playing(after: number) {
  const status = new Float64Array(STATUS.size);
  const m = new Mixer(rate, status);
  const clip = { takeId: 'part', from: 0, to: Infinity, shift: 0, fadeIn: 0, fadeOut: 0, levelDb: 0 };
  m.receive({ kind: 'sources', sources: [{ id: 'part', sung: [new Float32Array(samples.length)] }] });
  m.receive({ kind: 'tracks', tracks: [{ id: 'p', clips: [{ sourceId: 'part', ...clipSamples(clip, rate) }] }] });
  m.receive({ kind: 'gains', gains: { p: [1, 1] } });
  m.receive({ kind: 'held', stretches: { p: stretch } });
  m.receive({ kind: 'play', at: Math.round((longest.start + after) * rate) });
  let frame = 0;
  const run = (seconds: number) => {
    const blocks = Math.round((seconds * rate) / BLOCK);
    const out = new Float32Array(blocks * BLOCK);
    const right = new Float32Array(BLOCK);
    for (let b = 0; b < blocks; b++, frame += BLOCK) m.process(out.subarray(b * BLOCK, (b + 1) * BLOCK), right, frame);
    return out;
  };
  const receive = (message: MixerMessage) => m.receive(message);
  return {
    status,
    run,
    receive,
    hold: (midi: number | null) => m.receive({ kind: 'hold', track: 'p', midi, pressed: frame }),
  };
}
const rms = (x: Float32Array) => Math.sqrt(x.reduce((s, v) => s + v * v, 0) / x.length);
/** Period of a sound by its autocorrelation, as MIDI. */
function pitchOf(x: Float32Array): number {
  let [best, at] = [0, 0];
  for (let lag = Math.round(rate / 700); lag < rate / 120; lag++) {
    let sum = 0;
    for (let i = 0; i + lag < x.length; i++) sum += x[i] * x[i + lag];
    if (sum > best) [best, at] = [sum, lag];
  }
  return 69 + 12 * Math.log2(rate / at / 440);
}

describe('a part that sings what is held', () => {
  it('is silent, sings the key within the block that follows it, and the next key from its first sample', () => {
    const { run, hold, status } = playing(0.05);
    expect(rms(run(0.1))).toBe(0);
    hold(65);
    const out = run(0.2);
    const first = out.findIndex(v => Math.abs(v) > 1e-6);
    expect(first).toBeGreaterThanOrEqual(0);
    expect(first).toBeLessThan(BLOCK);
    expect(status[STATUS.heldDelay]).toBe(BLOCK);
    // as loud as it is to be within its attack, and on its pitch from there
    expect(rms(out.subarray(0.01 * rate, 0.03 * rate))).toBeGreaterThan(
      0.5 * rms(out.subarray(0.1 * rate, 0.2 * rate)),
    );
    expect(pitchOf(out.subarray(0.01 * rate, 0.05 * rate))).toBeCloseTo(65, 0);
    hold(60);
    const next = run(0.2);
    expect(pitchOf(next.subarray(0.045 * rate, 0.15 * rate))).toBeCloseTo(60, 0);
  });

  it('comes and goes without a click, and gives its place back', () => {
    const { run, hold } = playing(0.05);
    const steepest = (x: Float32Array) => x.reduce((s, v, i) => Math.max(s, i ? Math.abs(v - x[i - 1]) : 0), 0);
    run(0.02);
    hold(64);
    const sung = run(0.25);
    hold(null);
    const after = run(0.3);
    expect(steepest(Float32Array.of(...sung.slice(0, 400)))).toBeLessThan(1.5 * steepest(sung.subarray(2000)));
    expect(Math.abs(after[0] - sung[sung.length - 1])).toBeLessThan(1.5 * steepest(sung.subarray(2000)));
    expect(rms(after.subarray(0.06 * rate))).toBe(0);
  });

  it('goes on where the song jumps to, and sings on when its words are made ready anew', () => {
    const { run, hold, receive } = playing(0.05);
    hold(64);
    run(0.05);
    receive({ kind: 'seek', at: Math.round((longest.start + 0.05) * rate) });
    const on = run(0.15).subarray(0.05 * rate);
    expect(pitchOf(on)).toBeCloseTo(64, 0);
    receive({ kind: 'held', stretches: { p: stretch } });
    expect(pitchOf(run(0.12).subarray(0.03 * rate))).toBeCloseTo(64, 0);
    receive({ kind: 'held', stretches: {} });
    expect(rms(run(0.05))).toBe(0);
  });
});
