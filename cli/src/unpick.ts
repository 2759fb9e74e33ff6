import { mixDown, unpick, writeSongMidi, type UnpickedNote } from '@essim/core';
import { basename, extname } from 'node:path';
import { inputFile, requireOutputs, UserError, writeAll } from './files';

export interface UnpickCommandOptions {
  output: string;
  voices?: number;
  json?: string;
}

/** Takes a recorded chord apart: a track a line, the highest first. */
export function unpickCommand(path: string, { output, voices, json }: UnpickCommandOptions): void {
  const input = inputFile(path);
  requireOutputs(output, json);
  const notes = unpick(mixDown(input.channels), input.sampleRate, voices ? { voices } : {});
  if (!notes?.length) throw new UserError(`${path}: no voices are heard in it`);
  const lines = Math.max(...notes.map(n => n.line)) + 1;
  const part = (line: number) => ({
    name: `Line ${line + 1}`,
    notes: notes.filter(n => n.line === line).map(asWritten),
  });
  const midi = writeSongMidi(
    {
      name: basename(path, extname(path)),
      tempo: null,
      key: null,
      chords: [],
      parts: Array.from({ length: lines }, (_, i) => part(i)).filter(p => p.notes.length),
    },
    { bends: true, evenVelocities: false },
  );
  const told = {
    notes: notes.map(({ start, end, midi: pitch, line }) => ({ start, end, pitch, line })),
  };
  writeAll([{ path: output, data: midi }, ...(json ? [{ path: json, data: JSON.stringify(told) }] : [])]);
}

/** At the nearest semitone, bent to where it lies. */
const asWritten = ({ start, end, midi, strength }: UnpickedNote) => ({
  start,
  end,
  midi: Math.round(midi),
  word: null,
  velocity: Math.max(0.25, Math.min(1, strength)),
  bend: [start, Math.round((midi - Math.round(midi)) * 100)],
});
