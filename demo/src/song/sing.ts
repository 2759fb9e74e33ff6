import { perform, type Performance } from '../singer/perform';
import { smallRoom } from '../singer/room';
import { DURATION, songScore, VOCALS } from './ferry-lamp';

/** Sings one of the song's vocal tracks in its small room. Throws for a name that is not in VOCALS. */
export function singVocal(name: string): Performance {
  const plan = VOCALS.find(v => v.name === name);
  if (!plan) throw new Error(`no vocal called ${name} in the demo song`);
  const { samples, truth } = perform(songScore(plan.score), plan.voice, {
    seed: plan.seed,
    duration: DURATION,
    gainDb: plan.gainDb,
  });
  return { samples: smallRoom(samples, plan.seed + 40), truth };
}
