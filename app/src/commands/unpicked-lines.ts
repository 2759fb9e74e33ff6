import { addTrack, counted, guideFrom, tidyFileName, Track, writeSongMidi } from '@essim/core';
import { download } from '../exchange/download';
import { newId } from '../keeping/ids';
import { act, change, editTrack, seek, songOf, useSession } from '../open-song';
import { makeParts } from './parts';
import { asPlayed, lineName, lineOf, linesOf, type Unpicked } from './unpicking';

/** What becomes of unpicked lines: parts, guides, MIDI, and tracks to sing them on. */

/** So long before the first note one begins to record, s. */
const BREATH = 0.5;

/** A track of its own for somebody who is to sing a line, with the line as its guide: heard in the headphones, and what takes are judged by. */
export function trackToSing(found: Unpicked, line: number): string | null {
  const song = songOf(useSession.getState());
  if (!song) return null;
  const notes = lineOf(found, line).map(asPlayed);
  const track = Object.assign(new Track(), {
    id: newId(),
    name: lineName(found, line),
    role: 'harmony',
    guide: guideFrom(`${lineName(found, line)} of ${found.name}`.slice(0, 200), notes),
  });
  if (
    !change(
      `Make a track to sing: ${track.name}, ${counted(notes.length, 'note')}`,
      addTrack(track, song.tracks.length),
    )
  )
    return null;
  editTrack(track.id);
  // a bar's count-in comes before that
  if (notes.length) seek(Math.max(0, notes[0].start - BREATH));
  return track.id;
}

const rowsOf = (found: Unpicked, line: number) =>
  lineOf(found, line)
    .map(asPlayed)
    .map(n => [n.start, n.end, n.midi] as const);

/** A part of a voice that sings a line. */
export const singLine = (found: Unpicked, line: number, lead: Track): void =>
  makeParts('part-from', { notes: rowsOf(found, line), name: lineName(found, line) }, lead);

/** A line as the melody that a track is meant to sing. */
export const guideByLine = (found: Unpicked, line: number, track: Track): boolean =>
  act(
    'guide',
    { notes: rowsOf(found, line), offset: 0 },
    { target: { tracks: [{ track, parts: [] }], span: null, broad: true } },
  );

export function unpickedAsMidi(found: Unpicked): void {
  const song = songOf(useSession.getState())!;
  const parts = linesOf(found).map(line => ({
    name: lineName(found, line),
    notes: lineOf(found, line).map(n => ({
      ...asPlayed(n),
      word: null,
      velocity: Math.max(0.25, Math.min(1, n.strength)),
      bend: [],
    })),
  }));
  const bytes = writeSongMidi(
    { name: found.name, tempo: song.tempo, key: song.key, chords: song.chords, parts },
    { bends: false, evenVelocities: false },
  );
  download(
    `${tidyFileName(found.name) || 'Chord'}.mid`,
    new Blob([bytes as Uint8Array<ArrayBuffer>], { type: 'audio/midi' }),
  );
}
