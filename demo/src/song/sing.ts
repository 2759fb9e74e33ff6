import { perform, type Performance } from '../singer/perform';
import { VOICES } from '../singer/phonemes';
import { smallRoom } from '../singer/room';
import { DURATION, songScore, VOCALS } from './ferry-lamp';

/**
 * Sings one of the song's vocal tracks in its small room. Throws for a name that is not in VOCALS.
 * @param tract scale of the singer's formants: the same singing by somebody smaller or larger
 */
export function singVocal(name: string, tract = 1): Performance {
  const plan = VOCALS.find(v => v.name === name);
  if (!plan) throw new Error(`no vocal called ${name} in the demo song`);
  const own = VOICES[plan.voice];
  const voice = { ...own, tract: own.tract * tract, upper: own.upper * tract };
  const { samples, truth } = perform(songScore(plan.score), voice, {
    seed: plan.seed,
    duration: DURATION,
    gainDb: plan.gainDb,
  });
  return { samples: smallRoom(samples, plan.seed + 40), truth };
}
