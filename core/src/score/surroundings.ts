import {
  leadAt,
  noteFacts,
  type GainSpan,
  type SplitTake,
  type Surroundings,
  type VibratoTurn,
  type WholeSpan,
} from '../plan';
import { scattered, type Scatter } from '../parts';
import { TimeMap, type Guide, type Meeting, type Song, type Take, type Track, type WholeTakeRecord } from '../song';
import type { Cents, Decibels, HeardSeconds, Midi, Semitones, Span, TakeSeconds } from '../units';
import { guideNotes, guideOf } from './guide';
import { referenceCents, scaleSpans, type ScaleSpan } from './tuning';
import type { Scale } from '../music';
import { heardMap, meetingsWithLead, Place, stackLeadOf } from './place';
import { asksOfClicks } from './clicks';
import { noiseGains } from './noises';
import type { TakeView, TrackView } from './track-view';

/**
 * What surrounds a take besides the edits of its notes, as it can be posted to where the take is rendered: how its track follows, leans,
 * or is a part. Take time.
 */
export interface TakeSurroundings {
  /** Take time to heard time. */
  time?: Meeting[];
  lean?: {
    /** 0..100. */
    pitch: number;
    level: number;
    /** The lead as it is heard, a number a frame of the song. */
    lead: ArrayLike<Midi>;
    leadDb: ArrayLike<Decibels>;
    /** Where in the song each moment of the take has its counterpart. */
    counterpart: Meeting[];
    /** Stretches of the take that have none or are left as sung. */
    alone: Span<TakeSeconds>[];
  };
  whole?: WholeInTake;
  /** Stretches turned up or down: noises, gaps. */
  gains?: GainSpan[];
  /** What is asked of its mouth clicks; which there are is heard where it is rendered. */
  clicks?: { track: Pick<Track, 'clean' | 'noises'>; take: Pick<Take, 'noises'> };
  part?: { scatter: Scatter; formant: Semitones; spans: Span<TakeSeconds>[] | null };
}

/** Whether a track takes more of its lead than its timing. */
export const leans = ({ align }: Pick<Track, 'align'>): boolean => !!align && (align.lean > 0 || align.levelLean > 0);

/** A note of a melody guide, take time and cents. */
interface GuideInTake extends Span<TakeSeconds> {
  cents: Cents;
  fold: boolean;
}

/** How a take is tuned as a whole; take time. */
interface WholeInTake {
  spans: WholeTakeRecord[];
  scales: readonly ScaleSpan[];
  guide: GuideInTake[];
}

interface Kept {
  of: unknown[];
  made: TakeSurroundings | null;
}
const kept = new Map<string, Kept>();
/** Takes whose surroundings are kept. */
const MOST_KEPT = 200;

/**
 * How a take of a track is to sound besides its notes' edits; null for a track that is only sung. The same object while nothing about it
 * changed, so that whoever has it need not be sent it again.
 * @param takeView what is known of the take; without it its noises stay as they are @param viewOf a track as it is heard now @param scaleAt the steps allowed at a moment of the song
 */
export function surroundingsOf(
  song: Song,
  track: Track,
  take: Take,
  viewOf: (trackId: string) => TrackView,
  scaleAt: (seconds: HeardSeconds) => Scale,
  takeView?: TakeView,
): TakeSurroundings | null {
  const lead = stackLeadOf(song, track);
  const view = lead && track.found && leans(track) ? viewOf(lead.id) : null;
  const beside = lead && track.noises.some(n => n.together) ? viewOf(lead.id) : null;
  const of = [
    heardMap(song, track),
    lead && heardMap(song, lead),
    track.part,
    track.align,
    track.found,
    track.whole,
    track.whole.length && scaleAt,
    guideMeant(song, track),
    take.offsetSeconds,
    track.time,
    track.noises,
    track.clean,
    take.noises,
    takeView?.reading,
    beside?.reading?.noises,
    view?.line,
    view?.reading?.levelDb,
  ];
  const known = kept.get(take.id);
  if (known?.of.every((v, i) => v === of[i])) return known.made;
  const made = surrounding(song, track, take, view, scaleAt, takeView, beside);
  kept.delete(take.id);
  kept.set(take.id, { of, made });
  if (kept.size > MOST_KEPT) kept.delete(kept.keys().next().value!);
  return made;
}

