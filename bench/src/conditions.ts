import { dbToGain, mixDown, seededRandom, sincAt } from '@essim/core';
import { backing, hall, perform, SAMPLE_RATE, smallRoom, songScore, type Performance } from '@essim/demo';

/** What happens to a voice on its way into a file. Each returns a new performance with the same truth. */
export type Condition = (p: Performance, seed: number) => Performance;

const rms = (x: Float32Array): number => Math.sqrt(x.reduce((s, v) => s + v * v, 0) / x.length);
const scaled = (p: Performance, gain: number): Performance => ({ ...p, samples: p.samples.map(v => v * gain) });
const mixed = (p: Performance, other: (i: number) => number): Performance => ({
  ...p,
  samples: p.samples.map((v, i) => v + other(i)),
});

/** The song's backing as the singer's headphones spill it: thin and so many dB under the voice. */
const bleed = (db: number): Condition => {
  let music: Float32Array | undefined;
  return p => {
    if (!music) {
      const full = mixDown(backing());
      let low = 0;
      music = full.map(v => v - (low += 0.03 * (v - low)));
    }
    const spill = music;
    const gain = (rms(p.samples) / rms(spill)) * dbToGain(db);
    return mixed(p, i => spill[(i + 3 * SAMPLE_RATE) % spill.length] * gain);
  };
};

export const CONDITIONS: Record<string, Condition> = {
  'noise at -30 dB': (p, seed) => {
    const random = seededRandom(seed);
    const gain = rms(p.samples) * dbToGain(-30) * Math.sqrt(3);
    return mixed(p, () => (random.uniform() * 2 - 1) * gain);
  },
  'headphone bleed at -35 dB': bleed(-35),
  'light reverb': (p, seed) => ({ ...p, samples: hall(p.samples, seed % 7, 0.06) }),
  clipped: p => {
    const top = p.samples.reduce((m, v) => Math.max(m, Math.abs(v)), 0);
    return { ...p, samples: p.samples.map(v => Math.max(-1, Math.min(1, (v / top) * 2))) };
  },
  'quiet, -38 dB': p => scaled(p, dbToGain(-38)),
  stereo: (p, seed) => {
    const random = seededRandom(seed);
    const left = p.samples.map(v => 0.9 * v + 2e-4 * (random.uniform() - 0.5));
    const right = p.samples.map((_, i) => 0.6 * (p.samples[i - 12] ?? 0) + 2e-4 * (random.uniform() - 0.5));
    return { ...p, samples: mixDown([left, right]) };
  },
  '44.1 kHz': p => {
    const step = SAMPLE_RATE / 44100;
    const samples = Float32Array.from({ length: Math.floor(p.samples.length / step) }, (_, i) =>
      sincAt(p.samples, i * step),
    );
    return { samples, truth: { ...p.truth, sampleRate: 44100 } };
  },
};

/** A phrase sung, one talked, one sung: by a seed, nothing tuned on it. */
export function talkedBetween(seed: number, voice: string): Performance {
  const score = songScore({ seed, phrases: [0, 2, 5] });
  const first = score.findIndex(s => s.phrase === 2);
  const random = seededRandom(seed + 7);
  let t = score[first].t;
  for (const s of score) {
    if (s.phrase !== 2) continue;
    Object.assign(s, {
      t,
      duration: 0.15 + 0.09 * random.uniform(),
      spoken: true,
      vibrato: 0,
      notes: s.notes.slice(0, 1),
    });
    t += s.duration + (random.uniform() < 0.2 ? 0.12 : 0);
  }
  const last = score[score.length - 1];
  const { samples, truth } = perform(score, voice, { seed: seed + 1, duration: last.t + last.duration + 0.6 });
  return { samples: smallRoom(samples, seed), truth };
}
