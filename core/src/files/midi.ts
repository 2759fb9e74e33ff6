import * as packaged from '@tonejs/midi';
import type { Midi, Seconds } from '../units';

// the package is CommonJS: bundlers show its names, Node shows them under default
const MidiFile = packaged.Midi ?? (packaged as unknown as { default: typeof packaged }).default.Midi;

/** Notes as a standard MIDI file of one track, each at its nearest semitone. @param bpm the tempo written into it */
export function writeMidi(
  name: string,
  notes: readonly { start: Seconds; end: Seconds; midi: Midi }[],
  bpm: number,
): Uint8Array {
  const file = new MidiFile();
  file.header.setTempo(bpm);
  file.header.name = name;
  const track = file.addTrack();
  track.name = name;
  for (const n of notes)
    track.addNote({
      midi: Math.max(0, Math.min(127, Math.round(n.midi))),
      time: Math.max(0, n.start),
      duration: Math.max(0.01, n.end - n.start),
      velocity: 0.8,
    });
  return file.toArray();
}
