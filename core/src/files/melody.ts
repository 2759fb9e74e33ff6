import * as packaged from '@tonejs/midi';
import type { Midi, Seconds } from '../units';
import { midiFault } from './midi-check';

// the package is CommonJS: bundlers show its names, Node shows them under default
const MidiFile = packaged.Midi ?? (packaged as unknown as { default: typeof packaged }).default.Midi;

export interface GuideNote {
  start: Seconds;
  end: Seconds;
  midi: Midi;
}

function midiFile(bytes: Uint8Array): packaged.Midi {
  if (String.fromCharCode(...bytes.subarray(0, 4)) !== 'MThd') throw new Error('it is not a MIDI file');
  const fault = midiFault(bytes);
  if (fault) throw new Error(`this MIDI file is damaged: ${fault}`);
  try {
    return new MidiFile(bytes);
  } catch {
    throw new Error('this MIDI file is damaged');
  }
}

/** Tempo and metre of a MIDI file, beats being quarters. */
export interface MidiTempo {
  bpm: number;
  beatsPerBar: number;
  changes: { beat: number; bpm: number }[];
  metres: { bar: number; beatsPerBar: number }[];
}

/**
 * The tempo map of a standard MIDI file. Metres are counted in quarters (6/8 becomes 3).
 * @throws Error saying why it cannot be used
 */
export function readTempoMap(bytes: Uint8Array): MidiTempo {
  const { header } = midiFile(bytes);
  if (!header.tempos.length) throw new Error('there is no tempo in this MIDI file');
  const round = (bpm: number) => Math.round(bpm * 1000) / 1000;
  const changes = header.tempos.map(t => ({ beat: t.ticks / header.ppq, bpm: round(t.bpm) }));
  const wrong = changes.find(c => !(c.bpm >= 20 && c.bpm <= 400));
  if (wrong) throw new Error(`it holds a tempo of ${wrong.bpm} bpm; Essim takes 20 to 400`);
  const metres: { bar: number; beatsPerBar: number }[] = [];
  let beat = 0;
  let bar = 1;
  let beatsPerBar = 4;
  for (const m of header.timeSignatures) {
    const at = m.ticks / header.ppq;
    bar += Math.round((at - beat) / beatsPerBar);
    beat = at;
    beatsPerBar = Math.max(1, Math.round((m.timeSignature[0] * 4) / m.timeSignature[1]));
    metres.push({ bar, beatsPerBar });
  }
  return {
    bpm: changes[0].bpm,
    beatsPerBar: metres[0]?.bar === 1 ? metres[0].beatsPerBar : 4,
    changes: changes.filter((c, i) => c.beat > 0 && c.bpm !== changes[i - 1]?.bpm),
    metres: metres.filter(m => m.bar > 1),
  };
}

/** A track of a MIDI file with its notes in time order. */
export interface GuideTrack {
  name: string;
  notes: GuideNote[];
}

/**
 * Tracks of a standard MIDI file that have notes.
 * @throws Error saying why it cannot be used
 */
export function readMelodies(bytes: Uint8Array): GuideTrack[] {
  const file = midiFile(bytes);
  const tracks = file.tracks.map((t, i) => ({
    name: t.name.trim() || `track ${i + 1}`,
    notes: t.notes
      .map(n => ({ start: n.time, end: n.time + n.duration, midi: n.midi }))
      .filter(n => Number.isFinite(n.start) && n.end > n.start && n.end < 86400 && n.midi >= 0 && n.midi <= 127)
      .sort((a, b) => a.start - b.start),
  }));
  if (!file.tracks.some(t => t.notes.length)) throw new Error('there are no notes in this MIDI file');
  const good = tracks.filter(t => t.notes.length);
  if (!good.length) throw new Error('no note in this MIDI file has a time');
  return good;
}

/**
 * Notes of a standard MIDI file as a melody guide, in time order: the track with most notes.
 * @throws Error saying why it cannot be used
 */
export const readMelody = (bytes: Uint8Array): GuideNote[] =>
  readMelodies(bytes).reduce((a, b) => (b.notes.length > a.notes.length ? b : a)).notes;
