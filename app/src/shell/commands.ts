import { mergePhrases, nothing, phraseAsHeard, select, setPhrase, splitPhrase } from '@essim/core';
import { exportTrack } from '../exchange/delivering';
import {
  choose,
  currentScope,
  editTrack,
  editViewOf,
  fitPitch,
  look,
  lookBack,
  loopSpan,
  phraseSpan,
  player,
  redo,
  seek,
  setEdited,
  setHear,
  songOf,
  soundChosen,
  toggleClick,
  toggleCountIn,
  toggleLoop,
  togglePlay,
  undo,
  useSession,
  type Hear,
} from '../open-song';
import { setPhrases, shiftTrack } from '../commands/tracks';
import { bounded, panBy, wholeSong, zoomPitch, zoomTime } from '../field/viewport';
import { setTheme, toggleTheme } from './theme';

/** Something that can be done: by its key, its button or from the command list. */
export interface Action {
  id: string;
  name: string;
  /** As shown; also what the keyboard listens to. */
  keys: string[];
  group: string;
  /** @param at when the key was pressed, ms; absent when it was not a key */
  run: (at?: number) => void;
}

const state = useSession.getState;

function zoomToNotes(keys: readonly string[]): void {
  const s = state();
  const wanted = new Set(keys);
  const notes = editViewOf(s).syllables.filter(n => wanted.has(n.key));
  if (!notes.length) return;
  const [a, b] = [notes[0].start, notes[notes.length - 1].end];
  const margin = Math.max(0.15, (b - a) * 0.15);
  look(bounded({ ...fitPitch(s, a, b), from: a - margin, to: b + margin }, s.duration), true);
}

function zoomToPhrase(): void {
  const s = state();
  const span = phraseSpan(s);
  if (span)
    look(bounded({ ...fitPitch(s, span.from, span.to), from: span.from - 0.2, to: span.to + 0.2 }, s.duration), true);
}

function zoomToSong(): void {
  const s = state();
  look({ ...wholeSong(s.duration, s.view), ...fitPitch(s, 0, s.duration) }, true);
}

const zoomBy = (factor: number) => {
  const s = state();
  const p = player()?.position ?? 0;
  const about = p > s.view.from && p < s.view.to ? p : (s.view.from + s.view.to) / 2;
  look(zoomTime(s.view, factor, about, s.duration));
};

const pan = (windows: number, rows: number) => {
  const s = state();
  look(panBy(s.view, windows * (s.view.to - s.view.from), rows, s.duration));
};

const zoomRows = (factor: number) => {
  const s = state();
  look(zoomPitch(s.view, factor, (s.view.low + s.view.high) / 2, s.duration));
};

/** Chooses the note before or after the chosen one, or the one nearest the playhead; keeps it in view. */
function stepNote(by: 1 | -1, adding: boolean): void {
  const s = state();
  const { syllables: notes } = editViewOf(s);
  if (!notes.length) return;
  const chosen = notes.map((n, i) => (s.selection.notes.has(n.key) ? i : -1)).filter(i => i >= 0);
  const at = player()?.position ?? 0;
  const nearest = notes.reduce(
    (best, n, i) => (Math.abs(n.start - at) < Math.abs(notes[best].start - at) ? i : best),
    0,
  );
  const from = chosen.length ? (by > 0 ? chosen[chosen.length - 1] : chosen[0]) : nearest - by;
  const i = Math.max(0, Math.min(notes.length - 1, from + by));
  const note = notes[i];
  choose(select(s.editTrackId, adding ? [...s.selection.notes, note.key] : [note.key]));
  const v = s.view;
  if (note.start < v.from || note.end > v.to) {
    const shift = note.start - v.from - (v.to - v.from) * 0.3;
    look(bounded({ ...v, from: v.from + shift, to: v.to + shift }, s.duration));
  }
}

function stepPhrase(by: 1 | -1): void {
  const s = state();
  const { phrases } = editViewOf(s);
  if (!phrases.length) return;
  const at = player()?.position ?? 0;
  const here = phrases.findIndex(p => at < p.end + 0.05);
  const i = Math.max(
    0,
    Math.min(
      phrases.length - 1,
      (here < 0 ? phrases.length : here) + (by < 0 ? -1 : at < (phrases[here]?.start ?? 0) - 0.5 ? 0 : 1),
    ),
  );
  goToPhrase(i);
}

