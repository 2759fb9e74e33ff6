import {
  BarGrid,
  Chord,
  chordsOf,
  clipsOf,
  moveJoin,
  nudgeWord,
  syllablesOfTake,
  phraseSpan,
  pickSpan,
  removeTake as takeGone,
  setSong,
  setTake,
  setTrack,
  suggestComp,
  Tempo,
  type BackingEstimate,
  type Picked,
  type Segment,
  type SongKey,
  type Take,
  type Track,
  type Word,
} from '@essim/core';
import { toast } from 'sonner';
import {
  act,
  change,
  editTrackOf,
  editViewOf,
  keyOf,
  rankedKeys,
  songOf,
  undo,
  useSession,
  type How,
} from '../../open-song';
import type { PhraseCells } from './cells';

/** The commands of the Gather desk. */

const state = useSession.getState;

const setSegments = (label: string, track: Track, segments: Segment[], how?: How) =>
  change(label, setTrack(track.id, { segments }), how);

/** Takes a phrase from a take. */
export function pickPhrase(index: number, takeId: string): void {
  const s = state();
  const track = editTrackOf(s);
  const { phrases } = editViewOf(s);
  const take = track?.takes.find(t => t.id === takeId);
  if (!track || !take || !phrases[index]) return;
  const { from, to } = phraseSpan(phrases, index);
  setSegments(`Phrase ${index + 1} from ${take.name}`, track, pickSpan(track.segments, from, to, { takeId }));
}

/** Takes any span from a take. */
export function pickPart(from: number, to: number, takeId: string): void {
  const track = editTrackOf(state());
  const take = track?.takes.find(t => t.id === takeId);
  if (!track || !take || to - from < 0.03) return;
  setSegments(`${(to - from).toFixed(2)} s from ${take.name}`, track, pickSpan(track.segments, from, to, { takeId }));
}

/** The whole track from one take. */
export function pickAll(takeId: string): void {
  const track = editTrackOf(state());
  const take = track?.takes.find(t => t.id === takeId);
  if (track && take) setSegments(`All from ${take.name}`, track, [{ at: 0, takeId, fadeMs: 12 }]);
}

/** The comp that sounds best by the scores, with few joins. */
export function suggest(cells: readonly PhraseCells[]): void {
  const s = state();
  const track = editTrackOf(s);
  const { phrases } = editViewOf(s);
  if (!track || !phrases.length) return;
  const chosen = suggestComp(cells.map(c => c.cells));
  if (!chosen[0]) return;
  let segments: Segment[] = [{ at: 0, takeId: chosen[0], fadeMs: 12 }];
  chosen.forEach((takeId, i) => {
    if (i && takeId && takeId !== chosen[i - 1])
      segments = pickSpan(segments, phraseSpan(phrases, i).from, Infinity, { takeId });
  });
  setSegments('Suggested comp', track, segments);
}

/** Moves a join while it is held; where it is let go is stored. @param track as it was when the join was grabbed */
export function dragJoin(track: Track, index: number, to: number): void {
  setSegments('Move a join', track, moveJoin(track.segments, index, to), { held: true });
}

/** Moves a join by keys. */
export function nudgeJoin(track: Track, index: number, by: number): void {
  const segments = moveJoin(track.segments, index, track.segments[index].at + by);
  setSegments('Move a join', track, segments, { kind: `join ${track.id} ${index}` });
}

export function setFade(track: Track, index: number, fadeMs: number): void {
  const segments = track.segments.map((g, i) => (i === index ? { ...g, fadeMs } : g));
  setSegments(`Crossfade ${fadeMs} ms`, track, segments, { kind: `fade ${track.id} ${index}` });
}

export function removeTake(track: Track, take: Take): void {
  if (!change(`Delete ${take.name}`, takeGone(track.id, take.id))) return;
  toast(`${take.name} is deleted.`, { action: { label: 'Undo', onClick: undo }, duration: 8000 });
}

export const renameTake = (track: Track, take: Take, name: string): boolean =>
  change(`Rename ${take.name}`, setTake(track.id, take.id, { name }));

// ---- words

