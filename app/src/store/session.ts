import {
  nothing,
  phraseAt,
  selectSpan,
  SetNoteEdits,
  Together,
  BarGrid,
  type Command,
  type History,
  type NoteEdit,
  type Selection,
  type Song,
  type Stretch,
  type Take,
  type Track,
} from '@essim/core';
import { toast } from 'sonner';
import { Player } from '../player/player';
import type { Viewport } from '../field/viewport';
import { keepListening, loadListening, withHeard, withLevel, type HearMix } from './listening';
import { placedClips } from './placing';
import { loadHistory, saveChange } from './songs';
import {
  clientOf,
  editsOf,
  editTakeAt,
  editViewOf,
  freshSong,
  groupOf,
  leadOf,
  opened,
  player,
  setOpened,
  songOf,
  trackOf,
  useSession,
  viewOf,
  type Hear,
  type SessionState,
} from './state';
import { applyGains, forgetAll, recorrect, refreshView, replan, soundTones, syncPlayer, tend } from './tending';
import { editsByTake } from './track-view';

export * from './state';
export { fitPitch, readAgain, stopReading } from './tending';

const get = useSession.getState;
const set = useSession.setState;

/** Most that is sounded of chosen notes, s. */
const LONGEST_SOUNDED = 12;

/** Counts openings, so that one overtaken by another stops by itself. */
let opening = 0;
/** Writes to the database, one after the other. */
let writing: Promise<void> = Promise.resolve();
/** Resolves when everything done so far is in the database. */
export const written = (): Promise<void> => writing;

// ---- opening and closing

export async function openSong(id: string): Promise<void> {
  if (opened()?.id === id) return;
  closeSong();
  const mine = ++opening;
  try {
    await writing;
    const history = await loadHistory(id);
    if (mine !== opening) return;
    const { song } = history;
    setOpened({ id, player: new Player(song.sampleRate), clients: new Map(), sounds: new Map(), tones: new Map() });
    opened()!.player.compare(get().edited);
    const listening = await loadListening(id);
    if (mine !== opening) return;
    set({ ...freshSong, history, listening, editTrackId: (leadOf(song) ?? song.tracks[0])?.id ?? '' });
    song.tracks.forEach(refreshView);
    sendClicks();
    await tend();
  } catch (error) {
    set({ history: null, failure: error instanceof Error ? error.message : String(error) });
  }
}

export function closeSong(): void {
  opening++;
  const open = opened();
  open?.player.stop();
  open?.player.close();
  open?.clients.forEach(c => c.close());
  setOpened(null);
  forgetAll();
  set({ ...freshSong, history: null });
}

/** Whether two states of a take's corrections make the same reading. */
const heardAlike = (a: Take['corrections'], b: Take['corrections']): boolean =>
  a === b ||
  (['heard', 'regions', 'kinds'] as const).every(k => a?.[k] === b?.[k] || (!a?.[k].length && !b?.[k].length));

// ---- changing the document

function adopt(next: { history: History; change: Parameters<typeof saveChange>[1] }): void {
  const before = songOf(get());
  const { song } = next.history;
  const previewed = get().preview !== null;
  const editTrackId = song.tracks.some(t => t.id === get().editTrackId)
    ? get().editTrackId
    : ((leadOf(song) ?? song.tracks[0])?.id ?? '');
  set({ history: next.history, saved: 'saving', preview: null, editTrackId });
  writing = writing
    .then(() => saveChange(song, next.change))
    .then(() => {
      if (songOf(get()) === song) set({ saved: 'saved' });
    })
    .catch((error: unknown) => {
      set({ saved: 'failed' });
      toast.error(
        `The last change could not be saved: ${error instanceof Error ? error.message : String(error)}. Export your work before closing.`,
      );
    });
  for (const track of song.tracks) {
    const old = before?.tracks.find(t => t.id === track.id);
    const remade = before !== null && bearsOtherwise(before, song, track);
    if (old === track && !previewed && !remade) continue;
    refreshView(track);
    for (const take of track.takes) {
      const was = old?.takes.find(t => t.id === take.id);
      if (was && !heardAlike(was.corrections, take.corrections)) void recorrect(take.id);
      else if (was && (was.edits !== take.edits || remade || (previewed && track.id === editTrackId))) replan(take.id);
    }
  }
  if (before?.tempo !== song.tempo) sendClicks();
  const laidOut = (s: typeof before) =>
    s?.tracks.map(t => [t.id, placedClips(t).map(c => [c.takeId, c.from, c.to, c.shift, c.fadeIn, c.levelDb])]) ?? [];
  if (JSON.stringify(laidOut(before)) !== JSON.stringify(laidOut(song))) syncPlayer();
  else if (before?.tracks !== song.tracks) applyGains();
  void tend();
}

