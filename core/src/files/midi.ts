import { writeMidi as encoded, type MidiData, type MidiEvent } from 'midi-file';
import { BarGrid, type TempoMap } from '../music';
import { clamp, type Midi, type Seconds } from '../units';
import type { WrittenPart, WrittenSong } from './written';

/** Standard MIDI files (format 1). */

const TICKS = 480;
/** Pitch wheels of what is written here reach so far either way, semitones. */
const BEND_RANGE = 12;
const MOST_BEND = 8191;
/** Nothing shorter can be heard. */
const SHORTEST: Seconds = 0.01;

export interface MidiOptions {
  /** The pitch line as pitch bend; else notes on their steps. */
  bends: boolean;
  /** All notes as loud as each other. */
  evenVelocities: boolean;
}

/** An event at a tick; of several at one tick those with a lower rank come first. */
interface Timed {
  tick: number;
  rank: number;
  event: MidiEvent;
}

export const NO_TEMPO: TempoMap = { bpm: 120, beatsPerBar: 4, firstBarSeconds: 0 };

/**
 * A song's voices as a MIDI file: tempo map, key and chords in its first track, then a track a voice with its words. Tick 0 is the
 * song's zero; where bar 1 begins later, the first tempo holds before it.
 */
export function writeSongMidi(song: WrittenSong, { bends, evenVelocities }: MidiOptions): Uint8Array {
  const tempo = song.tempo ?? NO_TEMPO;
  const grid = new BarGrid(tempo);
  const zero = grid.beatAt(0);
  const tickAt = (t: Seconds) => Math.max(0, Math.round((grid.beatAt(t) - zero) * TICKS));
  const conductor: Timed[] = [
    { tick: 0, rank: 0, event: meta('trackName', { text: song.name }) },
    { tick: 0, rank: 1, event: meta('setTempo', { microsecondsPerBeat: Math.round(6e7 / grid.bpmAt(0)) }) },
    { tick: 0, rank: 1, event: timeSignature(tempo.beatsPerBar) },
  ];
  for (const c of tempo.changes ?? []) {
    const tick = Math.round((c.beat - zero) * TICKS);
    if (tick > 0)
      conductor.push({ tick, rank: 1, event: meta('setTempo', { microsecondsPerBeat: Math.round(6e7 / c.bpm) }) });
  }
  for (const m of tempo.metres ?? []) {
    const tick = Math.round((grid.beatOfBar(m.bar) - zero) * TICKS);
    if (tick > 0) conductor.push({ tick, rank: 1, event: timeSignature(m.beatsPerBar) });
  }
  if (song.key)
    conductor.push({
      tick: 0,
      rank: 1,
      event: meta('keySignature', { key: fifthsOf(song.key), scale: song.key.mode === 'minor' ? 1 : 0 }),
    });
  for (const c of song.chords)
    conductor.push({ tick: tickAt(c.start), rank: 2, event: meta('marker', { text: c.name }) });
  const tracks = song.parts.map((part, i) => trackOf(part, channelOf(i), tickAt, bends, evenVelocities));
  const data: MidiData = {
    header: { format: 1, numTracks: tracks.length + 1, ticksPerBeat: TICKS },
    tracks: [conductor, ...tracks].map(delta),
  };
  return Uint8Array.from(encoded(data));
}

/** A channel of its own for each voice, past that of the drums. */
const channelOf = (i: number): number => {
  const k = i % 15;
  return k < 9 ? k : k + 1;
};

const meta = (type: string, more: object): MidiEvent =>
  ({ deltaTime: 0, meta: true, type, ...more }) as unknown as MidiEvent;
const timeSignature = (numerator: number): MidiEvent =>
  meta('timeSignature', { numerator, denominator: 4, metronome: 24, thirtyseconds: 8 });

/** Sharps above 0, flats below, of a key's signature. */
export function fifthsOf({ tonic, mode }: { tonic: number; mode: 'major' | 'minor' }): number {
  const major = (tonic + (mode === 'minor' ? 3 : 0)) % 12;
  const sharps = (major * 7) % 12;
  return sharps > 6 ? sharps - 12 : sharps;
}

function trackOf(
  { name, notes }: WrittenPart,
  channel: number,
  tickAt: (t: Seconds) => number,
  bends: boolean,
  even: boolean,
): Timed[] {
  const out: Timed[] = [{ tick: 0, rank: 0, event: meta('trackName', { text: name }) }];
  const on = (tick: number, rank: number, type: string, more: object) =>
    out.push({ tick, rank, event: { deltaTime: 0, channel, type, ...more } as unknown as MidiEvent });
  if (bends) {
    // registered parameter 0: how far the wheel reaches
    for (const [controllerType, value] of [
      [101, 0],
      [100, 0],
      [6, BEND_RANGE],
      [38, 0],
    ])
      on(0, 1, 'controller', { controllerType, value });
  }
  let bent = 0;
  notes.forEach((n, i) => {
    const from = tickAt(n.start);
    const next = notes[i + 1] as (typeof notes)[number] | undefined;
    // one voice: what sounds on is let go before the next begins
    const end = Math.max(tickAt(n.end), tickAt(n.start + SHORTEST));
    const to = Math.max(from + 1, Math.min(end, next ? Math.max(from + 1, tickAt(next.start)) : Infinity));
    if (n.word) out.push({ tick: from, rank: 3, event: meta('lyrics', { text: n.word }) });
    const noteNumber = clamp(Math.round(n.midi), 0, 127);
    on(from, 4, 'noteOn', { noteNumber, velocity: even ? 96 : clamp(Math.round(127 * n.velocity), 1, 127) });
    on(to, 2, 'noteOff', { noteNumber, velocity: 64 });
    if (!bends) return;
    const bend = n.bend.length ? n.bend : [n.start, 0];
    for (let k = 0; k < bend.length; k += 2) {
      const value = clamp(Math.round((bend[k + 1] / 100 / BEND_RANGE) * 8192), -MOST_BEND, MOST_BEND);
      if (value === bent && k) continue;
      bent = value;
      on(k ? Math.min(to - 1, Math.max(from, tickAt(bend[k]))) : from, 3, 'pitchBend', { value });
    }
  });
  return out;
}

function delta(events: readonly Timed[]): MidiEvent[] {
  const sorted = [...events].sort((a, b) => a.tick - b.tick || a.rank - b.rank);
  let at = 0;
  const out = sorted.map(({ tick, event }) => {
    const deltaTime = tick - at;
    at = tick;
    return { ...event, deltaTime };
  });
  return [...out, { ...meta('endOfTrack', {}), deltaTime: 0 }];
}

/** Notes as a standard MIDI file of one track, each at its nearest semitone. @param bpm the tempo written into it */
export const writeMidi = (
  name: string,
  notes: readonly { start: Seconds; end: Seconds; midi: Midi }[],
  bpm: number,
): Uint8Array =>
  writeSongMidi(
    {
      name,
      tempo: { ...NO_TEMPO, bpm },
      key: null,
      chords: [],
      parts: [{ name, notes: notes.map(n => ({ ...n, word: null, velocity: 0.8, bend: [] })) }],
    },
    { bends: false, evenVelocities: false },
  );
