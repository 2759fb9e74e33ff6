import { BarGrid, stepName, type Key } from '../music';
import { HOP } from '../read';
import { commonLag, inTimeScore, inTuneScore, meanLevel } from '../measure';
import { wordOver, type Track } from '../song';
import type { Cents, Decibels, HeardSeconds, Midi, Span } from '../units';
import { hintsOf, type HintKind } from './hints';
import { pitchNow } from './pitch-now';
import { counterpartsOf } from './counterpart';
import { heardMap } from './place';
import type { Score } from './score';
import type { TrackNote, TrackView } from './track-view';

/** What the desks show of a song, as numbers. Times are as heard. */
export interface ShownNote extends Span<HeardSeconds> {
  sung: Midi;
  /** Where it is meant to be; as sung where nothing was decided. */
  meant: Midi;
  /** The pitch planned for its body, and at its start and end; null where nothing is sung. */
  now: Midi | null;
  startNow: Midi | null;
  endNow: Midi | null;
  word: string | null;
  pinned: boolean;
  levelDb: Decibels;
  /** How late it comes beside its lead, and how far its pitch lies from it by whole octaves and semitones; null without a counterpart. */
  offsetMs: number | null;
  centsToLead: Cents | null;
}

export interface ShownTrack {
  name: string;
  role: Track['role'];
  follows: string | null;
  notes: ShownNote[];
  /** Syllables that are spoken. */
  spoken: Pick<ShownNote, 'start' | 'end' | 'word' | 'levelDb' | 'offsetMs'>[];
  noises: (Span<HeardSeconds> & { kind: string; levelDb: Decibels; gainDb: Decibels })[];
  apart: Span<HeardSeconds>[];
}

export interface ShownHint {
  time: HeardSeconds;
  track: string;
  kind: HintKind;
  alternatives: Midi[];
}

export interface ShownSong {
  tracks: ShownTrack[];
  hints?: ShownHint[];
  key: { tonic: string; mode: Key['mode']; confidence: number } | null;
  scores: { inTune: number | null; inTime: number | null };
}

const round = (v: number, digits: number): number => Math.round(v * 10 ** digits) / 10 ** digits;
const rounded = (v: number | null, digits: number): number | null =>
  v === null || !Number.isFinite(v) ? null : round(v, digits);

/** @param score with lines as planned */
export function shownSong(score: Score, tracks: readonly Track[], { hints = false } = {}): ShownSong {
  const { key, confidence } = score.key;
  return {
    tracks: tracks.map(t => shownTrack(score, t)),
    ...(hints ? { hints: tracks.flatMap(t => shownHints(score, t)) } : {}),
    key: key && { tonic: stepName(key.tonic, key), mode: key.mode, confidence: round(confidence, 3) },
    scores: scoresOf(score, tracks),
  };
}

/** Median of a line over a span; null where nothing is sung. */
function middleOf(line: Float32Array, from: number, to: number): number | null {
  const values = Array.from(line.subarray(Math.max(0, Math.round(from / HOP)), Math.max(0, Math.round(to / HOP))))
    .filter(v => !Number.isNaN(v))
    .sort((a, b) => a - b);
  return values.length ? values[values.length >> 1] : null;
}

/** Mean level of what is sung over a span, dB, gains included. */
const levelOver = ({ reading, gainDb }: Pick<TrackView, 'reading' | 'gainDb'>, { start, end }: Span): Decibels =>
  round(meanLevel(reading?.levelDb ?? [], start / HOP, end / HOP, gainDb), 2);

/** What of a note counts as its start and end, s. */
const EDGE = 0.04;

