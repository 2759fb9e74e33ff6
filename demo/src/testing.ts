import { perform, type Performance } from './singer/perform';
import { smallRoom } from './singer/room';
import { songScore } from './song/ferry-lamp';

/** Singing with known truth for tests: the demo song's phrases by any voice. For tests and bench. */
export function singPhrases(
  phrases: number[],
  {
    seed = 5,
    voice = 'tenor',
    transposeCents = 0,
    marks = {},
  }: { seed?: number; voice?: string; transposeCents?: number; marks?: Parameters<typeof songScore>[0]['marks'] } = {},
): Performance {
  const score = songScore({ seed, phrases, marks });
  const first = Math.min(...score.map(s => s.t)) - 1;
  for (const s of score) s.t -= first;
  const last = score[score.length - 1];
  const { samples, truth } = perform(score, voice, {
    seed: seed + 100,
    duration: last.t + last.duration + 0.6,
    transposeCents,
  });
  return { samples: smallRoom(samples, seed), truth };
}
