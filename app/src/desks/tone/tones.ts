import {
  BANDS,
  clickGains,
  coincides,
  colourAdded,
  isVocal,
  meanLevel,
  median,
  noiseLevels,
  noisesOf,
  phrasesOfNotes,
  stackLeadOf,
  sungTones,
  usualBeside,
  wordOver,
  type NoiseSort,
  type NoteEdit,
  type Span,
  type SungTone,
  type TrackNote,
} from '@essim/core';
import { editTrackOf, scoreOf, songOf, viewOf, type SessionState } from '../../open-song';

/** The edited track by how loud and how coloured its notes are, and what lies between them. */

export interface TonedNote {
  key: string;
  spoken: boolean;
  word: string;
  start: number;
  end: number;
  edit: NoteEdit | undefined;
  /** Song time as heard to its take's. */
  toTake(t: number): number;
  /** Beside its phrase, as sung and as it is, dB; null while its sound is not known. */
  sungDb: number | null;
  nowDb: number | null;
  /** What each band has more than the track's notes have on the whole, dB, as sung; null as above. */
  colour: Float32Array | null;
  /** What its edit adds to each band. */
  added: number[] | null;
}

export interface TonedNoise {
  kind: NoiseSort;
  start: number;
  end: number;
  /** Over the voice beside it, as sung and as it is, and what is usual, dB. */
  sungDb: number;
  nowDb: number;
  usualDb: number;
  /** Where the lead has one of its kind too. */
  together: boolean;
}

/** A click is drawn as high as it stands out of this, dB. */
const CLICK_DB = -40;
/** What is muted lies so far down, dB. */
const MUTED_DB = -60;

/** A value made of some others; the same object while they are the same. */
function kept<T>(): (of: readonly unknown[], make: () => T) => T {
  let last: { of: readonly unknown[]; value: T } | null = null;
  return (of, make) => {
    if (last?.of.length !== of.length || !last.of.every((v, i) => v === of[i])) last = { of, value: make() };
    return last.value;
  };
}

const keptNotes = kept<TonedNote[]>();
export function tonedNotes(s: SessionState): TonedNote[] {
  const track = editTrackOf(s);
  if (!track || !isVocal(track)) return [];
  const view = viewOf(s, track.id);
  const sung = sungTones(scoreOf(s), track);
  return keptNotes([view, sung], () => {
    const whole = wholeColour(sung);
    return view.syllables.map((n, i): TonedNote => {
      const edit = view.edits[n.key] as NoteEdit | undefined;
      const { loudDb, phraseDb, colour } = sung[i];
      const sungDb = loudDb === null || phraseDb === null ? null : loudDb - phraseDb;
      return {
        key: n.key,
        spoken: n.spoken,
        word: wordOver(view.words, n)?.text ?? '',
        start: n.start,
        end: n.end,
        edit,
        toTake: t => n.place.toTake(t),
        sungDb,
        nowDb: sungDb === null ? null : edit?.silent ? MUTED_DB : sungDb + levelOf(edit),
        colour: colour && colour.map((v, b) => v - whole[b]),
        added: edit ? colourAdded(edit) : null,
      };
    });
  });
}

/** What holds of a note, over a stretch that cuts through it what was decided there. */
export function editIn({ edit, toTake, start, end }: TonedNote, span: Span | null): NoteEdit | undefined {
  if (!span || !edit?.parts) return edit;
  const middle = toTake((Math.max(start, span.start) + Math.min(end, span.end)) / 2);
  const part = edit.parts.find(p => middle >= p.start && middle < p.end);
  const { formant = edit.formant, follow = edit.follow } = part ?? {};
  return { ...edit, formant, follow };
}

const wholes = new WeakMap<readonly SungTone[], Float32Array>();
/** What the notes of a track have of each band on the whole. */
function wholeColour(sung: readonly SungTone[]): Float32Array {
  let whole = wholes.get(sung);
  if (!whole) {
    const known = sung.filter(t => t.colour);
    whole = BANDS.map((_, b) => known.reduce((sum, t) => sum + t.colour![b], 0) / Math.max(1, known.length));
    wholes.set(sung, whole);
  }
  return whole;
}