/** Puts the playhead before a phrase and the phrase into view. */
export function goToPhrase(index: number): void {
  const s = state();
  const { phrases, notes } = editViewOf(s);
  if (!(index in phrases)) return;
  const phrase = phraseAsHeard(notes, phrases, index);
  choose(nothing);
  seek(Math.max(0, phrase.start - 0.25));
  useSession.setState({ goneTo: { phrase: index } });
  look(
    bounded({ ...fitPitch(s, phrase.start, phrase.end), from: phrase.start - 0.6, to: phrase.end + 0.6 }, s.duration),
    true,
  );
  if (s.looping) player()?.loop(loopSpan(state()));
}

/** Puts the playhead at a moment and brings the moment into view, the zoom staying. */
function goTo(seconds: number): void {
  seek(seconds);
  const { view: v, duration } = state();
  const by = seconds - (v.from + v.to) / 2;
  if (seconds < v.from || seconds > v.to) look(bounded({ ...v, from: v.from + by, to: v.to + by }, duration));
}

/** The phrase at the playhead, else the one nearest the middle of the view. */
export function phraseNow(): number {
  const s = state();
  const { phrases } = editViewOf(s);
  if (s.phraseAt >= 0) return s.phraseAt;
  const middle = (s.view.from + s.view.to) / 2;
  const distance = (p: { start: number; end: number }) => Math.max(p.start - middle, middle - p.end, 0);
  return phrases.reduce((best, p, i) => (best < 0 || distance(p) < distance(phrases[best]) ? i : best), -1);
}

function stepTrack(by: 1 | -1): void {
  const tracks = songOf(state())?.tracks ?? [];
  const i = tracks.findIndex(t => t.id === state().editTrackId) + by;
  if (tracks[i]) editTrack(tracks[i].id);
}

export const HEARS: { id: Hear; name: string }[] = [
  { id: 'alone', name: 'Alone' },
  { id: 'backing', name: 'With backing' },
  { id: 'lead', name: 'With its lead' },
  { id: 'whole', name: 'Whole song' },
];