/** Whether a track is to sound otherwise though its own edits are the same: as a follower, or as a part of another. */
function bearsOtherwise(before: Song, now: Song, track: Track): boolean {
  const old = before.tracks.find(t => t.id === track.id);
  if (!old) return false;
  if ((['align', 'found', 'followsId', 'part'] as const).some(k => old[k] !== track[k])) return true;
  if (!track.part) return false;
  const [then, since] = [before, now].map(s => s.tracks.find(t => t.id === track.part!.fromId)?.takes);
  return then !== since || (['key', 'keyChanges', 'referenceHz', 'tempo'] as const).some(k => before[k] !== now[k]);
}

export function run(command: Command): void {
  const { history } = get();
  if (!history) return;
  try {
    adopt(history.do(command));
  } catch (error) {
    toast.error(`${command.label} was not done: ${error instanceof Error ? error.message : String(error)}.`);
  }
}

/** Sets edits of notes of the edited track, by their keys there; takes of a comp change in one step. */
export function runEdits(label: string, edits: Record<string, NoteEdit | null>, gesture: string | null = null): void {
  const s = get();
  // a note's key names its take, so that the edits of a group's tracks can come in one list
  const commands = (songOf(s)?.tracks ?? []).flatMap(track =>
    [...editsByTake(viewOf(s, track.id).notes, edits)].map(
      ([takeId, list]) => new SetNoteEdits(label, track.id, takeId, list, gesture),
    ),
  );
  if (commands.length === 1) run(commands[0]);
  else if (commands.length) run(new Together(label, commands));
}

export function undo(): void {
  const step = get().history?.undo();
  if (!step) return;
  adopt(step);
  toast(`Undone: ${step.label}`, { id: 'history', duration: 1500 });
}

export function redo(): void {
  const step = get().history?.redo();
  if (!step) return;
  adopt(step);
  toast(`Done again: ${step.label}`, { id: 'history', duration: 1500 });
}

/** Shows and sounds edits without making them a command; null goes back. */
export function preview(edits: Record<string, NoteEdit> | null): void {
  const s = get();
  if (!edits && !s.preview) return;
  const touched = editsByTake(editViewOf(s).notes, { ...s.preview, ...edits }).keys();
  set({ preview: edits });
  for (const takeId of touched) replan(takeId);
}

// ---- playing

export function sendClicks(): void {
  const s = get();
  const tempo = songOf(s)?.tempo;
  if (!tempo) return player()?.setClicks([], [], false);
  const beats = new BarGrid(tempo).beats(-20, s.duration + 20);
  player()?.setClicks(
    beats.map(b => b.seconds),
    beats.map(b => (b.beat === 1 ? 1 : 0)),
    s.clicking,
  );
}

export function toggleClick(): void {
  set({ clicking: !get().clicking });
  sendClicks();
  if (!songOf(get())?.tempo) toast('Set a tempo at Gather first: the click follows it.');
}

export async function togglePlay(): Promise<void> {
  const p = player();
  if (!p) return;
  if (get().audition) endAudition();
  if (p.playing) {
    p.stop();
    set({ playing: false });
    return;
  }
  const span = get().looping ? loopSpan(get()) : null;
  p.loop(span);
  set({ playing: true });
  const from = span && (p.position < span.from || p.position >= span.to) ? span.from : p.position;
  await p.play(from, countInBefore(from));
}

