import { clamp, unpickedByHand, type Candidate, type Compass, type Track } from '@essim/core';
import * as Comlink from 'comlink';
import { toast } from 'sonner';
import { create } from 'zustand';
import { WorkerHost } from '../jobs/host';
import type { UnpickJob } from '../jobs/unpick.worker';
import { look, opened, playMelody, songOf, trackOf, useSession } from '../open-song';
import { recordingOf } from './recording-of';

/** Recorded chords taken apart: what was found, and what of it counts. It is kept while the song is open. */

export interface Unpicked {
  trackId: string;
  name: string;
  /** How many sing; null: as many as are heard. */
  voices: number | null;
  /** Between which pitches each of them sings, the highest first; null: as it is heard. */
  compasses: readonly Compass[] | null;
  /** Those taken, and those that may be there. */
  notes: readonly Candidate[];
}

interface State {
  found: Unpicked | null;
  running: { name: string; share: number } | null;
  /** What it was before each change by hand, the last one last. */
  before: readonly Unpicked[];
  /** The note that keys act on, by its place in the list. */
  chosen: number | null;
  /** Lines that are heard as tones. */
  heard: ReadonlySet<number>;
  /** Compasses as they are being said, until what is found follows them. */
  saying: readonly Compass[] | null;
}

const nothing: State = { found: null, running: null, before: [], chosen: null, heard: new Set(), saying: null };
export const useUnpicked = create<State>(() => nothing);

const get = useUnpicked.getState;

let host: WorkerHost<UnpickJob> | null = null;
const stopFlag = new Int32Array(new SharedArrayBuffer(4));
export const stopUnpicking = (): void => void Atomics.store(stopFlag, 0, 1);

/** Takes a track's recording apart. @param voices null: as many as are heard @param compasses null: as they are heard */
export async function unpickTrack(
  track: Track,
  voices: number | null,
  compasses: readonly Compass[] | null = null,
): Promise<void> {
  const [open, song] = [opened(), songOf(useSession.getState())];
  if (!open || !song || get().running) return;
  Atomics.store(stopFlag, 0, 0);
  const tell = (share: number) => useUnpicked.setState({ running: { name: track.name, share } });
  tell(0);
  try {
    let said = compasses;
    let notes: readonly Candidate[];
    for (;;) {
      const options = said ? { compasses: said } : voices ? { voices } : {};
      const recorded = await recordingOf(track, () => Atomics.load(stopFlag, 0) === 1);
      notes = await jobHost().ask(job => job.unpick(recorded, song.sampleRate, options, stopFlag, Comlink.proxy(tell)));
      if (opened() !== open) return;
      // compasses were said otherwise meanwhile: once more with what holds now
      const { saying } = get();
      if (!said || !saying || saying === said) break;
      said = saying;
    }
    if (!notes.some(n => n.is === 'taken'))
      return void toast(`No voices were heard in ${track.name}.`, { id: 'unpick' });
    const { found: last, before } = get();
    const found = { trackId: track.id, name: track.name, voices: said?.length ?? voices, compasses: said, notes };
    show(found, last?.trackId === track.id ? [...before, last] : []);
  } catch (error) {
    const stopped = error instanceof Error && error.name === 'Stopped';
    const why = error instanceof Error ? error.message : String(error);
    if (stopped) toast('Stopped; nothing was unpicked.', { id: 'unpick' });
    else toast.error(`Not unpicked: ${why}.`, { id: 'unpick' });
  } finally {
    useUnpicked.setState({ running: null, saying: null });
  }
}

function jobHost(): WorkerHost<UnpickJob> {
  if (host?.failure) host = null;
  return (host ??= new WorkerHost<UnpickJob>(
    new Worker(new URL('../jobs/unpick.worker.ts', import.meta.url), { type: 'module' }),
    'unpicking',
  ));
}

/** What is found now, and what of it is heard. */
function show(found: Unpicked | null, before: readonly Unpicked[]): void {
  const { chosen, heard } = get();
  const still = found && chosen !== null && chosen < found.notes.length ? chosen : null;
  useUnpicked.setState({ found, before, chosen: still });
  const notes = found && heard.size ? [...heard].flatMap(line => lineOf(found, line)) : [];
  playMelody('unpicked', notes.length ? { of: notes.map(asTone).join(), notes: notes.map(asPlayed) } : null);
}
const asTone = (n: Candidate) => `${n.start} ${n.end} ${Math.round(n.midi)}`;
export const asPlayed = (n: Candidate) => ({ start: n.start, end: n.end, midi: Math.round(n.midi) });

/** What was found of the open song's tracks. */
export function unpickedNow(): Unpicked | null {
  const { found } = get();
  return found && trackOf(useSession.getState(), found.trackId) ? found : null;
}