/** Actions of the frame, the same on every desk. */
export const FRAME_ACTIONS: Action[] = [
  { id: 'play', name: 'Play or stop', keys: ['Space'], group: 'Playing', run: () => void togglePlay() },
  {
    id: 'play-on',
    name: 'Play on from the playhead',
    keys: ['Shift+Space'],
    group: 'Playing',
    run: () => void togglePlay(true),
  },
  {
    id: 'sound',
    name: 'Sound the chosen notes alone',
    keys: ['Shift+Enter'],
    group: 'Playing',
    run: () => void soundChosen(),
  },
  { id: 'start', name: 'Go to the start', keys: ['Home'], group: 'Playing', run: () => goTo(0) },
  { id: 'end', name: 'Go to the end', keys: ['End'], group: 'Playing', run: () => goTo(state().duration) },
  { id: 'loop', name: 'Loop the phrase, or no more', keys: ['L'], group: 'Playing', run: toggleLoop },
  {
    id: 'compare',
    name: 'Compare: as sung or edited',
    keys: ['C'],
    group: 'Playing',
    run: () => setEdited(!state().edited),
  },
  {
    id: 'hear',
    name: 'Hear: alone, with backing, with its lead, whole song',
    keys: ['H'],
    group: 'Playing',
    run: () => setHear(HEARS[(HEARS.findIndex(h => h.id === state().hear) + 1) % HEARS.length].id),
  },
  { id: 'next-phrase', name: 'Next phrase', keys: ['PageDown'], group: 'Moving', run: () => stepPhrase(1) },
  { id: 'last-phrase', name: 'Phrase before', keys: ['PageUp'], group: 'Moving', run: () => stepPhrase(-1) },
  { id: 'next-note', name: 'Next note', keys: ['ArrowRight'], group: 'Choosing', run: () => stepNote(1, false) },
  { id: 'last-note', name: 'Note before', keys: ['ArrowLeft'], group: 'Choosing', run: () => stepNote(-1, false) },
  {
    id: 'add-next',
    name: 'Choose the next note too',
    keys: ['Shift+ArrowRight'],
    group: 'Choosing',
    run: () => stepNote(1, true),
  },
  {
    id: 'add-last',
    name: 'Choose the note before too',
    keys: ['Shift+ArrowLeft'],
    group: 'Choosing',
    run: () => stepNote(-1, true),
  },
  {
    id: 'all',
    name: 'Choose every note',
    keys: ['Ctrl+A'],
    group: 'Choosing',
    run: () =>
      choose(
        select(
          state().editTrackId,
          editViewOf(state()).syllables.map(n => n.key),
        ),
      ),
  },
  { id: 'none', name: 'Choose nothing', keys: ['Escape'], group: 'Choosing', run: () => choose(nothing) },
  {
    id: 'zoom-selection',
    name: 'Zoom to what is chosen',
    keys: ['Z'],
    group: 'Looking',
    run: () => zoomToNotes(currentScope(state()).parts.map(p => p.key)),
  },
  { id: 'zoom-phrase', name: 'Zoom to the phrase', keys: ['P'], group: 'Looking', run: zoomToPhrase },
  { id: 'zoom-song', name: 'Zoom to the whole song', keys: ['W'], group: 'Looking', run: zoomToSong },
  { id: 'zoom-back', name: 'Back to the view before', keys: ['B'], group: 'Looking', run: lookBack },
  { id: 'zoom-in', name: 'Come nearer', keys: ['+', '='], group: 'Looking', run: () => zoomBy(0.7) },
  { id: 'zoom-out', name: 'Step back', keys: ['-'], group: 'Looking', run: () => zoomBy(1 / 0.7) },
  { id: 'pan-right', name: 'Look further right', keys: ['Ctrl+ArrowRight'], group: 'Looking', run: () => pan(0.25, 0) },
  { id: 'pan-left', name: 'Look further left', keys: ['Ctrl+ArrowLeft'], group: 'Looking', run: () => pan(-0.25, 0) },
  { id: 'pan-up', name: 'Look higher', keys: ['Alt+PageUp'], group: 'Looking', run: () => pan(0, 2) },
  { id: 'pan-down', name: 'Look lower', keys: ['Alt+PageDown'], group: 'Looking', run: () => pan(0, -2) },
  { id: 'rows-in', name: 'Taller rows', keys: ['Ctrl+ArrowUp'], group: 'Looking', run: () => zoomRows(0.8) },
  { id: 'rows-out', name: 'Flatter rows', keys: ['Ctrl+ArrowDown'], group: 'Looking', run: () => zoomRows(1.25) },
  { id: 'count-in', name: 'Count-in on or off', keys: ['Shift+K'], group: 'Playing', run: toggleCountIn },
  { id: 'click', name: 'Click on or off', keys: ['K'], group: 'Playing', run: toggleClick },
  {
    id: 'check',
    name: 'Phrase checked or to do',
    keys: ['X'],
    group: 'Phrases',
    run: () => {
      const i = phraseNow();
      const phrase = editViewOf(state()).phrases[i];
      if (phrase)
        setPhrases(`Phrase ${i + 1} ${phrase.checked ? 'to do' : 'checked'}`, list =>
          setPhrase(list, i, { checked: !phrase.checked }),
        );
    },
  },
  {
    id: 'split-phrase',
    name: 'Split the phrase at the playhead',
    keys: ['Ctrl+Shift+P'],
    group: 'Phrases',
    run: () =>
      setPhrases(`Split phrase ${phraseNow() + 1}`, list => splitPhrase(list, phraseNow(), player()?.position ?? 0)),
  },
  {
    id: 'merge-phrase',
    name: 'Join the phrase to the next',
    keys: ['Ctrl+Shift+J'],
    group: 'Phrases',
    run: () => setPhrases(`Join phrase ${phraseNow() + 1} to the next`, list => mergePhrases(list, phraseNow())),
  },
  {
    id: 'track-up',
    name: 'Move the track up',
    keys: ['Alt+Shift+ArrowUp'],
    group: 'Tracks',
    run: () => shiftTrack(-1),
  },
  {
    id: 'track-down',
    name: 'Move the track down',
    keys: ['Alt+Shift+ArrowDown'],
    group: 'Tracks',
    run: () => shiftTrack(1),
  },
  { id: 'next-track', name: 'Edit the next track', keys: ['Ctrl+PageDown'], group: 'Tracks', run: () => stepTrack(1) },
  { id: 'last-track', name: 'Edit the track before', keys: ['Ctrl+PageUp'], group: 'Tracks', run: () => stepTrack(-1) },
  { id: 'undo', name: 'Undo', keys: ['Ctrl+Z'], group: 'Song', run: undo },
  { id: 'redo', name: 'Redo', keys: ['Ctrl+Shift+Z', 'Ctrl+Y'], group: 'Song', run: redo },
  {
    id: 'export',
    name: 'Export the edited track as WAV',
    keys: ['Ctrl+E'],
    group: 'Song',
    run: () => void exportTrack(),
  },
  { id: 'theme', name: 'Light or night', keys: ['Ctrl+Shift+L'], group: 'Song', run: toggleTheme },
  {
    id: 'theme-system',
    name: 'Light or night as the system has it',
    keys: [],
    group: 'Song',
    run: () => setTheme('system'),
  },
];
