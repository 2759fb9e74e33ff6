import {
  BANDS,
  clickGains,
  median,
  noiseDb,
  noisesOf,
  noteColour,
  noteLoudness,
  Refused,
  stackLeadOf,
  usualBeside,
  wordOver,
  type Noise,
  type NoteEdit,
  type TargetNote,
  type TrackNote,
} from '@essim/core';
import { editTrackOf, scoreOf, songOf, viewOf, type SessionState } from '../../open-song';

/** The edited track by how loud and how coloured its notes are, and what lies between them. */

export interface TonedNote {
  key: string;
  word: string;
  start: number;
  end: number;
  edit: NoteEdit | undefined;
  /** Beside its phrase, as sung and as it is, dB; null while its sound is not known. */
  sungDb: number | null;
  nowDb: number | null;
  /** What each band has more than the track's notes have on the whole, dB, as sung; null as above. */
  colour: Float32Array | null;
  /** What its edit adds to each band. */
  added: number[] | null;
}

export interface TonedNoise {
  kind: Noise['kind'];
  start: number;
  end: number;
  /** Over the voice beside it, as sung and as it is, and what is usual, dB. */
  sungDb: number;
  nowDb: number;
  usualDb: number;
  /** Where the lead has one of its kind too. */
  together: boolean;
}

/** How loud a phrase is: the middle of its notes, in the level the reading tells; one a note. */
const phraseLevels = new WeakMap<readonly TrackNote[], Float32Array>();

/** A click is drawn as high as it stands out of this, dB. */
const CLICK_DB = -40;

const TILT = { about: 2000, full: 8000 };

let made: { of: unknown[]; notes: TonedNote[] } | null = null;
export function tonedNotes(s: SessionState): TonedNote[] {
  const track = editTrackOf(s);
  if (!track) return [];
  const view = viewOf(s, track.id);
  const sounds = [...new Set(view.notes.map(n => n.takeId))].map(id => s.takes[id]?.sound);
  const of = [view, view.edits, songOf(s), ...sounds];
  if (made && made.of.length === of.length && made.of.every((v, i) => v === of[i])) return made.notes;
  const stage = { score: scoreOf(s), target: { tracks: [], span: null, broad: true }, newId: () => '' };
  const target = (note: TrackNote): TargetNote => ({
    track,
    note,
    part: { key: note.key, start: note.start, end: note.end, whole: true, mostly: true },
  });
  const known = <T>(make: () => T): T | null => {
    try {
      return make();
    } catch (error) {
      if (error instanceof Refused) return null;
      throw error;
    }
  };
  const loud = view.notes.map(n => known(() => noteLoudness(stage, target(n))));
  const phraseOf = view.notes.map(n => view.phrases.findLastIndex(p => p.start <= (n.start + n.end) / 2));
  const middles = new Map<number, number>();
  for (const p of new Set(phraseOf)) {
    const of = loud.filter((l, i): l is number => l !== null && phraseOf[i] === p);
    if (of.length) middles.set(p, median(of));
  }
  const colours = view.notes.map(n => known(() => noteColour(stage, target(n))));
  const sung = colours.filter(c => c !== null);
  const whole = BANDS.map((_, b) => sung.reduce((sum, c) => sum + c[b], 0) / Math.max(1, sung.length));
  const notes = view.notes.map((n, i): TonedNote => {
    const edit = view.edits[n.key] as NoteEdit | undefined;
    const middle = middles.get(phraseOf[i]);
    const sungDb = loud[i] === null || middle === undefined ? null : loud[i] - middle;
    const own = colours[i];
    return {
      key: n.key,
      word: wordOver(view.words, n)?.text ?? '',
      start: n.start,
      end: n.end,
      edit,
      sungDb,
      nowDb: sungDb === null ? null : edit?.silent ? -60 : sungDb + meanLevel(edit),
      colour: own && own.map((v, b) => v - whole[b]),
      added: addedColour(edit),
    };
  });
  made = { of, notes };
  return notes;
}

