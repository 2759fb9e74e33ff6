import {
  circles,
  type Chord,
  type KeptSelection,
  type KeyChange,
  type NoteEdit,
  type Song,
  type SongKey,
  type Take,
  type Tempo,
  type Track,
} from './document';

/**
 * A change of a song. Each says all a change can do: be applied, be inverted against the song it was applied to, swallow the next one
 * of the same gesture, be named, and be stored.
 */
export interface Command {
  readonly type: string;
  /** For the undo list: "Settle 14 notes". */
  readonly label: string;
  apply(song: Song): Song;
  /** The command that takes the song after apply back to this one. */
  invert(before: Song): Command;
  /** One command for both when the next belongs to the same gesture; null when it does not. */
  merge(next: Command): Command | null;
  toJSON(): object;
}

function withTrack(song: Song, trackId: string, change: (track: Track) => Track): Song {
  if (!song.tracks.some(t => t.id === trackId)) throw new Error(`no track ${trackId} in this song`);
  return { ...song, tracks: song.tracks.map(t => (t.id === trackId ? change(t) : t)) };
}

/** Sets the edits of some notes of a take, each as a whole; null removes. */
export class SetNoteEdits implements Command {
  static readonly type = 'set-note-edits';
  readonly type = SetNoteEdits.type;

  constructor(
    readonly label: string,
    readonly trackId: string,
    readonly takeId: string,
    readonly edits: Record<string, NoteEdit | null>,
    /** Names the gesture, so that a fader's moves become one entry. */
    readonly gesture: string | null = null,
  ) {}

  apply(song: Song): Song {
    return withTrack(song, this.trackId, track => ({
      ...track,
      takes: track.takes.map(take => {
        if (take.id !== this.takeId) return take;
        const edits = { ...take.edits };
        for (const [key, edit] of Object.entries(this.edits)) {
          if (edit) edits[key] = edit;
          else delete edits[key];
        }
        return { ...take, edits };
      }),
    }));
  }

  invert(before: Song): SetNoteEdits {
    const old = before.tracks.find(t => t.id === this.trackId)?.takes.find(t => t.id === this.takeId)?.edits ?? {};
    return new SetNoteEdits(
      this.label,
      this.trackId,
      this.takeId,
      Object.fromEntries(Object.keys(this.edits).map(k => [k, old[k] ?? null])),
      this.gesture,
    );
  }

  merge(next: Command): Command | null {
    if (
      !(next instanceof SetNoteEdits) ||
      !this.gesture ||
      next.gesture !== this.gesture ||
      next.takeId !== this.takeId ||
      next.trackId !== this.trackId
    )
      return null;
    return new SetNoteEdits(next.label, this.trackId, this.takeId, { ...this.edits, ...next.edits }, this.gesture);
  }

  toJSON() {
    return {
      type: this.type,
      label: this.label,
      trackId: this.trackId,
      takeId: this.takeId,
      edits: this.edits,
      gesture: this.gesture,
    };
  }
}

/** Fields of the song as a whole that a command may set. */
export interface SongFields {
  name: string;
  key: SongKey | null;
  keyChanges: KeyChange[];
  referenceHz: number;
  tempo: Tempo | null;
  chords: Chord[];
  kept: KeptSelection[];
}

export class SetSong implements Command {
  static readonly type = 'set-song';
  readonly type = SetSong.type;
  constructor(
    readonly label: string,
    readonly fields: Partial<SongFields>,
    readonly gesture: string | null = null,
  ) {}
  apply(song: Song): Song {
    return { ...song, ...this.fields };
  }
  invert(before: Song): SetSong {
    return new SetSong(
      this.label,
      Object.fromEntries(Object.keys(this.fields).map(k => [k, before[k as keyof SongFields]])),
      this.gesture,
    );
  }
  merge(next: Command): Command | null {
    if (!(next instanceof SetSong) || !this.gesture || next.gesture !== this.gesture) return null;
    return new SetSong(next.label, { ...this.fields, ...next.fields }, this.gesture);
  }
  toJSON() {
    return { type: this.type, label: this.label, fields: this.fields, gesture: this.gesture };
  }
}

/** Fields of a track that a command may set. */
export type TrackFields = Pick<
  Track,
  | 'name'
  | 'role'
  | 'levelDb'
  | 'pan'
  | 'mute'
  | 'solo'
  | 'segments'
  | 'colour'
  | 'followsId'
  | 'phrases'
  | 'align'
  | 'found'
  | 'part'
>;

