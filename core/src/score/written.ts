import type { WrittenNote, WrittenSong } from '../files/written';
import { HOP } from '../read';
import { wordOver, type Track } from '../song';
import { clamp, midiToHz, type Cents, type Seconds } from '../units';
import type { Score } from './score';
import type { TrackView } from './track-view';
import { referenceCents, stepMeant } from './tuning';

/** What the voices of a song sing, to be written down. */

/** A moment of the pitch line is told every so often. */
const BEND_EVERY: Seconds = 0.01;
/** Shorter notes are slips of the reading. */
export const GLITCH: Seconds = 0.05;
/** What is as loud as the loudest is this, and so many dB under it the softest. */
const LOUDEST = 0.95;
const SOFTEST = 0.25;
const RANGE_DB = 24;

/** @param score its views have lines as they are planned */
export function writtenSong(score: Score, tracks: readonly Track[]): WrittenSong {
  const { song } = score;
  return {
    name: song.name,
    tempo: song.tempo,
    key: score.key.key,
    chords: song.chords.map(({ start, name }) => ({ start, name })),
    parts: tracks.map(t => ({ name: t.name, notes: writtenNotes(score, t) })),
  };
}

function writtenNotes(score: Score, { id }: Track): WrittenNote[] {
  const view = score.view(id);
  const reference: Cents = referenceCents(score.song);
  const line = view.line.length ? view.line : view.sungLine;
  const levels = view.reading?.levelDb;
  const loudest = levels ? Math.max(...view.notes.map(n => levels[Math.round((n.start + n.end) / 2 / HOP)] ?? -90)) : 0;
  const begun = new Set<object>();
  return view.notes.flatMap((n): WrittenNote[] => {
    const edit = view.edits[n.key] as (typeof view.edits)[string] | undefined;
    if (edit?.silent || n.end - n.start < GLITCH) return [];
    const at = edit?.target ?? n.sung;
    const midi = Math.round(stepMeant(score.scaleAt(n.start), at) - reference / 100);
    const bend: number[] = [];
    for (let t = n.start; t < n.end; t += BEND_EVERY) {
      const heard = line[Math.round(t / HOP)];
      if (Number.isFinite(heard) && heard > 0) bend.push(t, Math.round((heard - midi) * 100));
    }
    const word = wordOver(view.words, n);
    const first = word && !begun.has(word);
    if (first) begun.add(word);
    const level = levels?.[Math.round((n.start + n.end) / 2 / HOP)] ?? loudest;
    return [
      {
        start: n.start,
        end: n.end,
        midi,
        word: first ? word.text : null,
        velocity: clamp(LOUDEST + ((level - loudest) / RANGE_DB) * (LOUDEST - SOFTEST), SOFTEST, LOUDEST),
        bend,
      },
    ];
  });
}

/** A track's pitch as a table, a row every 5 ms: when, what is heard and what was sung, MIDI and Hz; empty where nothing is pitched. */
export function pitchLineCsv({ line, sungLine }: Pick<TrackView, 'line' | 'sungLine'>): string {
  const rows = ['seconds,midi,hz,sung_midi,sung_hz'];
  const told = (m: number) => (m > 0 ? `${m.toFixed(3)},${midiToHz(m).toFixed(2)}` : ',');
  for (let k = 0; k < Math.max(line.length, sungLine.length); k++) {
    const [now, sung] = [line.length ? line[k] : sungLine[k], sungLine[k]];
    if (now > 0 || sung > 0) rows.push(`${(k * HOP).toFixed(3)},${told(now)},${told(sung)}`);
  }
  return `${rows.join('\n')}\n`;
}

/** How a track is turned for a mix to practise with: the one in front up and in the middle, the others back. */
export const practiceLevel = (
  track: Pick<Track, 'id' | 'levelDb' | 'pan'>,
  frontId: string,
): { levelDb: number; pan: number } =>
  track.id === frontId
    ? { levelDb: Math.max(track.levelDb, 0) + FRONT_DB, pan: 0 }
    : { levelDb: track.levelDb - BACK_DB, pan: track.pan };
const FRONT_DB = 2;
const BACK_DB = 9;
