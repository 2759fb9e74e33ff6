import { intentNamed, Score, wholeNote, type Song, type Stage, type Value } from '@essim/core';
import { isTyping } from '../keyboard/typing';
import { newId } from '../keeping/ids';
import { act, change, editViewOf, editTrackOf, giveUp, groupOf, useSession, viewOf } from '../open-song';

/** Hearing everything hard for a moment: each note straight on the step it would be settled on. Nothing is changed by it. */

const HARD: readonly [string, Readonly<Record<string, Value>>][] = [
  ['settle', { to: 'key' }],
  ['shape', { aim: 100, wander: 0, vibrato: 0, scoop: 0, fall: 0 }],
];

type Way = 'hard' | 'as sung';
let held: Way | null = null;

/** The song with every note of the edited track and its group hard. */
function hardened(song: Song): Song {
  const s = useSession.getState();
  const track = editTrackOf(s);
  if (!track) return song;
  for (const [name, args] of HARD) {
    const score = new Score(song, s.takes, s.backing);
    const tracks = [track, ...groupOf(s)].map(t => ({
      track: song.tracks.find(k => k.id === t.id)!,
      parts: viewOf(s, t.id).notes.map(wholeNote),
    }));
    const stage: Stage = { score, target: { tracks, span: null, broad: true }, newId };
    const acted = intentNamed(name)!.act(stage, args);
    if (!(acted instanceof Promise)) song = acted.song;
  }
  return song;
}

/** Begins or ends hearing otherwise: everything hard, or what is chosen as it was sung. */
export function hearHeld(way: Way | null): void {
  if (way === held) return;
  if (held) {
    held = null;
    return giveUp();
  }
  const s = useSession.getState();
  if (!way || s.draft || !editViewOf(s).notes.length) return;
  const done = way === 'hard' ? change('Hear it hard', hardened, { held: true }) : act('as-sung', {}, { held: true });
  if (done) held = way;
}

/** While V is held everything is hard; with Alt what is chosen is as it was sung. @returns what ends it */
export function watchHard(): () => void {
  const isKey = (e: KeyboardEvent) => e.code === 'KeyV' && !e.ctrlKey && !e.metaKey && !e.shiftKey;
  const down = (e: KeyboardEvent) => {
    if (isKey(e) && !e.repeat && !isTyping(e) && !e.defaultPrevented) hearHeld(e.altKey ? 'as sung' : 'hard');
  };
  const up = (e: KeyboardEvent) => {
    if (e.code === 'KeyV') hearHeld(null);
  };
  const lose = () => hearHeld(null);
  window.addEventListener('keydown', down);
  window.addEventListener('keyup', up);
  window.addEventListener('blur', lose);
  return () => {
    lose();
    window.removeEventListener('keydown', down);
    window.removeEventListener('keyup', up);
    window.removeEventListener('blur', lose);
  };
}
