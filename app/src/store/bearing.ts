import {
  leadTakeOf,
  SetNoteEdits,
  SetTrack,
  partEdits,
  TimeMap,
  type Command,
  type Meeting,
  type NoteEdit,
  type NoteFacts,
  type Song,
  type Span,
  type Take,
  type Track,
} from '@essim/core';
import { bentOf, meetingsOf, Place } from './placing';
import { scaleAtOf, songOf, viewOf, type SessionState } from './state';

/** What a track asks of its take's sound besides the edits of its notes, ready to be posted to a worker. Take time. */
export interface Bearing {
  /** Take time to heard time. */
  time?: Meeting[];
  /**
   * How far pitch and level lean, 0..100; the lead's line (MIDI) and loudness (dB) a frame of the song; where in the song each moment
   * of the take has its counterpart, and the stretches of the take that have none or are left as sung.
   */
  lean?: {
    pitch: number;
    level: number;
    lead: Float32Array;
    leadDb: Float32Array;
    counterpart: Meeting[];
    alone: Span[];
  };
  part?: { scatter: { time: number; pitch: number; seed: number }; formant: number; spans: Span[] | null };
}

/** Whether a track takes more of its lead than its timing. */
export const leans = ({ align }: Track): boolean => !!align && (align.lean > 0 || align.levelLean > 0);

/** How a take of a track is to sound besides its notes' edits; null for a track that is only sung. */
export function bearingOf(s: SessionState, track: Track, take: Take): Bearing | null {
  const song = songOf(s);
  if (!song) return null;
  const bent = bentOf(track);
  const out: Bearing = {};
  const shift = take.offsetSeconds;
  if (bent) out.time = new Place(shift, bent).takeMap()!.toJSON();
  if (track.part) {
    const { scatterTime, scatterPitch, seed, formant, spans } = track.part;
    const bentTo = (t: number) => (bent ? bent.backward(t) : t) - shift;
    out.part = {
      scatter: { time: scatterTime, pitch: scatterPitch, seed },
      formant,
      spans: spans?.map(p => ({ start: bentTo(p.start), end: bentTo(p.end) })) ?? null,
    };
    return out;
  }
  const lead = track.followsId && song.tracks.find(t => t.id === track.followsId);
  if (lead && track.found && leans(track)) {
    const { line, reading } = viewOf(s, lead.id);
    const { lean, levelLean, asSung } = track.align!;
    const counterpart = TimeMap.shift(shift).then(TimeMap.through(meetingsOf(track.found.points)));
    if (line.length && reading)
      out.lean = {
        pitch: lean,
        level: levelLean,
        lead: line,
        leadDb: reading.levelDb,
        counterpart: counterpart.toJSON(),
        alone: [...track.found.apart, ...asSung].map(a => ({ start: a.start - shift, end: a.end - shift })),
      };
  }
  return out.time || out.lean ? out : null;
}

/** The track a part is made from. */
export const sourceOfPart = (song: Song, track: Track): Track | undefined =>
  track.part ? song.tracks.find(t => t.id === track.part!.fromId) : undefined;

/** Edits of a take as they count: its own, and for a part what its rule makes of the lead's. */
export function countingEdits(
  s: SessionState,
  track: Track,
  take: Take,
  notes: readonly NoteFacts[] | undefined,
): Record<string, NoteEdit> {
  const song = songOf(s);
  const lead = song && sourceOfPart(song, track);
  if (!lead || !track.part || !notes) return take.edits;
  const scaleAt = scaleAtOf(s);
  const edits = leadTakeOf(track, lead, take.id)?.edits ?? {};
  return partEdits(notes, edits, take.edits, track.part, t => scaleAt(t + take.offsetSeconds));
}

/** Commands that make parts of a track stand on their own, with the notes they have now: for when it is deleted. */
export function freedParts(s: SessionState, label: string, lead: Track): Command[] {
  return (songOf(s)?.tracks ?? [])
    .filter(t => t.part?.fromId === lead.id)
    .flatMap(t => [
      ...t.takes.map(
        take => new SetNoteEdits(label, t.id, take.id, countingEdits(s, t, take, s.takes[take.id]?.notes)),
      ),
      new SetTrack(label, t.id, { part: null }),
    ]);
}
