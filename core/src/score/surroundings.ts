import { leadAt, noteFacts, type SplitTake, type Surroundings } from '../plan';
import { scattered, type Scatter } from '../parts';
import { TimeMap, type Meeting, type Song, type Take, type Track } from '../song';
import type { Decibels, Midi, Semitones, Span, TakeSeconds } from '../units';
import { heardMap, meetingsWithLead, Place, stackLeadOf } from './place';
import type { TrackView } from './track-view';

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
  part?: { scatter: Scatter; formant: Semitones; spans: Span<TakeSeconds>[] | null };
}

/** Whether a track takes more of its lead than its timing. */
export const leans = ({ align }: Pick<Track, 'align'>): boolean => !!align && (align.lean > 0 || align.levelLean > 0);

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
 * @param viewOf a track as it is heard now
 */
export function surroundingsOf(
  song: Song,
  track: Track,
  take: Take,
  viewOf: (trackId: string) => TrackView,
): TakeSurroundings | null {
  const lead = stackLeadOf(song, track);
  const view = lead && track.found && leans(track) ? viewOf(lead.id) : null;
  const of = [
    heardMap(song, track),
    lead && heardMap(song, lead),
    track.part,
    track.align,
    track.found,
    take.offsetSeconds,
    view?.line,
    view?.reading?.levelDb,
  ];
  const known = kept.get(take.id);
  if (known?.of.every((v, i) => v === of[i])) return known.made;
  const made = surrounding(song, track, take, view);
  kept.delete(take.id);
  kept.set(take.id, { of, made });
  if (kept.size > MOST_KEPT) kept.delete(kept.keys().next().value!);
  return made;
}

function surrounding(song: Song, track: Track, take: Take, lead: TrackView | null): TakeSurroundings | null {
  const bent = heardMap(song, track);
  const out: TakeSurroundings = {};
  const shift = take.offsetSeconds;
  if (bent) out.time = new Place(shift, bent).takeMap()!.toJSON();
  if (track.part) {
    const { scatterTime, scatterPitch, seed, formant, spans } = track.part;
    const toTake = (t: number) => (bent ? bent.backward(t) : t) - shift;
    out.part = {
      scatter: { time: scatterTime, pitch: scatterPitch, seed },
      formant,
      spans: spans?.map(p => ({ start: toTake(p.start), end: toTake(p.end) })) ?? null,
    };
  }
  const meetings = meetingsWithLead(song, track);
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
  return out.time || out.lean || out.part ? out : null;
}

/** The same for the planner, in frames of a take that was split. */
export function planSurroundings(asked: TakeSurroundings | null, take: SplitTake): Surroundings {
  if (!asked) return {};
  const { hop } = take.reading;
  const frames = take.sung.length;
  const { time, lean, part } = asked;
  const out: Surroundings = {};
  if (time) out.time = TimeMap.through(time);
  if (lean) {
    const line = { cents: Float32Array.from(lean.lead, midi => midi * 100), levelDb: lean.leadDb, hop };
    const { cents, levelDb } = leadAt(line, frames, hop, TimeMap.through(lean.counterpart), lean.alone);
    if (lean.pitch) out.lean = { lead: cents, amount: lean.pitch };
    if (lean.level) out.levelLean = { lead: levelDb, amount: lean.level };
  }
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
  return out;
}

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
