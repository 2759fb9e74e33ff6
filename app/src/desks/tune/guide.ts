import {
  asDataUrl,
  guideNotes,
  guideOf,
  rowsBetween,
  readMelodies,
  type Guide,
  type GuideTrack,
  type Midi,
  type PlacedGuideNote,
} from '@essim/core';
import { toast } from 'sonner';
import { create } from 'zustand';
import { xOf, yOf, RAIL_HALF } from '../../field/viewport';
import { handle, type Drag, type FieldPointer } from '../../field/tool';
import {
  act,
  drop,
  editTrackOf,
  giveUp,
  hearGuide,
  player,
  scaleAtOf,
  songOf,
  useSession,
  type How,
  type SessionState,
} from '../../open-song';
import { shownPitch } from './guide-pitch';
import { onKeys, setKeys, useKeys } from '../../keyboard/keys';

/** The melody guide: from a file, drawn, or played; its notes dragged. */

const LARGEST_FILE = 4_000_000;

/** A file with several melodies, until one is chosen; and whether the guide is drawn now. */
export const useGuiding = create<{ on: boolean; file: { midi: string; tracks: GuideTrack[] } | null }>(() => ({
  on: false,
  file: null,
}));
export const setGuiding = (on: boolean): void => useGuiding.setState({ on });

export const guideNow = (s: SessionState): Guide | null => {
  const [song, track] = [songOf(s), editTrackOf(s)];
  return song && track ? guideOf(song, track) : null;
};

/** Takes a MIDI file as the guide; where it has several melodies, one is asked for. */
export async function guideByFile(file: File): Promise<void> {
  try {
    if (file.size > LARGEST_FILE) throw new Error('it is too large for a melody');
    const bytes = new Uint8Array(await file.arrayBuffer());
    const tracks = readMelodies(bytes);
    const midi = asDataUrl(bytes);
    if (tracks.length > 1) useGuiding.setState({ file: { midi, tracks } });
    else act('guide', { midi });
  } catch (error) {
    toast.error(`${file.name} was not taken as a guide: ${error instanceof Error ? error.message : String(error)}.`);
  }
}

/** @param track counted from 0 */
export function guideByTrack(track: number): void {
  const { file } = useGuiding.getState();
  useGuiding.setState({ file: null });
  if (file) act('guide', { midi: file.midi, track: file.tracks[track].name });
}
export const forgetFile = (): void => useGuiding.setState({ file: null });

export const setOffset = (seconds: number, how: How): boolean => act('guide', { offset: seconds }, how);
export const setFold = (fold: boolean): boolean => act('guide', { fold });
export const noGuide = (): boolean => act('guide', { none: true });
export const settleOnGuide = (): boolean => act('settle', { to: 'guide' });
export const toggleGuideHeard = (): void => hearGuide(!useSession.getState().guideHeard);

type Row = readonly [start: number, end: number, midi: Midi];
/** Puts notes as they are heard in the place of the guide's. */
function setNotes(rows: readonly Row[], how: How, label: string): boolean {
  const offset = guideNow(useSession.getState())?.offsetSeconds ?? 0;
  const written = rows
    .map(([a, z, m]): Row => [Math.max(0, a - offset), Math.max(0, z - offset), Math.max(0, Math.min(128, m))])
    .filter(([a, z]) => z > a)
    .sort((x, y) => x[0] - y[0]);
  return act('guide', written.length ? { notes: written } : { none: true }, { ...how, label });
}
const rowsNow = (except?: number): Row[] => {
  const guide = guideNow(useSession.getState());
  return guide ? guideNotes(guide).flatMap((n): Row[] => (n.index === except ? [] : [[n.start, n.end, n.midi]])) : [];
};

// ---- in the field

function noteUnder(p: FieldPointer): PlacedGuideNote | null {
  const guide = guideNow(useSession.getState());
  if (!guide || !p.scene) return null;
  const { view, layout } = p.scene;
  return (
    guideNotes(guide).find(
      n =>
        p.x >= xOf(view, layout, n.start) &&
        p.x <= xOf(view, layout, n.end) &&
        Math.abs(p.y - yOf(view, layout, shownPitch(guide, n, p.pitch))) <= RAIL_HALF,
    ) ?? null
  );
}

