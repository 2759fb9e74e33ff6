import { Stopped, type Take } from '@essim/core';
import { opened, songOf, useSession, type Sound } from './state';

/** How often it is looked whether a recording is there, ms. */
const LOOK_EVERY = 50;

/**
 * A take's recording. A song is seen before its recordings are there; what needs one that is on its way waits for it.
 * @param stopped whether nobody wants it any more @throws Error when it cannot be had; Stopped
 */
export async function soundOf(take: Take, stopped: () => boolean = () => false): Promise<Sound> {
  const open = opened();
  for (;;) {
    if (!open || opened() !== open) throw new Error('the song was closed');
    const sound = open.sounds.get(take.id);
    if (sound) return sound;
    if (stopped()) throw new Stopped('it was stopped');
    const { takes } = useSession.getState();
    const gone = !songOf(useSession.getState())?.tracks.some(t => t.takes.some(k => k.id === take.id));
    if (gone || ['failed', 'stopped'].includes(takes[take.id]?.status))
      throw new Error(`${take.name} could not be loaded`);
    await new Promise(r => setTimeout(r, LOOK_EVERY));
  }
}