/** Length of the bar counted before playing begins, s. */
function countInBefore(from: number): number {
  const s = get();
  const tempo = songOf(s)?.tempo;
  return s.countIn && tempo ? new BarGrid(tempo).countIn(from, 1) : 0;
}

export function toggleCountIn(): void {
  const countIn = !get().countIn;
  set({ countIn });
  if (countIn && !songOf(get())?.tempo) toast('Set a tempo at Gather first: the count-in follows it.');
}

/** Sounds what passes under the pointer; while playing it is a seek. */
export function scrub(seconds: number): void {
  const p = player();
  if (!p) return;
  void p.scrub(Math.max(0, Math.min(get().duration, seconds)));
  followPhrase();
}

/** Sounds the chosen notes of the edited track once, alone, as they are edited; the note at the playhead when none is chosen. */
export async function soundChosen(): Promise<void> {
  const s = get();
  const p = player();
  const { notes } = editViewOf(s);
  const chosen = notes.filter(n => s.selection.trackId === s.editTrackId && s.selection.notes.has(n.key));
  const at = p?.position ?? 0;
  const first = chosen[0] ?? notes.find(n => at >= n.start - 0.02 && at < n.end);
  if (!p || !first) return;
  if (p.playing) await togglePlay();
  // notes of one take that follow each other; the rest of a scattered choice is left out
  const last = chosen.findLast(n => n.takeId === first.takeId && n.end - first.start < LONGEST_SOUNDED) ?? first;
  const place = editTakeAt(s, first.key);
  const client = place && clientOf(place.take.id);
  if (!place || !client) return;
  const rate = p.sampleRate;
  const from = Math.max(0, Math.round((first.place.toTake(first.start) - 0.03) * rate));
  const to = Math.round((last.place.toTake(last.end) + 0.06) * rate);
  const note = await client.live(place.edits(editsOf(s)), from, to).catch(() => null);
  if (note) await p.sing({ ...note, once: true }, { offsetCents: 0, formantCents: 0, levelDb: 0 });
}

export function seek(seconds: number): void {
  player()?.seek(Math.max(0, Math.min(get().duration, seconds)));
  followPhrase();
}

/** Plays a span of one take in its track's place, with what Hear says; then stops. The same again stops at once. */
export async function audition(trackId: string, takeId: string, from: number, to: number): Promise<void> {
  const p = player();
  const before = get().audition;
  if (!p) return;
  if (before) endAudition();
  if (before?.takeId === takeId && before.from === from && p.playing) {
    p.stop();
    set({ playing: false });
    return;
  }
  set({ audition: { trackId, takeId, from, to } });
  syncPlayer();
  await tend();
  if (get().audition?.takeId !== takeId) return;
  p.loop(null);
  set({ playing: true });
  await p.play(Math.max(0, from));
}

export function endAudition(): void {
  if (!get().audition) return;
  set({ audition: null });
  syncPlayer();
}

/** Notes in which phrase the playhead is, for what acts on that phrase; ends an audition. Called as the playhead moves. */
export function followPhrase(): void {
  const s = get();
  const position = player()?.position ?? 0;
  const at = phraseAt(editViewOf(s).phrases, position);
  if (at !== s.phraseAt) set({ phraseAt: at });
  if (s.audition && s.playing && position >= s.audition.to) {
    player()?.stop();
    set({ playing: false });
    endAudition();
  }
}

/** The phrase a loop goes round: of the selection, else at the playhead, else in view. Song time. */
export function loopSpan(s: SessionState): { from: number; to: number } | null {
  const view = editViewOf(s);
  const chosen = view.notes.filter(n => s.selection.trackId === s.editTrackId && s.selection.notes.has(n.key));
  const at = chosen.length ? chosen[0].start : (player()?.position ?? 0);
  const middle = (s.view.from + s.view.to) / 2;
  const phrase =
    view.phrases.find(p => at >= p.start - 0.5 && at < p.end + 0.3) ??
    view.phrases.find(p => p.end > middle) ??
    view.phrases[0];
  return phrase ? { from: Math.max(0, phrase.start - 0.35), to: Math.min(s.duration, phrase.end + 0.35) } : null;
}

