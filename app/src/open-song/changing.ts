import {
  DocumentError,
  History,
  intentNamed,
  Refused,
  Score,
  withParts,
  type Acted,
  type Change,
  type Moved,
  type ScopePart,
  type Song,
  type Stage,
  type Target,
  type Value,
} from '@essim/core';
import { toast } from 'sonner';
import { newId } from '../keeping/ids';
import { save } from './saving';
import { leadOf, scoreOf, songOf, targetOf, useSession } from './state';

/**
 * How a song is changed: by commands, by changes of a desk, by drafts of a gesture. All of them show and sound at once; what is let go
 * of is stored, once.
 */

const get = useSession.getState;
const set = useSession.setState;

/** Told of every change of what is shown, so that what sounds goes along. */
type Follower = (before: Song | null, now: Song) => void;
let follow: Follower = () => {};
export const onShown = (follower: Follower): void => void (follow = follower);

export interface How {
  /** What kind of change it is: those of one kind that follow each other at once are one entry of the journal. */
  kind?: string | null;
  /** The gesture goes on: it is shown and heard, and stored when it is let go. */
  held?: boolean;
}

/** Says why something was not done. */
function refuse(what: string, error: unknown): void {
  if (!(error instanceof Refused || error instanceof DocumentError)) throw error;
  toast(`${what}: ${error.message}.`, { id: 'refused' });
}

/** Whether the song may be changed here; says so when it may not. */
export function mayChange(): boolean {
  if (!get().history) return false;
  if (!get().elsewhere) return true;
  toast('This song is being edited in another tab. Here it can be looked at and listened to.', { id: 'elsewhere' });
  return false;
}

function show(song: Song, state: Partial<ReturnType<typeof get>>): void {
  const before = songOf(get());
  const { editTrackId } = get();
  const there = song.tracks.some(t => t.id === editTrackId);
  set({ ...state, ...(there ? {} : { editTrackId: (leadOf(song) ?? song.tracks[0])?.id ?? '' }) });
  if (before !== song) follow(before, song);
}

/** Adopts a state of the history: shown, heard, and stored. */
function adopt({ history, change }: Moved): void {
  show(history.song, { history, draft: null });
  save(history.song, change);
}

/**
 * Changes the song. What changes nothing leaves no trace, what is out of bounds is refused with the reason.
 * @returns whether it was done
 */
export function change(label: string, make: Change, { kind = null, held = false }: How = {}): boolean {
  const { history } = get();
  if (!history || !mayChange()) return false;
  try {
    // a gesture always starts from the song as it is stored
    const after = withParts(make(history.song));
    if (held) {
      show(after, { draft: { label, song: after } });
      return true;
    }
    const moved = history.to(label, after, { kind });
    if (moved) adopt(moved);
    else giveUp();
    return !!moved;
  } catch (error) {
    giveUp();
    refuse(`${label} was not done`, error);
    return false;
  }
}

/** Lets a draft go: it becomes the song, as one entry of the journal. What was rendered of it is not rendered again. */
export function drop(kind: string | null = null): void {
  const { draft, history } = get();
  if (!draft || !history) return;
  try {
    const moved = history.to(draft.label, draft.song, { kind });
    if (moved) adopt(moved);
    else giveUp();
  } catch (error) {
    giveUp();
    refuse(`${draft.label} was not done`, error);
  }
}

/** Gives a draft up: the song is as it was, and nothing tells of it. */
export function giveUp(): void {
  const { draft, history } = get();
  if (draft && history) show(history.song, { draft: null });
}

// ---- commands

let stored: Score | null = null;
/** The score of the song as it is stored: a draft starts from there, with every step of its gesture. */
function storedScore(): Score {
  const s = get();
  if (!s.draft) return (stored = scoreOf(s));
  if (stored?.song !== s.history!.song) stored = new Score(s.history!.song, s.takes, s.backing);
  return stored;
}

/** What a command is given here: the score and what it acts on now. */
export function stageNow(target?: Target): Stage {
  const score = storedScore();
  return { score, target: target ?? targetOf(get()), newId };
}

export interface ActHow extends How {
  target?: Target;
  /** Notes of the edited track meant instead of the scope; those pinned are meant too. */
  parts?: readonly ScopePart[];
  label?: string;
  /** What else the command is given. */
  also?: Partial<Stage>;
}

/** Runs a command by its name. @returns whether it was done at once; a command that listens to sound is done later */
export function act(name: string, args: Readonly<Record<string, Value>> = {}, how: ActHow = {}): boolean {
  const intent = intentNamed(name);
  if (!intent) throw new Error(`there is no command ${name}`);
  if (!mayChange()) return false;
  try {
    const target = how.target ?? (how.parts ? targetOf(get(), how.parts) : undefined);
    const stage = { ...stageNow(target), ...how.also };
    const done = intent.act(stage, args);
    if (done instanceof Promise) {
      const base = get().history?.song;
      void done.then(
        acted => {
          // what changed meanwhile goes first
          if (get().history?.song === base) finish(acted, how);
          else toast(`${intent.title} was not done: the song changed meanwhile.`, { id: 'refused' });
        },
        (error: unknown) => refuse(intent.title, error),
      );
      return true;
    }
    return finish(done, how);
  } catch (error) {
    refuse(intent.title, error);
    return false;
  }
}

const finish = ({ label, song }: Acted, how: ActHow): boolean => change(how.label ?? label, () => song, how);

// ---- undo

export function undo(): void {
  giveUp();
  if (!get().history?.canUndo || !mayChange()) return;
  const step = get().history!.undo()!;
  adopt(step);
  toast(`Undone: ${step.label}`, { id: 'history', duration: 1500 });
}

export function redo(): void {
  giveUp();
  if (!get().history?.canRedo || !mayChange()) return;
  const step = get().history!.redo()!;
  adopt(step);
  toast(`Done again: ${step.label}`, { id: 'history', duration: 1500 });
}

/** Goes to a moment of the journal: so many of its entries are done then. */
export function goInHistory(done: number): void {
  giveUp();
  if (!get().history || !mayChange()) return;
  for (;;) {
    const history = get().history!;
    const moved = history.cursor > done ? history.undo() : history.cursor < done ? history.redo() : null;
    if (!moved) return;
    adopt(moved);
  }
}

/** Takes a history as the open song's, as it is stored. */
export function takeHistory(history: History): void {
  show(history.song, { history, draft: null });
}