export class SetTrack implements Command {
  static readonly type = 'set-track';
  readonly type = SetTrack.type;
  constructor(
    readonly label: string,
    readonly trackId: string,
    readonly fields: Partial<TrackFields>,
    readonly gesture: string | null = null,
  ) {}
  apply(song: Song): Song {
    const { followsId } = this.fields;
    if (followsId && circles(song, this.trackId, followsId)) throw new Error('a track cannot follow itself');
    return withTrack(song, this.trackId, track => ({ ...track, ...this.fields }));
  }
  invert(before: Song): SetTrack {
    const track = before.tracks.find(t => t.id === this.trackId)!;
    return new SetTrack(
      this.label,
      this.trackId,
      Object.fromEntries(Object.keys(this.fields).map(k => [k, track[k as keyof TrackFields]])),
      this.gesture,
    );
  }
  merge(next: Command): Command | null {
    if (!(next instanceof SetTrack) || !this.gesture || next.gesture !== this.gesture || next.trackId !== this.trackId)
      return null;
    return new SetTrack(next.label, this.trackId, { ...this.fields, ...next.fields }, this.gesture);
  }
  toJSON() {
    return { type: this.type, label: this.label, trackId: this.trackId, fields: this.fields, gesture: this.gesture };
  }
}

/** Puts a track into the song at a place. */
export class AddTrack implements Command {
  static readonly type = 'add-track';
  readonly type = AddTrack.type;
  constructor(
    readonly label: string,
    readonly track: Track,
    readonly index: number,
  ) {}
  apply(song: Song): Song {
    return { ...song, tracks: [...song.tracks.slice(0, this.index), this.track, ...song.tracks.slice(this.index)] };
  }
  invert(): RemoveTrack {
    return new RemoveTrack(this.label, this.track.id);
  }
  merge(): null {
    return null;
  }
  toJSON() {
    return { type: this.type, label: this.label, track: this.track, index: this.index };
  }
}

export class RemoveTrack implements Command {
  static readonly type = 'remove-track';
  readonly type = RemoveTrack.type;
  constructor(
    readonly label: string,
    readonly trackId: string,
  ) {}
  apply(song: Song): Song {
    return { ...song, tracks: song.tracks.filter(t => t.id !== this.trackId) };
  }
  invert(before: Song): AddTrack {
    const index = before.tracks.findIndex(t => t.id === this.trackId);
    return new AddTrack(this.label, before.tracks[index], index);
  }
  merge(): null {
    return null;
  }
  toJSON() {
    return { type: this.type, label: this.label, trackId: this.trackId };
  }
}

/** Puts a track at another place in the order. */
export class MoveTrack implements Command {
  static readonly type = 'move-track';
  readonly type = MoveTrack.type;
  constructor(
    readonly label: string,
    readonly trackId: string,
    readonly index: number,
  ) {}
  apply(song: Song): Song {
    const track = song.tracks.find(t => t.id === this.trackId);
    if (!track) throw new Error(`no track ${this.trackId} in this song`);
    const rest = song.tracks.filter(t => t !== track);
    return { ...song, tracks: [...rest.slice(0, this.index), track, ...rest.slice(this.index)] };
  }
  invert(before: Song): MoveTrack {
    return new MoveTrack(
      this.label,
      this.trackId,
      before.tracks.findIndex(t => t.id === this.trackId),
    );
  }
  merge(): null {
    return null;
  }
  toJSON() {
    return { type: this.type, label: this.label, trackId: this.trackId, index: this.index };
  }
}

/** Fields of a take that a command may set. */
export type TakeFields = Pick<
  Take,
  'name' | 'sourceId' | 'offsetSeconds' | 'range' | 'channels' | 'edits' | 'words' | 'corrections'
>;

export class SetTake implements Command {
  static readonly type = 'set-take';
  readonly type = SetTake.type;
  constructor(
    readonly label: string,
    readonly trackId: string,
    readonly takeId: string,
    readonly fields: Partial<TakeFields>,
    readonly gesture: string | null = null,
  ) {}
  apply(song: Song): Song {
    return withTrack(song, this.trackId, track => ({
      ...track,
      takes: track.takes.map(t => (t.id === this.takeId ? { ...t, ...this.fields } : t)),
    }));
  }
  invert(before: Song): SetTake {
    const take = before.tracks.find(t => t.id === this.trackId)!.takes.find(t => t.id === this.takeId)!;
    const fields = Object.fromEntries(Object.keys(this.fields).map(k => [k, take[k as keyof TakeFields]]));
    return new SetTake(this.label, this.trackId, this.takeId, fields, this.gesture);
  }
  merge(next: Command): Command | null {
    if (!(next instanceof SetTake) || !this.gesture || next.gesture !== this.gesture || next.takeId !== this.takeId)
      return null;
    return new SetTake(next.label, this.trackId, this.takeId, { ...this.fields, ...next.fields }, this.gesture);
  }
  toJSON() {
    const { type, label, trackId, takeId, fields, gesture } = this;
    return { type, label, trackId, takeId, fields, gesture };
  }
}

/** Puts a take into a track at a place. The comp stays; a track without one gets the take as its comp. */
export class AddTake implements Command {
  static readonly type = 'add-take';
  readonly type = AddTake.type;
  constructor(
    readonly label: string,
    readonly trackId: string,
    readonly take: Take,
    readonly index: number,
  ) {}
  apply(song: Song): Song {
    return withTrack(song, this.trackId, track => ({
      ...track,
      takes: [...track.takes.slice(0, this.index), this.take, ...track.takes.slice(this.index)],
      segments: track.segments.length ? track.segments : [{ at: 0, takeId: this.take.id, fadeMs: 12 }],
    }));
  }
  invert(before: Song): Command {
    const track = before.tracks.find(t => t.id === this.trackId)!;
    return new Together(this.label, [
      new RemoveTake(this.label, this.trackId, this.take.id),
      new SetTrack(this.label, this.trackId, { segments: track.segments }),
    ]);
  }
  merge(): null {
    return null;
  }
  toJSON() {
    return { type: this.type, label: this.label, trackId: this.trackId, take: this.take, index: this.index };
  }
}

