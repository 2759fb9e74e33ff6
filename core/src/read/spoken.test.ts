import { midiToHz } from '../units';
import { HOP } from './reading';
import { findSpoken } from './spoken';

/** A second and a half of voice after a rest; MIDI at each moment of it, s. */
function voice(pitch: (t: number) => number): Float32Array {
  return Float32Array.from({ length: 500 }, (_, k) =>
    k * HOP < 0.5 || k * HOP >= 2 ? 0 : midiToHz(pitch(k * HOP - 0.5)),
  );
}
const talk = (t: number) => 48 + 2 * Math.sin(6 * t) + 1.6 * Math.sin(14 * t + 1);

describe('what is spoken', () => {
  it('is voice whose pitch never stays', () => {
    const [span] = findSpoken(voice(talk));
    expect(span.start).toBeCloseTo(0.5, 2);
    expect(span.end).toBeCloseTo(2, 2);
  });

  it('is neither a held note with vibrato, nor a run of quick ones', () => {
    expect(findSpoken(voice(t => 57 + 0.4 * Math.sin(35 * t)))).toEqual([]);
    const scale = [57, 59, 61, 62, 64, 66, 68, 69, 68, 66, 64];
    // seven notes a second, each reached by a slide of 50 ms
    const run = (t: number) => {
      const i = Math.floor(t / 0.14);
      const into = Math.min(1, (t - 0.14 * i) / 0.05);
      return scale[i] + (1 - into) * ((scale[i - 1] ?? scale[i]) - scale[i]);
    };
    expect(findSpoken(voice(run))).toEqual([]);
  });

  it('is no run of syllables either whose pitch sinks within each, for it leaps between them', () => {
    const steps = [55, 57.2, 59.6, 57, 53.3, 59, 55, 60, 57, 54];
    const syllables = (t: number) => {
      const i = Math.floor(t / 0.15);
      const into = Math.min(1, (t - 0.15 * i) / 0.045);
      const sinking = 0.22 - 2.95 * (t - 0.15 * i) + 0.15 * Math.sin(60 * t);
      return steps[i] + (1 - into) * ((steps[i - 1] ?? steps[i]) - steps[i]) + sinking;
    };
    expect(findSpoken(voice(syllables))).toEqual([]);
  });
});