/** What an edit does to a note's loudness on the whole. */
const meanLevel = (e: NoteEdit | undefined): number =>
  (e?.evenDb ?? 0) + ((e?.startDb ?? 0) + 2 * (e?.middleDb ?? 0) + (e?.endDb ?? 0)) / 4;

function addedColour(e: NoteEdit | undefined): number[] | null {
  if (!e?.colour && !e?.brightness) return null;
  return Array.from(BANDS, (hz, b) => {
    const tilt = Math.log2(hz / TILT.about) / Math.log2(TILT.full / TILT.about);
    return (
      ((e.colour?.[b] ?? 0) * (e.colourAmount ?? 100)) / 100 + (e.brightness ?? 0) * Math.max(-1.2, Math.min(1.2, tilt))
    );
  });
}

/** The level a note's phrase has on the whole, as the reading tells levels; one a note. */
export function phraseDb(s: SessionState): Float32Array {
  const track = editTrackOf(s);
  const view = track && viewOf(s, track.id);
  if (!view?.reading) return new Float32Array(0);
  let levels = phraseLevels.get(view.notes);
  if (levels) return levels;
  const { levelDb, hop } = view.reading;
  const own = view.notes.map(n => {
    let [sum, count] = [0, 0];
    for (let k = Math.round(n.onset / hop); k < Math.min(levelDb.length, Math.round(n.end / hop)); k++, count++)
      sum += 10 ** (levelDb[k] / 10);
    return 10 * Math.log10(sum / Math.max(1, count) + 1e-12);
  });
  const phraseOf = view.notes.map(n => view.phrases.findLastIndex(p => p.start <= (n.start + n.end) / 2));
  levels = Float32Array.from(phraseOf, p => median(own.filter((_, i) => phraseOf[i] === p)));
  phraseLevels.set(view.notes, levels);
  return levels;
}

let noises: { of: unknown[]; list: TonedNoise[] } | null = null;
/** What lies between the notes, in order. */
export function tonedNoises(s: SessionState): TonedNoise[] {
  const [song, track] = [songOf(s), editTrackOf(s)];
  if (!song || !track) return [];
  const view = viewOf(s, track.id);
  const lead = stackLeadOf(song, track);
  const theirs = lead ? viewOf(s, lead.id).reading?.noises : undefined;
  const sounds = track.takes.map(t => s.takes[t.id]?.sound);
  const of = [view, track.noises, track.clean, track.takes, theirs, ...sounds];
  if (noises && noises.of.length === of.length && noises.of.every((v, i) => v === of[i])) return noises.list;
  const list: TonedNoise[] = [];
  const places = new Map(view.notes.map(n => [n.takeId, n.place]));
  for (const [takeId, place] of places) {
    const reading = s.takes[takeId]?.reading;
    const take = track.takes.find(t => t.id === takeId);
    if (!reading || !take) continue;
    const all = noisesOf(reading);
    for (const n of all) {
      const [start, end] = [place.toSong(n.start), place.toSong(n.end)];
      if (!view.reading?.noises.some(q => Math.abs(q.start - start) < 0.003)) continue;
      const together = !!theirs?.some(l => l.kind === n.kind && Math.abs(l.start - start) < 0.09);
      list.push({
        kind: n.kind,
        start,
        end,
        sungDb: n.besideDb,
        nowDb: n.besideDb + noiseDb(n, all, take, track, place, theirs ?? null),
        usualDb: usualBeside(all, n.kind),
        together,
      });
    }
    const clicks = s.takes[takeId]?.sound?.().clicks ?? [];
    const gains = clickGains(clicks, track, take);
    for (const c of clicks) {
      const gain = gains.find(g => g.start === c.start);
      const sungDb = CLICK_DB + c.overDb / 2;
      list.push({
        kind: 'click',
        start: place.toSong(c.start),
        end: place.toSong(c.end),
        sungDb,
        nowDb: sungDb + (gain ? 20 * Math.log10(Math.max(1e-3, gain.keep)) : 0),
        usualDb: CLICK_DB,
        together: false,
      });
    }
  }
  list.sort((a, b) => a.start - b.start);
  noises = { of, list };
  return list;
}