/** Takes a take out of a track; where it was heard, the first that is left is heard. */
export class RemoveTake implements Command {
  static readonly type = 'remove-take';
  readonly type = RemoveTake.type;
  constructor(
    readonly label: string,
    readonly trackId: string,
    readonly takeId: string,
  ) {}
  apply(song: Song): Song {
    return withTrack(song, this.trackId, track => {
      const takes = track.takes.filter(t => t.id !== this.takeId);
      const segments = takes.length
        ? track.segments
            .map(g => (g.takeId === this.takeId ? { at: g.at, takeId: takes[0].id, fadeMs: g.fadeMs } : g))
            .filter((g, i, all) => !i || g.takeId !== all[i - 1].takeId || g.shiftSeconds !== all[i - 1].shiftSeconds)
        : [];
      return { ...track, takes, segments };
    });
  }
  invert(before: Song): Command {
    const track = before.tracks.find(t => t.id === this.trackId)!;
    const index = track.takes.findIndex(t => t.id === this.takeId);
    return new Together(this.label, [
      new AddTake(this.label, this.trackId, track.takes[index], index),
      new SetTrack(this.label, this.trackId, { segments: track.segments }),
    ]);
  }
  merge(): null {
    return null;
  }
  toJSON() {
    return { type: this.type, label: this.label, trackId: this.trackId, takeId: this.takeId };
  }
}

/** Several commands as one step of the journal, done in order and undone in reverse. */
export class Together implements Command {
  static readonly type = 'together';
  readonly type = Together.type;
  constructor(
    readonly label: string,
    readonly commands: readonly Command[],
  ) {}
  apply(song: Song): Song {
    return this.commands.reduce((s, c) => c.apply(s), song);
  }
  invert(before: Song): Together {
    const inverses: Command[] = [];
    let song = before;
    for (const c of this.commands) {
      inverses.unshift(c.invert(song));
      song = c.apply(song);
    }
    return new Together(this.label, inverses);
  }
  /** Two of the same gesture merge when their commands do, one by one. */
  merge(next: Command): Command | null {
    if (!(next instanceof Together) || next.commands.length !== this.commands.length) return null;
    const merged = this.commands.map((c, i) => c.merge(next.commands[i]));
    return merged.every(c => c !== null) ? new Together(next.label, merged) : null;
  }
  toJSON(): object {
    return { type: this.type, label: this.label, commands: this.commands.map(c => c.toJSON()) };
  }
}

interface StoredCommand {
  type?: string;
  label: string;
  trackId: string;
  takeId: string;
  edits: Record<string, NoteEdit | null>;
  gesture: string | null;
  fields: object;
  track: Track;
  take: Take;
  index: number;
  commands: unknown[];
}

/** Journals of documents of version 1 choose a track's one take; in a comp that is one segment. */
const trackFields = ({ takeId, ...fields }: Partial<TrackFields> & { takeId?: string }): Partial<TrackFields> =>
  takeId === undefined ? fields : { ...fields, segments: [{ at: 0, takeId, fadeMs: 12 }] };
const wholeTrack = ({ takeId, ...track }: Track & { takeId?: string }): Track =>
  takeId === undefined ? track : { ...track, segments: [{ at: 0, takeId, fadeMs: 12 }] };

/** A command from its stored form. @throws Error for a kind this program does not know */
export function commandFrom(json: unknown): Command {
  const c = json as StoredCommand;
  switch (c?.type) {
    case SetNoteEdits.type:
      return new SetNoteEdits(c.label, c.trackId, c.takeId, c.edits, c.gesture);
    case SetSong.type:
      return new SetSong(c.label, c.fields, c.gesture ?? null);
    case SetTrack.type:
      return new SetTrack(c.label, c.trackId, trackFields(c.fields), c.gesture);
    case AddTrack.type:
      return new AddTrack(c.label, wholeTrack(c.track), c.index);
    case RemoveTrack.type:
      return new RemoveTrack(c.label, c.trackId);
    case MoveTrack.type:
      return new MoveTrack(c.label, c.trackId, c.index);
    case SetTake.type:
      return new SetTake(c.label, c.trackId, c.takeId, c.fields, c.gesture);
    case AddTake.type:
      return new AddTake(c.label, c.trackId, c.take, c.index);
    case RemoveTake.type:
      return new RemoveTake(c.label, c.trackId, c.takeId);
    case Together.type:
      return new Together(c.label, c.commands.map(commandFrom));
    default:
      throw new Error(`unknown command ${String(c?.type)}`);
  }
}
