import { BarGrid, phraseAsHeard, phraseAt } from '@essim/core';
import { toast } from 'sonner';
import { applyGains, sendClicks, soundGuide, soundTones, syncPlayer } from './sounding';
import { keepListening, withHeard, withLevel, type HearMix } from './listening';
import { loadMissing } from './loading';
import {
  clientOf,
  editTrackOf,
  editViewOf,
  opened,
  player,
  songOf,
  useSession,
  type Hear,
  type SessionState,
} from './state';
import { countingEditsOf, surroundingsNow } from './planning';
import type { LiveNote } from '../player/held-voice';

/** What is played: transport, loop, scrubbing, auditions, ways of hearing. */

const get = useSession.getState;
const set = useSession.setState;

/** Most that is sounded of chosen notes, s. */
const LONGEST_SOUNDED = 12;

export function toggleClick(): void {
  set({ clicking: !get().clicking });
  sendClicks();
  if (!songOf(get())?.tempo) toast('Set a tempo at Gather first: the click follows it.');
}

/** Says that something could not be sounded, instead of seeming to play. */
function unheard(error: unknown): void {
  set({ playing: false });
  toast.error(`Nothing can be played: ${error instanceof Error ? error.message : String(error)}.`, { id: 'unheard' });
}

/** Where playing begins: at what is chosen, where there is something. */
function startOfChosen(s: SessionState): number | null {
  if (s.selection.trackId !== s.editTrackId) return null;
  if (s.selection.span) return s.selection.span.start;
  return editViewOf(s).syllables.find(n => s.selection.notes.has(n.key))?.start ?? null;
}

/** Plays from what is chosen, else from the playhead; or stops. @param fromPlayhead whatever is chosen */
export async function togglePlay(fromPlayhead = false): Promise<void> {
  const p = player();
  if (!p) return;
  if (get().audition) endAudition();
  stretchEnd = null;
  if (p.playing) {
    p.stop();
    set({ playing: false });
    return;
  }
  const span = get().looping ? loopSpan(get()) : null;
  p.loop(span);
  set({ playing: true });
  const at = (fromPlayhead ? null : startOfChosen(get())) ?? p.position;
  const from = span && (at < span.from || at >= span.to) ? span.from : at;
  await p.play(from, countInBefore(from)).catch(unheard);
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
  p.scrub(Math.max(0, Math.min(get().duration, seconds))).catch(unheard);
  followPhrase();
}

/** Sounds the chosen notes of the edited track once, alone, as they are edited; the note at the playhead when none is chosen. */
export async function soundChosen(): Promise<void> {
  const s = get();
  const p = player();
  const { syllables: notes } = editViewOf(s);
  const chosen = notes.filter(n => s.selection.trackId === s.editTrackId && s.selection.notes.has(n.key));
  const at = p?.position ?? 0;
  const first = chosen[0] ?? notes.find(n => at >= n.start - 0.02 && at < n.end);
  if (!p || !first) return;
  if (p.playing) await togglePlay();
  // notes of one take that follow each other; the rest of a scattered choice is left out
  const last = chosen.findLast(n => n.takeId === first.takeId && n.end - first.start < LONGEST_SOUNDED) ?? first;
  const from = first.place.toTake(first.start) - 0.03;
  const note = await liveSpan(s, first.takeId, from, last.place.toTake(last.end) + 0.06);
  if (note) await p.sing({ ...note, once: true }, { offsetCents: 0, formantCents: 0, levelDb: 0 }).catch(unheard);
}

/** A span of a take of a track, the edited one as a rule, as it sounds now, ready to be sung live; take time. Null when it cannot be had. */
export async function liveSpan(
  s: SessionState,
  takeId: string,
  from: number,
  to: number,
  track = editTrackOf(s),
): Promise<LiveNote | null> {
  const take = track?.takes.find(t => t.id === takeId);
  const client = clientOf(takeId);
  const rate = player()?.sampleRate;
  if (!track || !take || !client || !rate) return null;
  const span = [Math.max(0, Math.round(from * rate)), Math.round(to * rate)] as const;
  return client.live(countingEditsOf(s, track, take), surroundingsNow(s, track, take), ...span).catch(() => null);
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
  await loadMissing();
  if (get().audition?.takeId !== takeId) return;
  p.loop(null);
  set({ playing: true });
  await p.play(Math.max(0, from)).catch(unheard);
}

let stretchEnd: number | null = null;

/** Plays a stretch of the song once, with what Hear says, and stops. */
export async function playStretch(from: number, to: number): Promise<void> {
  const p = player();
  if (!p) return;
  stretchEnd = to;
  p.loop(null);
  set({ playing: true });
  await p.play(from).catch(unheard);
}

/** Stops a stretch that is played; what was begun otherwise goes on. */
export function stopStretch(): void {
  if (stretchEnd === null) return;
  stretchEnd = null;
  player()?.stop();
  set({ playing: false });
}

/** Plays a stretch round and round, with what Hear says, while a gesture goes on. @returns what ends it */
export function playRound(from: number, to: number): () => void {
  const p = player();
  if (!p || get().playing) return () => {};
  p.loop({ from, to });
  set({ playing: true });
  void p.play(from).catch(unheard);
  return () => {
    p.stop();
    p.loop(get().looping ? loopSpan(get()) : null);
    set({ playing: false });
  };
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
  if (stretchEnd !== null && s.playing && position >= stretchEnd) stopStretch();
  if (s.audition && s.playing && position >= s.audition.to) {
    player()?.stop();
    set({ playing: false });
    endAudition();
  }
}

/** What a loop goes round: the stretch that was dragged, else the phrase. Song time. */
export function loopSpan(s: SessionState): { from: number; to: number } | null {
  return s.loopRange ?? phraseSpan(s);
}

/** The phrase of the selection, else at the playhead, else in view, with a little before and after. */
export function phraseSpan(s: SessionState): { from: number; to: number } | null {
  const view = editViewOf(s);
  const chosen = view.syllables.filter(n => s.selection.trackId === s.editTrackId && s.selection.notes.has(n.key));
  const at = chosen.length ? chosen[0].start : (player()?.position ?? 0);
  const middle = (s.view.from + s.view.to) / 2;
  const { phrases } = view;
  if (!phrases.length) return null;
  const here = phrases.findIndex(p => at >= p.start - 0.5 && at < p.end + 0.3);
  const seen = phrases.findIndex(p => p.end > middle);
  const { start, end } = phraseAsHeard(view.syllables, phrases, here >= 0 ? here : Math.max(0, seen));
  return { from: Math.max(0, start - 0.35), to: Math.min(s.duration, end + 0.35) };
}

export function toggleLoop(): void {
  const looping = !get().looping;
  set({ looping, ...(looping ? {} : { loopRange: null }) });
  player()?.loop(looping ? loopSpan(get()) : null);
}

/** Loops a stretch of the song. */
export function loopStretch(a: number, b: number): void {
  const loopRange = { from: Math.max(0, Math.min(a, b)), to: Math.min(get().duration, Math.max(a, b)) };
  if (loopRange.to - loopRange.from < LEAST_LOOP) return;
  set({ looping: true, loopRange });
  player()?.loop(loopRange);
}
const LEAST_LOOP = 0.1;

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
  soundGuide();
  applyGains();
}

export function setEdited(edited: boolean): void {
  set({ edited });
  player()?.compare(edited);
}
