import type { NoteEdit, Song, SongKey, Tempo, Track } from './document';

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
  tempo: Tempo | null;
}

export class SetSong implements Command {
  static readonly type = 'set-song';
  readonly type = SetSong.type;
  constructor(
    readonly label: string,
    readonly fields: Partial<SongFields>,
  ) {}
  apply(song: Song): Song {
    return { ...song, ...this.fields };
  }
  invert(before: Song): SetSong {
    return new SetSong(
      this.label,
      Object.fromEntries(Object.keys(this.fields).map(k => [k, before[k as keyof SongFields]])),
    );
  }
  merge(): null {
    return null;
  }
  toJSON() {
    return { type: this.type, label: this.label, fields: this.fields };
  }
}

/** Fields of a track that a command may set. */
export type TrackFields = Pick<Track, 'name' | 'role' | 'levelDb' | 'pan' | 'mute' | 'solo' | 'takeId'>;

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

interface StoredCommand {
  type?: string;
  label: string;
  trackId: string;
  takeId: string;
  edits: Record<string, NoteEdit | null>;
  gesture: string | null;
  fields: object;
  track: Track;
  index: number;
}

/** A command from its stored form. @throws Error for a kind this program does not know */
export function commandFrom(json: unknown): Command {
  const c = json as StoredCommand;
  switch (c?.type) {
    case SetNoteEdits.type:
      return new SetNoteEdits(c.label, c.trackId, c.takeId, c.edits, c.gesture);
    case SetSong.type:
      return new SetSong(c.label, c.fields);
    case SetTrack.type:
      return new SetTrack(c.label, c.trackId, c.fields, c.gesture);
    case AddTrack.type:
      return new AddTrack(c.label, c.track, c.index);
    case RemoveTrack.type:
      return new RemoveTrack(c.label, c.trackId);
    default:
      throw new Error(`unknown command ${String(c?.type)}`);
  }
}