export function toggleLoop(): void {
  const looping = !get().looping;
  set({ looping });
  player()?.loop(looping ? loopSpan(get()) : null);
}

export function setHear(hear: Hear): void {
  set({ hear });
  applyGains();
}

function changeHearMix(make: (mix: HearMix) => HearMix): void {
  const { listening, hear } = get();
  const next = { ...listening, [hear]: make(listening[hear]) };
  set({ listening: next });
  applyGains();
  const id = songOf(get())?.id;
  if (id) void keepListening(id, next);
}

/** Hears a track in the present way of hearing, or not. */
export const setHeard = (trackId: string, heard: boolean): void => changeHearMix(mix => withHeard(mix, trackId, heard));

/** Sets how loud a track is in the present way of hearing, dB beside its own level. */
export const setHearLevel = (trackId: string, level: number): void =>
  changeHearMix(mix => withLevel(mix, trackId, level));

/** Goes back to the usual in the present way of hearing. */
export const forgetHearMix = (): void => changeHearMix(() => ({ levels: {}, heard: {} }));

/** Lets the reading sound as a tone, beside the voice or alone. */
export function setEar(ear: SessionState['ear']): void {
  set({ ear });
  if (ear === 'off') {
    opened()?.tones.clear();
    syncPlayer();
  } else void soundTones();
}

/** Chooses what is heard while recording; null goes back to Hear. */
export function setCue(cue: string[] | null): void {
  set({ cue });
  applyGains();
}

export function setEdited(edited: boolean): void {
  set({ edited });
  player()?.compare(edited);
}

// ---- looking

export function look(view: Viewport, remember = false): void {
  set(s => ({ view, viewBefore: remember ? [...s.viewBefore.slice(-20), s.view] : s.viewBefore }));
}

export function lookBack(): void {
  const { viewBefore } = get();
  const view = viewBefore[viewBefore.length - 1];
  if (view) set({ view, viewBefore: viewBefore.slice(0, -1) });
}

export const choose = (selection: Selection): void => set({ selection });

/** Chooses a stretch of the edited track, whatever notes it cuts through. */
export function chooseSpan(a: number, b: number): { span: Stretch } {
  const selection = selectSpan(get().editTrackId, a, b);
  choose(selection);
  return { span: selection.span! };
}

/** Begins or ends the chosen stretch at the playhead. */
export function spanFromPlayhead(side: 'start' | 'end'): void {
  const s = get();
  const at = player()?.position ?? 0;
  const { span } = s.selection;
  const other = span ? (side === 'start' ? span.end : span.start) : side === 'start' ? s.duration : 0;
  const crossed = side === 'start' ? at >= other : at <= other;
  if (crossed) chooseSpan(at, side === 'start' ? s.duration : 0);
  else chooseSpan(at, other);
}

export function editTrack(trackId: string): void {
  set(s => ({ editTrackId: trackId, selection: nothing, viewedTrackIds: s.viewedTrackIds.filter(t => t !== trackId) }));
  if (get().ear !== 'off') void soundTones();
  applyGains();
  void tend();
}

/** Whether the viewed tracks take the edited track's commands too. */
export function toggleGrouped(): void {
  const s = get();
  const grouped = !s.grouped;
  set({ grouped });
  const names = groupOf({ ...s, grouped }).map(t => t.name);
  const text = !grouped
    ? 'Commands act on the edited track alone.'
    : names.length
      ? `${names.join(', ')} ${names.length === 1 ? 'takes' : 'take'} the same commands.`
      : 'The tracks you view will take the same commands. View one by its eye.';
  toast(text, { id: 'grouped', duration: 3000 });
}

export function toggleViewed(trackId: string): void {
  if (!trackOf(get(), trackId)) return;
  set(s => ({
    viewedTrackIds: s.viewedTrackIds.includes(trackId)
      ? s.viewedTrackIds.filter(t => t !== trackId)
      : [...s.viewedTrackIds, trackId],
  }));
}
