import { guideFrom, guideNotes, setTrack, together, type Midi, type Seconds, type Track } from '@essim/core';
import { onKeys, setKeys, useKeys } from '../../keyboard/keys';
import { makeParts, sourceForParts } from '../../commands/parts';
import { change, editTrack, giveUp, player, trackOf, useSession } from '../../open-song';
import { keepReady } from './ready';
import { useSource } from './state';

/**
 * Parts that sing what is held on keys while the song runs, on the words of their lead: a part for each key that is held at one time.
 * What is held is a draft; let go, it is a note of the part's guide, edited and moved like any.
 */

/** What is held sounds on so far beyond the playhead until it is let go. */
const AHEAD: Seconds = 6;
/** Shorter is no note. */
const SHORTEST: Seconds = 0.05;

const state = useSession.getState;
/** Tracks that sing, the first key's first. */
let armed: string[] = [];
const held = new Map<Midi, { slot: number; from: Seconds }>();
/** When the last key was let go, ms; what still dies away is not cut off. */
let letGoAt = -Infinity;
const QUIET_MS = 350;

const armedTracks = (): Track[] => armed.flatMap(id => trackOf(state(), id) ?? []);

/** Makes as many parts as will be held at one time, silent until something is played; those there are already are used again. */
export function armKeys(voices: number): void {
  const lead = sourceForParts(state());
  if (!lead) return;
  const edited = trackOf(state(), state().editTrackId);
  const there = armedTracks().filter(t => t.part?.fromId === lead.id);
  if (edited?.part?.by === 'guide' && !there.includes(edited)) there.unshift(edited);
  armed = there.slice(0, voices).map(t => t.id);
  for (let i = armed.length; i < voices; i++) {
    makeParts('part-from', { notes: [], name: i ? `Played ${i + 1}` : 'Played' }, lead);
    armed.push(state().editTrackId);
  }
  editTrack(armed[0]);
  setKeys(true);
}

type Row = { start: Seconds; end: Seconds; midi: Midi };
/** A track's guide with a note played over what it had there. */
function withNote(track: Track, note: Row): ReturnType<typeof guideFrom> {
  const before = track.guide ? guideNotes(track.guide) : [];
  const kept = before.flatMap(({ start, end, midi }): Row[] =>
    [
      { start, end: Math.min(end, note.start), midi },
      { start: Math.max(start, note.end), end, midi },
    ].filter((r, i, both) => r.end - r.start > 0.01 && (i === 0 || both[0].end !== end)),
  );
  const rows = [...kept, note].sort((a, b) => a.start - b.start);
  return guideFrom(track.guide?.name ?? 'Played', rows);
}

/** Shows and sounds what is held. */
function showHeld(): void {
  const position = player()?.position ?? 0;
  const tracks = armedTracks();
  const changes = [...held].flatMap(([midi, { slot, from }]) => {
    const track = tracks[slot] as Track | undefined;
    return track ? [setTrack(track.id, { guide: withNote(track, { start: from, end: position + AHEAD, midi }) })] : [];
  });
  if (changes.length) change('Play', together(changes), { held: true });
  else giveUp();
}

function pressed(midi: Midi): void {
  const p = player();
  if (!p?.playing) return;
  const taken = new Set([...held.values()].map(h => h.slot));
  const slot = armed.findIndex((_, i) => !taken.has(i));
  if (slot < 0) return;
  held.set(midi, { slot, from: p.position });
  p.hold(armed[slot], midi);
  showHeld();
}

function released(midi: Midi): void {
  const note = held.get(midi);
  if (!note) return;
  held.delete(midi);
  player()?.hold(armed[note.slot], null);
  letGoAt = performance.now();
  useSource.setState({ heldDelay: player()?.heldDelay ?? 0 });
  giveUp();
  const end = player()?.position ?? note.from;
  const track = armedTracks()[note.slot] as Track | undefined;
  if (track && end - note.from >= SHORTEST)
    change(`Play ${track.name}`, setTrack(track.id, { guide: withNote(track, { start: note.from, end, midi }) }), {
      kind: 'part by keys',
    });
  if (held.size) showHeld();
}

/** Writes what is played into the armed parts while this source is chosen. @returns what ends it */
export function watchLive(): () => void {
  const end = onKeys((midi, down) => {
    if (useSource.getState().source !== 'keys') return;
    if (down) pressed(midi);
    else released(midi);
  });
  // a key that sings makes no sound of its own
  const follow = () => useKeys.setState({ sung: useSource.getState().source === 'keys' && armed.length > 0 });
  const resting = () => useSource.getState().source === 'keys' && !held.size && performance.now() - letGoAt > QUIET_MS;
  const endReady = keepReady(armedTracks, resting);
  const endSource = useSource.subscribe(follow);
  const endOn = useKeys.subscribe((now, before) => now.on !== before.on && follow());
  return () => {
    end();
    endSource();
    endOn();
    endReady();
    held.clear();
    setKeys(false);
    useKeys.setState({ sung: false });
  };
}