/** The row a pitch lies in; with Alt the pitch itself. */
function rowOf(p: FieldPointer): Midi {
  if (p.alt) return p.pitch;
  const scale = scaleAtOf(useSession.getState())(p.time);
  const rows = rowsBetween(scale, p.pitch - 3, p.pitch + 3);
  return rows.find(r => p.pitch >= r.low && p.pitch < r.high)?.at ?? Math.round(p.pitch);
}

const SHORTEST = 0.03;

function drawNote(start: FieldPointer): Drag {
  const others = rowsNow();
  const pitch = rowOf(start);
  return {
    move(now) {
      const [a, z] = [Math.max(0, Math.min(start.time, now.time)), Math.max(start.time, now.time)];
      if (z - a < SHORTEST) return null;
      setNotes([...others, [a, z, pitch]], { held: true }, 'Draw the guide');
      return { tag: { x: now.x + 14, y: now.y - 32, text: `${(z - a).toFixed(2)} s` } };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

function moveNote(start: FieldPointer, note: PlacedGuideNote): Drag {
  const others = rowsNow(note.index);
  return {
    move(now) {
      const by = now.time - start.time;
      const a = Math.max(0, note.start + by);
      // up and down it goes by rows, sideways freely; in its own octave where it is shown in another
      const rows = rowOf(now) - rowOf({ ...start, alt: now.alt });
      setNotes([...others, [a, a + note.end - note.start, note.midi + rows]], { held: true }, 'Move the guide');
      return { tag: { x: now.x + 14, y: now.y - 32, text: `${by >= 0 ? '+' : '−'}${Math.abs(by).toFixed(2)} s` } };
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

const isGuiding = () => useGuiding.getState().on;

/** While the guide is drawn, its notes are dragged, what is empty becomes a note, and Alt on a note takes it away. */
export const guideHandles = [
  handle<PlacedGuideNote>({
    hit: p => (isGuiding() && p.area === 'field' ? noteUnder(p) : null),
    cursor: p => (p.alt ? 'not-allowed' : 'move'),
    grab: moveNote,
    click: (p, note) => {
      if (p.alt) setNotes(rowsNow(note.index), {}, 'Take a guide note away');
    },
  }),
  handle<true>({
    hit: p => (isGuiding() && p.area === 'field' ? true : null),
    cursor: () => 'crosshair',
    grab: drawNote,
  }),
];

/** Leaves drawing with Esc, and writes what is played while the song runs. @returns what ends it */
export function watchGuiding(): () => void {
  const escape = (e: KeyboardEvent) => {
    if (e.key === 'Enter' && useKeys.getState().on && !(e.target as HTMLElement).matches('button, input')) {
      settleOnHeld();
      e.preventDefault();
      e.stopPropagation();
    }
    if (e.key !== 'Escape' || !isGuiding()) return;
    setGuiding(false);
    e.stopPropagation();
  };
  const down = new Map<Midi, number>();
  const endKeys = onKeys((midi, is) => {
    const p = player();
    if (is) {
      if (p?.playing) down.set(midi, p.position);
      return;
    }
    const from = down.get(midi);
    down.delete(midi);
    if (from === undefined || !p || p.position - from < SHORTEST) return;
    setNotes([...rowsNow(), [from, p.position, midi]], { kind: 'guide by keys' }, 'Play the guide');
  });
  window.addEventListener('keydown', escape, true);
  return () => {
    window.removeEventListener('keydown', escape, true);
    endKeys();
    setKeys(false);
    setGuiding(false);
  };
}

/** Settles what is chosen on the pitches that are held, in any octave. */
export function settleOnHeld(): boolean {
  const { held } = useKeys.getState();
  if (!held.length) {
    toast('Settle on held keys: hold one or more keys of the keyboard first.', { id: 'refused' });
    return false;
  }
  return act('settle', { pitches: held });
}
