import type { Key, Scale } from '../music';
import type { KeyEstimate } from '../read';
import type { BackingEstimate } from '../setup';
import { leadOf, type Song, type Track } from '../song';
import type { HeardSeconds } from '../units';
import { countingEdits } from './counting';
import { emptyTrackView, trackView, type TakeViews, type TrackView } from './track-view';
import { chordAtOf, strongAtOf } from './harmony';
import { keyAt, keyOf, rankedKeysOf, scaleAtOf, type KeyInForce } from './tuning';

/**
 * A song as it is seen and heard at one moment of its making: the document with what was read of its takes and its backing. Everything
 * here is computed from these, when it is asked for; commands, desks, the command line and tests ask the same.
 */
export class Score {
  private readonly views: Record<string, TrackView>;
  private keys: KeyEstimate[] | null = null;
  private scales: ((seconds: HeardSeconds) => Scale) | null = null;
  private chords: ((seconds: HeardSeconds) => string) | null = null;
  private strong: ((seconds: HeardSeconds) => boolean) | null = null;

  /** @param views of tracks, where they are known already */
  constructor(
    readonly song: Song,
    readonly takes: TakeViews,
    readonly backing: BackingEstimate | null = null,
    views: Readonly<Record<string, TrackView>> = {},
    /** Keys ranked, where that is known already. */
    ranked: KeyEstimate[] | null = null,
  ) {
    this.views = { ...views };
    this.keys = ranked;
  }

  track(id: string): Track | undefined {
    return this.song.tracks.find(t => t.id === id);
  }

  /** A track as the desks see it. */
  view(trackId: string): TrackView {
    const known = this.views[trackId] as TrackView | undefined;
    if (known) return known;
    const track = this.track(trackId);
    if (!track) return emptyTrackView;
    return (this.views[trackId] = trackView(this.song, track, this.takes, take => countingEdits(this, track, take)));
  }

  /** Keys ranked from the lead's notes and the backing. */
  get rankedKeys(): KeyEstimate[] {
    if (!this.keys) {
      const lead = leadOf(this.song);
      this.keys = rankedKeysOf((lead && this.view(lead.id).reading?.notes) ?? null, this.backing);
    }
    return this.keys;
  }

  /** The song's first key: chosen, or estimated. */
  get key(): KeyInForce {
    return this.song.key ? keyOf(this.song, []) : keyOf(this.song, this.rankedKeys);
  }

  keyAt(seconds: HeardSeconds): Key | null {
    return keyAt(this.song, this.key.key, seconds);
  }

  /** Name of the chord that sounds at a moment; "" where none is known. */
  get chordAt(): (seconds: HeardSeconds) => string {
    return (this.chords ??= chordAtOf(this.song));
  }

  /** Whether a moment lies on a beat that a bar leans on. */
  get strongAt(): (seconds: HeardSeconds) => boolean {
    return (this.strong ??= strongAtOf(this.song));
  }

  /** The steps allowed at a moment. */
  get scaleAt(): (seconds: HeardSeconds) => Scale {
    return (this.scales ??= scaleAtOf(this.song, this.key.key));
  }
}