/** What an edit does to a note's loudness on the whole. */
const levelOf = (e: NoteEdit | undefined): number =>
  (e?.evenDb ?? 0) + ((e?.startDb ?? 0) + 2 * (e?.middleDb ?? 0) + (e?.endDb ?? 0)) / 4;

/** From the quietest to the loudest of some notes that are heard, before and after; null for fewer than two. */
export function spreadOf(list: readonly TonedNote[]): { was: number; now: number } | null {
  const heard = list.filter(n => n.sungDb !== null && !n.edit?.silent);
  if (heard.length < 2) return null;
  const range = (of: (n: TonedNote) => number) => Math.max(...heard.map(of)) - Math.min(...heard.map(of));
  return { was: range(n => n.sungDb!), now: range(n => n.nowDb!) };
}

const phraseLevels = new WeakMap<readonly TrackNote[], Float32Array>();
/** The level a note's phrase has on the whole, as the reading tells levels; one a note. */
export function phraseDb(s: SessionState): Float32Array {
  const track = editTrackOf(s);
  const view = track && viewOf(s, track.id);
  if (!view?.reading) return new Float32Array(0);
  let levels = phraseLevels.get(view.notes);
  if (!levels) {
    const { levelDb, hop } = view.reading;
    const own = view.notes.map(n => meanLevel(levelDb, n.onset / hop, n.end / hop));
    const phraseOf = phrasesOfNotes(view.notes, view.phrases);
    const middles = new Map([...new Set(phraseOf)].map(p => [p, median(own.filter((_, i) => phraseOf[i] === p))]));
    levels = Float32Array.from(phraseOf, p => middles.get(p)!);
    phraseLevels.set(view.notes, levels);
  }
  return levels;
}

const keptNoises = kept<TonedNoise[]>();
/** What lies between the notes, in order. */
export function tonedNoises(s: SessionState): TonedNoise[] {
  const [song, track] = [songOf(s), editTrackOf(s)];
  if (!song || !track) return [];
  const view = viewOf(s, track.id);
  const lead = stackLeadOf(song, track);
  const theirs = (lead && viewOf(s, lead.id).reading?.noises) ?? null;
  const sounds = track.takes.map(t => s.takes[t.id]?.sound);
  return keptNoises([view.notes, track.noises, track.clean, track.takes, theirs, ...sounds], () => {
    const list: TonedNoise[] = [];
    const heard = new Set(view.reading?.noises.map(n => Math.round(n.start * 1000)));
    // a take's place goes with its notes
    const places = new Map(view.notes.map(n => [n.takeId, n.place]));
    for (const [takeId, place] of places) {
      const reading = s.takes[takeId]?.reading;
      const take = track.takes.find(t => t.id === takeId);
      if (!reading || !take) continue;
      const all = noisesOf(reading);
      const levelOfNoise = noiseLevels(all, take, track, place, theirs);
      for (const n of all) {
        const at = { kind: n.kind, start: place.toSong(n.start), end: place.toSong(n.end) };
        if (!heard.has(Math.round(at.start * 1000))) continue;
        list.push({
          ...at,
          sungDb: n.besideDb,
          nowDb: n.besideDb + levelOfNoise(n),
          usualDb: usualBeside(all, n.kind),
          together: !!theirs && coincides(at, theirs),
        });
      }
      const clicks = s.takes[takeId]?.sound?.().clicks ?? [];
      const gains = new Map(clickGains(clicks, track, take).map(g => [g.start, g.keep]));
      for (const c of clicks) {
        const sungDb = CLICK_DB + c.overDb / 2;
        list.push({
          kind: 'click',
          start: place.toSong(c.start),
          end: place.toSong(c.end),
          sungDb,
          nowDb: sungDb + 20 * Math.log10(Math.max(1e-3, gains.get(c.start) ?? 1)),
          usualDb: CLICK_DB,
          together: false,
        });
      }
    }
    return list.sort((a, b) => a.start - b.start);
  });
}
