import { singPhrases } from '@essim/demo';
import { readTake } from '../read';
import { analyseVoice, neutralPlan, renderAll, voiceFromSnapshot, VoiceStream } from '.';

const { samples, truth } = singPhrases([3]);
const rate = truth.sampleRate;
const reading = readTake(samples, rate);
const analysis = analyseVoice([samples], rate, reading.f0, reading.hop);
const same = (a: Float32Array, b: Float32Array) => a.length === b.length && a.every((v, i) => Object.is(v, b[i]));

/** Plays blocks of 128, as an audio thread does. */
function played(stream: VoiceStream, blocks: number, each: (block: number) => void = () => {}): Float32Array {
  const out = new Float32Array(blocks * 128);
  for (let b = 0; b < blocks; b++) {
    each(b);
    stream.process([out.subarray(b * 128, (b + 1) * 128)]);
  }
  return out;
}

const all = Math.floor(samples.length / 128);

describe('a voice played live', () => {
  it('gives what its plan, rendered afterwards, gives, whatever was asked while it sounded', () => {
    const stream = new VoiceStream(analysis);
    const out = played(stream, all, b => {
      if (b === 100) stream.ask({ offsetCents: 300 });
      if (b === 400) stream.ask({ offsetCents: -500, formantCents: 200 });
      if (b === 700) stream.ask({ levelDb: -6, formantCents: -300 });
      if (b === 900) stream.ask({ offsetCents: 1200, levelDb: 0 });
    });
    expect(new Set(stream.plan.offsetCents).size).toBeGreaterThan(20);
    const [rendered] = renderAll(analyseVoice([samples], rate, reading.f0, reading.hop), stream.plan);
    expect(same(out, rendered.slice(0, out.length))).toBe(true);
  });

  it('adds what is asked to the plan it begins with, wherever it begins', () => {
    const base = neutralPlan(reading.f0.length, reading.hop);
    base.offsetCents.fill(200);
    const from = 128 * Math.round(rate / 128);
    const stream = new VoiceStream(analysis, base, { offsetCents: 100, formantCents: 0, levelDb: 0 }, from);
    const out = played(stream, 400);
    expect(stream.position).toBe(from + 400 * 128);
    const k = Math.round(1.5 / reading.hop);
    expect(stream.plan.offsetCents[k]).toBe(300);
    const [rendered] = renderAll(analysis, stream.plan);
    expect(same(out, rendered.slice(from, from + out.length))).toBe(true);
  });

  it('begun again plays what a new one would, whatever was asked before', () => {
    const base = neutralPlan(reading.f0.length, reading.hop);
    base.offsetCents.fill(-120);
    const from = 128 * Math.round((0.4 * rate) / 128);
    const stream = new VoiceStream(analysis, base, { offsetCents: 0, formantCents: 0, levelDb: 0 }, from);
    played(stream, 300, b => b === 50 && stream.ask({ offsetCents: 700, formantCents: 90, levelDb: -4 }));
    const wish = { offsetCents: 250, formantCents: 0, levelDb: -1 };
    stream.ask(wish);
    stream.restart(from);
    expect(same(played(stream, 300), played(new VoiceStream(analysis, base, wish, from), 300))).toBe(true);
  });

  it('goes to what is asked without a click', () => {
    const stream = new VoiceStream(analysis);
    const out = played(stream, all, b => {
      if (b % 50 === 0) stream.ask({ offsetCents: (b % 100) * 14 - 350, levelDb: b % 100 ? -3 : 0 });
    });
    const steepest = (x: Float32Array) => x.reduce((s, v, i) => Math.max(s, i ? Math.abs(v - x[i - 1]) : 0), 0);
    expect(steepest(out)).toBeLessThan(1.9 * steepest(samples));
  });

  it('plays the same from a snapshot of its stretch', () => {
    const note = reading.notes.find(n => n.end - n.start > 0.4)!;
    const from = Math.round(note.start * rate);
    const to = Math.round(note.end * rate);
    const snapshot = analysis.snapshot(from, to);
    expect(snapshot.source[0].length).toBeLessThan(samples.length);
    const copy = voiceFromSnapshot(structuredClone(snapshot));
    const wish = { offsetCents: 150, formantCents: 0, levelDb: 0 };
    const blocks = Math.floor((to - from) / 128);
    const here = played(new VoiceStream(analysis, null, wish, from), blocks);
    const there = played(new VoiceStream(copy, null, wish, from), blocks);
    expect(same(here, there)).toBe(true);
  });
});