/** The guide a track is drawn to as a whole. */
const guideMeant = (song: Song, track: Track): Guide | null =>
  track.whole.some(w => w.to === 'guide') ? guideOf(song, track) : null;

/** A guide's notes as a take's are; it is written in semitones of 440 Hz. */
const guideInTake = (song: Song, guide: Guide | null, toTake: (t: HeardSeconds) => TakeSeconds): GuideInTake[] =>
  guide
    ? guideNotes(guide).map(n => ({
        start: toTake(n.start),
        end: toTake(n.end),
        cents: n.midi * 100 + referenceCents(song),
        fold: guide.fold,
      }))
    : [];

/** How a take of a track is tuned as a whole. */
export function wholeInTake(
  song: Song,
  track: Track,
  { offsetSeconds }: Pick<Take, 'offsetSeconds'>,
  scaleAt: (seconds: HeardSeconds) => Scale,
): WholeInTake {
  const bent = heardMap(song, track);
  const toTake = (t: HeardSeconds) => (bent ? bent.backward(t) : t) - offsetSeconds;
  return {
    spans: track.whole.map(w => ({ ...w, start: w.start - offsetSeconds, end: w.end - offsetSeconds })),
    scales: scaleSpans(scaleAt).map(s => ({ ...s, from: toTake(s.from) })),
    guide: guideInTake(song, guideMeant(song, track), toTake),
  };
}

/** The same for the planner, one for each record. @param frames of the take */
export function wholeSpans({ spans, scales, guide }: WholeInTake, frames: number, hop: number): WholeSpan[] {
  const frame = (t: TakeSeconds) => Math.max(0, Math.min(frames, Math.round(t / hop)));
  const melody = guide.map(g => ({ ...g, start: frame(g.start), end: frame(g.end) }));
  return spans.map(w => ({
    start: frame(w.start),
    end: frame(w.end),
    settling: { settleMs: w.settleMs, aim: w.aim / 100, vibrato: w.vibrato / 100, glideMs: w.glideMs },
    slack: { cents: w.slackCents, ms: w.slackMs },
    scaleAt: k => (scales.findLast(s => s.from <= k * hop) ?? scales[0]).scale,
    ...(w.to === 'guide' ? { guide: melody } : {}),
  }));
}

function surrounding(
  song: Song,
  track: Track,
  take: Take,
  lead: TrackView | null,
  scaleAt: (seconds: HeardSeconds) => Scale,
  takeView: TakeView | undefined,
  beside: TrackView | null,
): TakeSurroundings | null {
  const bent = heardMap(song, track);
  const out: TakeSurroundings = {};
  const shift = take.offsetSeconds;
  if (bent) out.time = new Place(shift, bent).takeMap()!.toJSON();
  if (track.whole.length) out.whole = wholeInTake(song, track, take, scaleAt);
  const gains = [...gapGains(track, shift), ...noiseGains(track, take, takeView, new Place(shift, bent), beside)];
  if (gains.length) out.gains = gains;
  const { clean, noises } = track;
  if (asksOfClicks(track, take)) out.clicks = { track: { clean, noises }, take: { noises: take.noises } };
  if (track.part) {
    const { scatterTime, scatterPitch, seed, formant, spans } = track.part;
    const toTake = (t: HeardSeconds) => (bent ? bent.backward(t) : t) - shift;
    out.part = {
      scatter: { time: scatterTime, pitch: scatterPitch, seed },
      formant,
      spans: spans?.map(p => ({ start: toTake(p.start), end: toTake(p.end) })) ?? null,
    };
  }
  const meetings = meetingsWithLead(song, track);
  const align = track.part ? null : track.align;
  if (align && track.followsId && (align.scatterTime || align.scatterPitch)) {
    const { scatterTime, scatterPitch, seed } = align;
    out.part = { scatter: { time: scatterTime, pitch: scatterPitch, seed }, formant: 0, spans: null };
  }
  if (lead?.line.length && lead.reading && meetings) {
    const { lean, levelLean, asSung } = track.align!;
    const counterpart = TimeMap.shift(shift).then(TimeMap.through(meetings));
    out.lean = {
      pitch: lean,
      level: levelLean,
      lead: lead.line,
      leadDb: lead.reading.levelDb,
      counterpart: counterpart.toJSON(),
      alone: [...track.found!.apart, ...asSung].map(a => ({ start: a.start - shift, end: a.end - shift })),
    };
  }
  return Object.keys(out).length ? out : null;
}