/** Changes what was found. @param same whether it is another step of one gesture */
function byHand(change: (notes: readonly Candidate[]) => readonly Candidate[], same = false): void {
  const { found, before } = get();
  if (!found) return;
  const notes = change(found.notes);
  if (notes === found.notes) return;
  show({ ...found, notes }, same ? before : [...before, found]);
}

/** Keeps hold of a note while the list is put in order anew. */
function withHold(index: number, change: (notes: readonly Candidate[]) => readonly Candidate[]): void {
  const held = get().found?.notes[index];
  byHand(change);
  const notes = get().found?.notes ?? [];
  const at = notes.findIndex(n => n.line === held?.line && n.start === held.start);
  chooseUnpicked(at < 0 ? null : at);
}

export const chooseUnpicked = (index: number | null): void => useUnpicked.setState({ chosen: index });
/** Takes a note out, or in again. */
export const toggleNote = (index: number): void => byHand(notes => unpickedByHand.toggled(notes, index));
export const moveUnpicked = (index: number, to: { start?: number; end?: number; midi?: number }, same: boolean): void =>
  byHand(notes => unpickedByHand.retimed(notes, index, to), same);
export const partUnpicked = (index: number, at: number): void =>
  withHold(index, notes => unpickedByHand.parted(notes, index, at));
export const joinUnpicked = (index: number): void => withHold(index, notes => unpickedByHand.joined(notes, index));
export const addUnpicked = (start: number, end: number, midi: number): void =>
  byHand(notes => unpickedByHand.added(notes, { start, end, midi }));
export const singBy = (index: number, line: number): void => byHand(notes => unpickedByHand.ofLine(notes, index, line));

/** Moves a note in time. */
export function nudgeUnpicked(index: number, by: number): void {
  const n = get().found?.notes[index];
  if (n) moveUnpicked(index, { start: n.start + by, end: n.end + by }, false);
}

/** Chooses the note after or before the chosen one; at first the one at the middle of what is seen. */
export function stepUnpicked(by: 1 | -1): void {
  const { found, chosen } = get();
  if (!found?.notes.length) return;
  const { view } = useSession.getState();
  const middle = (view.from + view.to) / 2;
  const nearest = found.notes.findIndex(n => n.end > middle);
  const next = chosen === null ? Math.max(0, nearest) : clamp(chosen + by, 0, found.notes.length - 1);
  chooseUnpicked(next);
  const n = found.notes[next];
  if (n.start >= view.from && n.end <= view.to) return;
  const shift = n.start - view.from - (view.to - view.from) * 0.3;
  look({ ...view, from: view.from + shift, to: view.to + shift });
}

/** Takes the last change back: this is no part of the song yet, so the song's own undo leaves it alone. */
export function takeBackUnpicked(): void {
  const { before } = get();
  if (before.length) show(before[before.length - 1], before.slice(0, -1));
}

/** Says between which pitches a voice sings; what is found follows when the gesture ends. */
export function setCompass(line: number, fields: Partial<Compass>, held: boolean): void {
  const { found } = get();
  const track = found && trackOf(useSession.getState(), found.trackId);
  if (!found || !track) return;
  const compasses = compassesOf(found).map((c, i) => {
    if (i !== line) return c;
    const { low, high } = { ...c, ...fields };
    return fields.low !== undefined
      ? { low: clamp(low, 0, high - NARROWEST), high }
      : { low, high: clamp(high, low + NARROWEST, 127) };
  });
  useUnpicked.setState({ saying: compasses });
  // while it is found anew, that goes once more with what holds then
  if (!held && !get().running) void unpickTrack(track, compasses.length, compasses);
}
const NARROWEST = 3;
export const giveUpCompass = (): void => useUnpicked.setState({ saying: null });

/** Compasses as they are said, else as far as each line was heard. */
export const compassesOf = (found: Unpicked): readonly Compass[] =>
  get().saying ??
  found.compasses ??
  linesOf(found).map(line => {
    const pitches = lineOf(found, line).map(n => Math.round(n.midi));
    return { low: Math.min(127, ...pitches) - 1, high: Math.max(0, ...pitches) + 1 };
  });

/** Hears a line as tones while the song runs, or no more. */
export function hearLine(line: number): void {
  const heard = new Set(get().heard);
  if (!heard.delete(line)) heard.add(line);
  useUnpicked.setState({ heard });
  show(get().found, get().before);
}

export function forgetUnpicked(): void {
  useUnpicked.setState({ heard: new Set() });
  show(null, []);
}

/** Notes of a line that count. */
export const lineOf = (found: Unpicked, line: number): Candidate[] =>
  found.notes.filter(n => n.line === line && n.is === 'taken');
export const linesOf = (found: Unpicked): number[] => [...new Set(found.notes.map(n => n.line))].sort((a, b) => a - b);
export const lineName = (found: Unpicked, line: number): string => {
  const count = linesOf(found).length;
  return count === 3 ? ['Upper line', 'Middle line', 'Lower line'][line] : `Line ${line + 1}`;
};