/** Spreads pasted words over every take's notes. */
export function pasteWords(text: string): void {
  const track = editTrackOf(state());
  if (track) act('words', { text }, { target: { tracks: [{ track, parts: [] }], span: null, broad: true } });
}

/** A word of the comp's list as its take knows it. */
function wordInTake(word: Word): { track: Track; take: Take; index: number } | null {
  const s = state();
  const track = editTrackOf(s);
  if (!track) return null;
  const middle = (word.start + word.end) / 2;
  const clip = clipsOf(track).find(c => middle >= c.from && middle < c.to);
  const take = track.takes.find(t => t.id === clip?.takeId);
  const index =
    take?.words.findIndex(w => w.text === word.text && Math.abs(w.start + clip!.shift - word.start) < 1e-6) ?? -1;
  return take && index >= 0 ? { track, take, index } : null;
}

/** Moves a word to the next or last note, pushing others along. */
export function nudge(word: Word, by: 1 | -1): void {
  const at = wordInTake(word);
  const view = at && state().takes[at.take.id];
  if (!at || !view) return;
  const words = nudgeWord(at.take.words, at.index, by, syllablesOfTake(view));
  change(`Move “${word.text}”`, setTake(at.track.id, at.take.id, { words }), {
    kind: `nudge ${at.take.id} ${word.text}`,
  });
}

/** Changes a word's text; an empty one is taken away. */
export function setWord(word: Word, text: string): void {
  const at = wordInTake(word);
  if (!at) return;
  const words = text
    ? at.take.words.map((w, i) => (i === at.index ? { ...w, text } : w))
    : at.take.words.filter((_, i) => i !== at.index);
  change(text ? `Word “${text}”` : `Delete “${word.text}”`, setTake(at.track.id, at.take.id, { words }));
}

/** A word sung somewhere that could stand in for another. */
export interface Loan {
  take: Take;
  word: Word;
  /** Where it is sung, song s. */
  at: number;
  /** Its length over the wanted word's. */
  ratio: number;
  same: boolean;
}

const bare = (text: string) => text.toLowerCase().replace(/[^\p{L}]/gu, '');

/** Words of the track's takes that could stand in for one: the same words first, then by how well their length fits. */
export function loansFor(word: Word): Loan[] {
  const track = editTrackOf(state());
  if (!track) return [];
  const length = word.end - word.start;
  return track.takes
    .flatMap(take =>
      take.words.map((w): Loan => ({
        take,
        word: w,
        at: w.start + take.offsetSeconds,
        ratio: (w.end - w.start) / length,
        same: bare(w.text) === bare(word.text),
      })),
    )
    .filter(l => Math.abs(l.at - word.start) > 0.3 || l.take.id !== takeOfWord(track, word))
    .sort((a, b) => Number(b.same) - Number(a.same) || Math.abs(Math.log(a.ratio)) - Math.abs(Math.log(b.ratio)))
    .slice(0, 12);
}

const takeOfWord = (track: Track, word: Word) =>
  clipsOf(track).find(c => word.start >= c.from && word.start < c.to)?.takeId;

const LOAN_FADE_MS = 30;
const PAD = 0.02;

/** Puts a word from elsewhere in place of one: begun at the same moment, matched in level, crossfaded at both ends. */
export function borrow(word: Word, loan: Loan): void {
  const s = state();
  const track = editTrackOf(s);
  if (!track) return;
  const next = editViewOf(s).words.find(w => w.start >= word.end - 0.01);
  const longer = word.start + (loan.word.end - loan.word.start);
  const to = Math.max(word.end, Math.min(longer, next?.start ?? Infinity));
  const picked: Picked = {
    takeId: loan.take.id,
    shiftSeconds: word.start - loan.word.start,
    fadeMs: LOAN_FADE_MS,
    levelDb: Math.max(-12, Math.min(12, levelAt(word) - levelOfTake(loan))),
  };
  setSegments(
    `Borrow “${loan.word.text}” from ${loan.take.name}`,
    track,
    pickSpan(track.segments, word.start - PAD, to + PAD, picked),
  );
}

