import type { Song, Track } from '@essim/core';
import { placedClips } from '@essim/core';
import { toast } from 'sonner';
import { becomeWriter, waitToWrite, type Held } from '../keeping/locks';
import { withFiles } from '../jobs/files-client';
import { loadHistory } from '../keeping/songs';
import { Player } from '../player/player';
import { onShown, takeHistory } from './changing';
import { loadListening } from './listening';
import { forgetAll, loadMissing, reachOn } from './loading';
import { heardAlike, replan, surroundedOtherwise } from './planning';
import { recorrect } from './reading';
import { written } from './saving';
import { applyGains, sendClicks, soundGuide, syncPlayer } from './sounding';
import { freshSong, leadOf, opened, setOpened, useSession } from './state';
import { refreshView } from './views';

/** Opening and closing a song, and keeping what is seen and heard of it in step with what it is. */

const get = useSession.getState;
const set = useSession.setState;

/** Counts openings, so that one overtaken by another stops by itself. */
let opening = 0;
/** The right to write the open song; null while another tab has it. */
let writer: Held | null = null;
let waiting: AbortController | null = null;

export async function openSong(id: string): Promise<void> {
  if (opened()?.id === id) return;
  closeSong();
  const mine = ++opening;
  // it is asked as soon as the song is known, and takes a moment to come
  void withFiles(async () => {}).catch(() => {});
  try {
    await written();
    const held = await becomeWriter(id);
    const { history, notice } = await loadHistory(id, !held).catch((error: unknown) => {
      held?.release();
      throw error;
    });
    performance.mark('essim history');
    if (mine !== opening) return held?.release();
    writer = held;
    const { song } = history;
    setOpened({
      id,
      player: new Player(song.sampleRate),
      clients: new Map(),
      sounds: new Map(),
      tones: new Map(),
      melodies: new Map(),
    });
    opened()!.player.compare(get().edited);
    const listening = await loadListening(id);
    if (mine !== opening) return;
    set({
      ...freshSong,
      history,
      listening,
      elsewhere: !held,
      editTrackId: (leadOf(song) ?? song.tracks[0])?.id ?? '',
    });
    if (notice) toast.warning(notice, { duration: 15000 });
    if (!held) void takeOverLater(id, mine);
    performance.mark('essim song');
    song.tracks.forEach(refreshView);
    sendClicks();
    await loadMissing();
  } catch (error) {
    if (mine === opening) set({ history: null, failure: error instanceof Error ? error.message : String(error) });
  }
}

/** Becomes the writer when the other tab closes the song: what it did is loaded, and work goes on from there. */
async function takeOverLater(id: string, mine: number): Promise<void> {
  waiting = new AbortController();
  const held = await waitToWrite(id, waiting.signal).catch(() => null);
  if (!held) return;
  if (mine !== opening) return held.release();
  writer = held;
  try {
    const { history } = await loadHistory(id);
    if (mine !== opening) return;
    takeHistory(history);
  } catch (error) {
    if (mine === opening) set({ history: null, failure: error instanceof Error ? error.message : String(error) });
    return;
  }
  set({ elsewhere: false });
  toast.success('The other tab has closed this song; it can be edited here now.', { id: 'elsewhere' });
}

export function closeSong(): void {
  opening++;
  const open = opened();
  open?.player.stop();
  open?.player.close();
  open?.clients.forEach(c => c.close());
  setOpened(null);
  forgetAll();
  waiting?.abort();
  const held = writer;
  writer = waiting = null;
  // what is being written comes first; the next writer must find it
  if (held) void written().then(() => held.release());
  set({ ...freshSong, history: null });
}

/** Where everything of a song lies and how its pieces join. */
const laidOut = (song: Song | null) =>
  song?.tracks.map(t => [
    t.id,
    placedClips(song, t).map(c => [c.takeId, c.from, c.to, c.shift, c.fadeIn, c.levelDb]),
  ]) ?? [];

/** Brings what is seen and heard in step with the song as it is shown now. */
function goAlong(before: Song | null, song: Song): void {
  for (const track of song.tracks) {
    const old = before?.tracks.find(t => t.id === track.id);
    const otherwise = before !== null && surroundedOtherwise(before, song, track);
    if (old === track && !otherwise) continue;
    refreshView(track);
    goAlongTrack(old, track);
  }
  if (before?.tempo !== song.tempo) sendClicks();
  soundGuide();
  if (before && before.tracks.every((t, i) => sameLayout(t, song.tracks[i]))) {
    if (before.tracks !== song.tracks) applyGains();
  } else {
    reachOn();
    if (JSON.stringify(laidOut(before)) !== JSON.stringify(laidOut(song))) syncPlayer();
    else applyGains();
  }
  void loadMissing();
}

/** Whether nothing about where a track's clips lie can have changed. */
const sameLayout = (a: Track, b: Track | undefined): boolean =>
  !!b &&
  a.id === b.id &&
  a.segments === b.segments &&
  a.align === b.align &&
  a.found === b.found &&
  a.followsId === b.followsId &&
  a.time === b.time &&
  a.takes.length === b.takes.length &&
  a.takes.every((t, i) => t === b.takes[i] || (t.id === b.takes[i].id && t.offsetSeconds === b.takes[i].offsetSeconds));

function goAlongTrack(old: Track | undefined, track: Track): void {
  for (const take of track.takes) {
    const was = old?.takes.find(t => t.id === take.id);
    if (!was) continue;
    if (!heardAlike(was.corrections, take.corrections)) void recorrect(take.id);
    else replan(take.id);
  }
}

onShown((before, song) => goAlong(before, song));