function shownTrack(score: Score, track: Track): ShownTrack {
  const view = score.view(track.id);
  const lead = track.followsId ? score.track(track.followsId) : undefined;
  const offsets = counterpartsOf(score, track)?.offsets;
  const offsetOf = new Map(view.syllables.map((n, i) => [n.key, offsets?.[i].now ?? null]));
  const offsetMs = ({ key }: { key: string }) => rounded((offsetOf.get(key) ?? NaN) * 1000, 2);
  const leadLine = lead ? score.view(lead.id).line : null;
  return {
    name: track.name,
    role: track.role,
    follows: lead?.name ?? null,
    notes: view.notes.flatMap((n): ShownNote[] => {
      const edit = view.edits[n.key] as TrackView['edits'][string] | undefined;
      if (edit?.silent === 'deleted') return [];
      const length = n.end - n.start;
      const edge = Math.min(EDGE, length / 3);
      const now = pitchNow(view, n);
      return [
        {
          start: round(n.start, 4),
          end: round(n.end, 4),
          sung: round(n.sung, 4),
          meant: round(edit?.target ?? n.sung, 4),
          now: rounded(now, 4),
          startNow: rounded(middleOf(view.line, n.start, n.start + edge), 4),
          endNow: rounded(middleOf(view.line, n.end - edge, n.end), 4),
          word: wordOver(view.words, n)?.text ?? null,
          pinned: edit?.pinned ?? false,
          levelDb: levelOver(view, n),
          offsetMs: offsetMs(n),
          centsToLead: rounded(leadLine && offsetMs(n) !== null ? centsTo(view, leadLine, n) : null, 1),
        },
      ];
    }),
    spoken: view.syllables
      .filter(n => n.spoken)
      .map(n => ({
        start: round(n.start, 4),
        end: round(n.end, 4),
        word: wordOver(view.words, n)?.text ?? null,
        levelDb: levelOver(view, n),
        offsetMs: offsetMs(n),
      })),
    noises: (view.reading?.noises ?? []).map(n => ({
      start: round(n.start, 4),
      end: round(n.end, 4),
      kind: n.kind,
      levelDb: levelOver({ ...view, gainDb: null }, n),
      gainDb: round(meanOf(view.gainDb, n), 2),
    })),
    apart: apartOf(score, track),
  };
}

/** Mean of what edits turn up or down over a stretch. */
function meanOf(gainDb: Float32Array | null, { start, end }: Span): Decibels {
  const part = gainDb?.subarray(Math.round(start / HOP), Math.max(Math.round(start / HOP) + 1, Math.round(end / HOP)));
  return part?.length ? part.reduce((sum, v) => sum + v, 0) / part.length : 0;
}

/** Cents from the lead's pitch while a note is sung, whole semitones taken off, for a harmony keeps its interval. */
function centsTo(view: TrackView, lead: Float32Array, n: TrackNote): number | null {
  const apart: number[] = [];
  for (let k = Math.round(n.start / HOP); k < Math.round(n.end / HOP); k++) {
    const d = 100 * (view.line[k] - lead[k]);
    if (!Number.isNaN(d)) apart.push(d);
  }
  if (!apart.length) return null;
  const middle = apart.sort((a, b) => a - b)[apart.length >> 1];
  return middle - Math.round(middle / 100) * 100;
}

function apartOf({ song }: Score, track: Track): Span<HeardSeconds>[] {
  const bent = heardMap(song, track);
  const heard = (t: number) => round(bent ? bent.forward(t) : t, 4);
  return (track.found?.apart ?? []).map(s => ({ start: heard(s.start), end: heard(s.end) }));
}

const shownHints = (score: Score, track: Track): ShownHint[] =>
  hintsOf(score, track).flatMap(({ start, kind, alternatives, looked }) =>
    looked
      ? []
      : [{ time: round(start, 4), track: track.name, kind, alternatives: alternatives.map(m => round(m, 4)) }],
  );

/** In tune and in time over all voices, as they are heard; null where there is nothing to tell it by. */
function scoresOf(score: Score, tracks: readonly Track[]): ShownSong['scores'] {
  const views = tracks.map(t => score.view(t.id)).filter(v => v.notes.length);
  const tunes = views.map(v => inTuneScore(v.line, HOP, withPitch(v), score.scaleAt));
  const steady = tunes.reduce((s, t) => s + t.steadySeconds, 0);
  const good = tunes.reduce((s, t) => s + (t.steadySeconds ? t.share * t.steadySeconds : 0), 0);
  const { tempo } = score.song;
  const onsets = views.flatMap(v => v.notes.map(n => n.onset));
  let inTime: number | null = null;
  if (tempo && onsets.length) {
    const grid = new BarGrid(tempo);
    const beats = Array.from({ length: Math.ceil(grid.beatAt(Math.max(...onsets) + 1) * 4) + 4 }, (_, i) =>
      grid.secondsAt(i / 4),
    );
    const lag = commonLag(onsets, beats);
    inTime = inTimeScore(
      onsets.map(t => t - lag),
      beats,
    ).share;
  }
  return { inTune: steady ? round(good / steady, 4) : null, inTime: rounded(inTime, 4) };
}

/** Notes with the pitch they are heard at: a note is judged by the step nearest to it. */
const withPitch = (v: TrackView) => v.notes.map(n => ({ ...n, sung: middleOf(v.line, n.start, n.end) ?? n.sung }));