/** Loudness of a word, dB: the louder half of its frames. */
function loudnessOf(levelDb: Float32Array, from: number, to: number): number {
  const frames = Array.from(levelDb.subarray(Math.max(0, Math.round(from * 200)), Math.round(to * 200))).sort(
    (a, b) => b - a,
  );
  const half = frames.slice(0, Math.max(1, frames.length >> 1));
  return half.reduce((a, b) => a + b, 0) / half.length;
}

const levelAt = (word: Word) =>
  loudnessOf(editViewOf(state()).reading?.levelDb ?? new Float32Array(1), word.start, word.end);
const levelOfTake = (loan: Loan) =>
  loudnessOf(state().takes[loan.take.id]?.reading?.levelDb ?? new Float32Array(1), loan.word.start, loan.word.end);

// ---- set-up

export const setKey = (key: SongKey | null, label: string): boolean => change(label, setSong({ key }));

/** Sets some of the tempo's fields; a song without one gets 4/4 from the backing's first bar. */
export function setTempo(label: string, fields: Partial<Tempo>, how?: How): void {
  const s = state();
  const now = songOf(s)?.tempo;
  const first = {
    bpm: 120,
    beatsPerBar: 4,
    firstBarSeconds: s.backing?.tempo?.firstBarSeconds ?? 0,
  };
  change(label, setSong({ tempo: Object.assign(new Tempo(), now ?? first, fields) }), how);
}

/** The tempo as the backing has it. */
export function takeEstimatedTempo(backing: BackingEstimate): void {
  const { tempo } = backing;
  if (!tempo) return;
  const { bpm, beatsPerBar, firstBarSeconds } = tempo;
  setTempo(`Tempo ${bpm} bpm, estimated`, { bpm, beatsPerBar, firstBarSeconds, changes: [], metres: [] });
}

/** Beats of the song: of its tempo, or every half second. */
function beatsOfSong(): { beats: number[]; beatsPerBar: number; firstBarBeat: number } {
  const s = state();
  const tempo = songOf(s)?.tempo;
  if (!tempo) {
    const beats = Array.from({ length: Math.ceil(s.duration * 2) + 1 }, (_, i) => i / 2);
    return { beats, beatsPerBar: 4, firstBarBeat: 0 };
  }
  const list = new BarGrid(tempo).beats(Math.max(0, tempo.firstBarSeconds - 8), s.duration + 0.01);
  return {
    beats: list.map(b => b.seconds),
    beatsPerBar: tempo.beatsPerBar,
    firstBarBeat: Math.max(
      0,
      list.findIndex(b => b.beat === 1),
    ),
  };
}

/** Chords as the backing has them, beat by beat. */
export function estimateChords(): void {
  const s = state();
  if (!s.backing) return;
  const { beats, beatsPerBar, firstBarBeat } = beatsOfSong();
  const { key } = keyOf(s);
  const found = chordsOf(s.backing, key && { ...key, confidence: 1 }, beats, beatsPerBar, firstBarBeat);
  const chords = found.map(c => Object.assign(new Chord(), { start: Math.max(0, c.start), name: c.name }));
  change('Chords, estimated', setSong({ chords }));
}

/** Everything the backing and the voice tell, in one step: tempo, metre, first bar, key, chords. */
export function setUpFromBacking(): void {
  const s = state();
  const best = rankedKeys(s)[0];
  if (s.backing?.tempo) takeEstimatedTempo(s.backing);
  if (best && best.confidence > 0.4) setKey({ tonic: best.tonic, mode: best.mode }, 'Key, estimated');
  estimateChords();
}

/** Sets the chord from a moment on; an empty name takes the change away. */
export function setChord(start: number, name: string): void {
  const chords = songOf(state())?.chords ?? [];
  const rest = chords.filter(c => Math.abs(c.start - start) > 1e-6);
  const next = name
    ? [...rest, Object.assign(new Chord(), { start, name: name.slice(0, 20) })].sort((a, b) => a.start - b.start)
    : rest;
  change(name ? `Chord ${name}` : 'Delete a chord', setSong({ chords: next }));
}

/** Bars that begin a phrase are where a key or tempo usually changes. */
export const barAtPlayhead = (seconds: number): number => {
  const tempo = songOf(state())?.tempo;
  return tempo ? Math.max(2, new BarGrid(tempo).placeAt(seconds + 0.05).bar) : 2;
};
