import * as Comlink from 'comlink';
import { perform, PHRASES, SAMPLE_RATE, smallRoom, songScore, type Syllable } from '@essim/demo';
import { seededRandom, resample } from '@essim/core';

/**
 * The singer behind the simulated microphone: sings the demo song's lead, or its words on another melody, each time with fresh mistakes.
 */
type Melody = readonly { start: number; end: number; midi: number }[];

/** A syllable at the pitch of what is sung meanwhile; where the melody rests there is none. */
function onMelody(s: Syllable, melody: Melody): Syllable[] {
  const overlap = (n: Melody[number]) => Math.min(n.end, s.t + s.duration) - Math.max(n.start, s.t);
  const note = melody.reduce<Melody[number] | null>((m, n) => (overlap(n) > (m ? overlap(m) : 0.05) ? n : m), null);
  return note ? [{ ...s, notes: [{ ...s.notes[0], midi: note.midi, at: 0 }] }] : [];
}

const job = {
  /** What the microphone brings from one moment of the song to another. */
  async sing(
    from: number,
    to: number,
    seed: number,
    sampleRate: number,
    melody: Melody | null = null,
  ): Promise<Float32Array> {
    const random = seededRandom(seed);
    const marks: Record<string, { cents?: number; late?: number; scoopCents?: number; gainDb?: number }> = {};
    PHRASES.forEach((p, i) =>
      p.line.forEach((_, k) => {
        if (random.uniform() > 0.16) return;
        const kind = Math.floor(random.uniform() * 4);
        const sign = random.uniform() < 0.6 ? -1 : 1;
        marks[`${i}.${k}`] = [
          { cents: sign * (25 + 35 * random.uniform()) },
          { late: 0.05 + 0.07 * random.uniform() },
          { scoopCents: 140 + 120 * random.uniform() },
          { gainDb: sign * 4 },
        ][kind];
      }),
    );
    const own = songScore({ seed, marks, tune: 10 + 8 * random.uniform(), loose: 0.012 + 0.012 * random.uniform() });
    const score = melody ? own.flatMap(s => onMelody(s, melody)) : own;
    const lead = 1;
    const sung = score.filter(s => s.t + s.duration > from - lead && s.t < to);
    const length = Math.max(0.1, to - from);
    if (!sung.length) return new Float32Array(Math.round(length * sampleRate));
    for (const s of sung) s.t += lead - from;
    const { samples } = perform(sung, 'tenor', { seed: seed + 7, duration: length + lead + 0.5 });
    const room = smallRoom(samples, seed + 40).subarray(Math.round(lead * SAMPLE_RATE));
    const cut = room.slice(0, Math.round(length * SAMPLE_RATE));
    const out = await resample(cut, SAMPLE_RATE, sampleRate);
    return Comlink.transfer(out, [out.buffer]);
  },
};
export type SimulatedSinger = typeof job;
Comlink.expose(job);
