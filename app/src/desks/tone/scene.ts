import { trackColour } from '../../field/palette';
import { editTrackOf, editViewOf, useSession } from '../../open-song';
import type { ToneScene } from './draw';
import { phraseDb, tonedNoises, tonedNotes } from './tones';

let made: { of: unknown[]; scene: ToneScene } | null = null;

/** What the Tone desk shows now; the same object while nothing of it changed. */
export function toneScene(): ToneScene {
  const s = useSession.getState();
  const track = editTrackOf(s);
  const notes = tonedNotes(s);
  const noises = tonedNoises(s);
  const levels = phraseDb(s);
  const of = [track, notes, noises, levels];
  if (made && made.of.every((v, i) => v === of[i])) return made.scene;
  const ready = editViewOf(s).status === 'ready';
  const scene: ToneScene = {
    colour: track ? trackColour(track) : 'teal',
    notes,
    noises,
    phraseDb: levels,
    listening: ready && notes.length > 0 && notes.every(n => !n.colour),
  };
  made = { of, scene };
  return scene;
}
