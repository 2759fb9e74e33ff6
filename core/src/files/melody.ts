import * as packaged from '@tonejs/midi';
import type { Midi, Seconds } from '../units';

// the package is CommonJS: bundlers show its names, Node shows them under default
const MidiFile = packaged.Midi ?? (packaged as unknown as { default: typeof packaged }).default.Midi;

export interface GuideNote {
  start: Seconds;
  end: Seconds;
  midi: Midi;
}

/**
 * Notes of a standard MIDI file as a melody guide, in time order: the track with most notes.
 * @throws Error saying why it cannot be used
 */
export function readMelody(bytes: Uint8Array): GuideNote[] {
  if (String.fromCharCode(...bytes.subarray(0, 4)) !== 'MThd') throw new Error('this is not a MIDI file');
  let file: packaged.Midi;
  try {
    file = new MidiFile(bytes);
  } catch {
    throw new Error('this MIDI file is damaged');
  }
  const [track] = [...file.tracks].sort((a, b) => b.notes.length - a.notes.length);
  if (!track?.notes.length) throw new Error('there are no notes in this MIDI file');
  return track.notes
    .map(n => ({ start: n.time, end: n.time + n.duration, midi: n.midi }))
    .sort((a, b) => a.start - b.start);
}