/** The same for the planner, in frames of a take that was split. */
export function planSurroundings(asked: TakeSurroundings | null, take: SplitTake): Surroundings {
  if (!asked) return {};
  const { hop } = take.reading;
  const frames = take.sung.length;
  const { time, lean, part, whole, gains } = asked;
  const out: Surroundings = {};
  if (time) out.time = TimeMap.through(time);
  if (lean) {
    const line = { cents: Float32Array.from(lean.lead, midi => midi * 100), levelDb: lean.leadDb, hop };
    const { cents, levelDb } = leadAt(line, frames, hop, TimeMap.through(lean.counterpart), lean.alone);
    if (lean.pitch) out.lean = { lead: cents, amount: lean.pitch };
    if (lean.level) out.levelLean = { lead: levelDb, amount: lean.level };
  }
  if (whole) out.whole = wholeSpans(whole, frames, hop);
  if (gains) out.gains = gains;
  if (part) {
    const { scatter, formant, spans } = part;
    if (scatter.time || scatter.pitch) {
      const drawn = scattered(noteFacts(take), scatter, hop, frames);
      out.cents = drawn.cents;
      out.turns = drawn.turns;
      out.levelDb = drawn.levelDb;
      if (scatter.time) out.time = out.time ? drawn.time.then(out.time) : drawn.time;
    }
    if (formant) out.formant = formant;
    if (spans) out.levelDb = onlyIn(spans, hop, out.levelDb ?? new Float32Array(frames));
  }
  const held = out.time && heldTurns(take, out.time);
  if (held) out.turns = out.turns?.map((t, i) => ({ ...t, faster: t.faster * held[i].faster })) ?? held;
  return out;
}

/** A note held on for so much longer, or so much shorter, keeps the rate of its vibrato; a little of either is nobody's business. */
const HELD = 1.35;
/** A swing has at least so many frames. */
const FASTEST = 6;

/** What vibratos must be turned to, to be heard at their own rates; null where none is bent by much. */
function heldTurns({ notes, reading }: SplitTake, time: TimeMap): VibratoTurn[] | null {
  const { hop } = reading;
  const slopes = notes.map((n, i) => {
    const from = Math.max(n.start * hop, reading.notes[i].onset);
    const slope = (time.forward(n.end * hop) - time.forward(from)) / Math.max(hop, n.end * hop - from);
    return n.vibratoShape && (slope > HELD || slope < 1 / HELD) ? Math.min(FASTEST, slope) : 1;
  });
  return slopes.some(s => s !== 1) ? slopes.map(faster => ({ faster, phase: 0 })) : null;
}

/** A gap that was left open is silent, and the sound about it dies away into it. */
const GAP_FADE: TakeSeconds = 0.012;
const gapGains = ({ time }: Track, shift: number): GainSpan[] =>
  time.flatMap((a, i) =>
    a.holds === 'gap' && i + 1 < time.length
      ? [{ start: a.at - shift, end: time[i + 1].at - shift, db: SILENCE_DB, over: GAP_FADE }]
      : [],
  );

const SILENCE_DB: Decibels = -120;
const FADE: TakeSeconds = 0.03;

/** Silence outside some stretches, going over in 30 ms. dB a frame */
function onlyIn(spans: readonly Span[], hop: number, levelDb: Float32Array): Float32Array {
  return levelDb.map((db, k) => {
    const t = k * hop;
    const away = Math.min(...spans.map(s => Math.max(s.start - t, t - s.end)));
    return away <= 0 ? db : Math.max(SILENCE_DB, db + (SILENCE_DB * away) / FADE);
  });
}
