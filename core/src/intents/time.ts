import { BarGrid } from '../music';
import { NoRoom, timingOf, type Timing, type TrackView } from '../score';
import { GiveSpan, setTrack, together, type Change, type TimeAnchor, type Track } from '../song';
import { counted, lastAtMost, type HeardSeconds, type Seconds } from '../units';
import type { Values } from './arguments';
import {
  countedOf,
  ownReading,
  Refused,
  meantSyllables,
  tracksMeant,
  type Acted,
  type Intent,
  type Stage,
  type TargetSyllable,
} from './intent';

/** Where notes are heard: moved, stretched, held at a moment, brought to the beat or to another track. */

const NEIGHBOURS = {
  name: 'neighbours',
  about: 'whether what is joined to them gives way, or stays so that a gap opens',
  kind: 'choice',
  of: ['give', 'gap'],
} as const;

const ms = (seconds: number) => `${Math.round(Math.abs(seconds) * 1000)} ms`;

/** The notes meant, by their tracks. @throws Refused when there are none, or they are a part's */
function byTrack(stage: Stage): Map<Track, TargetSyllable[]> {
  const out = new Map<Track, TargetSyllable[]>();
  for (const t of meantSyllables(stage)) out.set(ownTime(t.track), [...(out.get(t.track) ?? []), t]);
  if (!out.size) throw new Refused('there are no notes to act on');
  return out;
}

/** @throws Refused for a part: its time is its lead's */
function ownTime(track: Track): Track {
  if (track.part) throw new Refused(`${track.name} is a part: it goes along with its lead`);
  return track;
}

/** What timing makes. @throws Refused with the reason where there is no room for it */
export function withRoom<T>(make: () => T): T {
  try {
    return make();
  } catch (error) {
    if (error instanceof NoRoom) throw new Refused(error.message);
    throw error;
  }
}

/** Each track with other anchors. @throws Refused with the reason where there is no room */
export function retimed(
  stage: Stage,
  label: string,
  tracks: Iterable<Track>,
  anchorsOf: (timing: Timing, track: Track, view: TrackView) => TimeAnchor[],
): Acted {
  const { score } = stage;
  const changes: Change[] = [];
  for (const track of tracks) {
    const view = score.view(track.id);
    changes.push(
      setTrack(track.id, { time: withRoom(() => anchorsOf(timingOf(score.song, track, view), track, view)) }),
    );
  }
  return { label, song: together(changes)(score.song) };
}

const keysOf = (list: readonly TargetSyllable[]): Set<string> => new Set(list.map(t => t.note.key));
const countOf = (all: Map<Track, TargetSyllable[]>) => countedOf([...all.values()].flat());

const nudge: Intent = {
  name: 'nudge',
  title: 'Nudge',
  about: 'Moves notes earlier or later; consonants keep their length.',
  on: 'notes',
  args: [
    { name: 'ms', about: 'how much later', kind: 'number', low: -60000, high: 60000, unit: 'ms', required: true },
    NEIGHBOURS,
  ],
  act(stage, args) {
    const by = (args.ms as number) / 1000;
    const all = byTrack(stage);
    const label = `${countOf(all)} ${ms(by)} ${by < 0 ? 'earlier' : 'later'}`;
    return retimed(stage, label, all.keys(), (timing, track) =>
      timing.nudged(keysOf(all.get(track)!), by, args.neighbours === 'gap'),
    );
  },
};

const TIME = { kind: 'number', low: 0, high: 86400, unit: 's' } as const;

const stretch: Intent = {
  name: 'stretch',
  title: 'Stretch',
  about: 'Lets notes begin or end elsewhere; vowels give, consonants keep their length.',
  on: 'notes',
  args: [
    { name: 'start', about: 'where the first begins', ...TIME },
    { name: 'end', about: 'where the last ends', ...TIME },
    NEIGHBOURS,
  ],
  act(stage, { start, end, neighbours }) {
    if (start === undefined && end === undefined) throw new Refused('neither start nor end was given');
    const all = byTrack(stage);
    const to = {
      ...(start === undefined ? {} : { start: start as Seconds }),
      ...(end === undefined ? {} : { end: end as Seconds }),
    };
    return retimed(stage, `Stretch ${countOf(all)}`, all.keys(), (timing, track) =>
      timing.stretched(keysOf(all.get(track)!), to, neighbours === 'gap'),
    );
  },
};

const stitch: Intent = {
  name: 'stitch',
  title: 'Stitch',
  about: 'Holds a moment inside a note, or moves it: what lies on either side gives.',
  on: 'notes',
  args: [
    { name: 'at', about: 'the moment, as it is heard', ...TIME, required: true },
    { name: 'to', about: 'where it is heard from now on', ...TIME, required: true },
  ],
  act(stage, args) {
    const [at, to] = [args.at as HeardSeconds, args.to as HeardSeconds];
    const meant = meantSyllables(stage).find(t => t.note.start < at && t.note.end > at);
    if (!meant) throw new Refused('no note sounds at that moment');
    return retimed(stage, 'Stitch', [ownTime(meant.track)], timing => timing.stitched(meant.note.key, at, to));
  },
};

const unstitch: Intent = {
  name: 'unstitch',
  title: 'Take stitches out',
  about: 'Takes the stitches out of notes.',
  on: 'notes',
  args: [],
  act(stage) {
    const all = byTrack(stage);
    const before = [...all.keys()].map(t => t.time);
    const out = retimed(stage, `Take stitches out of ${countOf(all)}`, all.keys(), (timing, track) =>
      timing.unstitched(keysOf(all.get(track)!)),
    );
    const same = [...all.keys()].every(
      (t, i) => out.song.tracks.find(q => q.id === t.id)!.time.length === before[i].length,
    );
    if (same) throw new Refused('there is no stitch in these notes');
    return out;
  },
};

/** A note has settled where it is nearly as loud as it gets, within so long, s and dB. */
const SETTLING = { least: 0.03, most: 0.22, under: 3 };

/** How long after its onset a note has settled. */
function settledAfter(view: TrackView, { onset, end }: { onset: HeardSeconds; end: HeardSeconds }): Seconds {
  const { levelDb, hop } = view.reading!;
  const from = Math.round(onset / hop);
  const until = Math.min(Math.round(end / hop), levelDb.length);
  const loudest = levelDb.subarray(from, until).reduce((a, b) => Math.max(a, b), -200);
  let k = from;
  while (k < until && levelDb[k] < loudest - SETTLING.under) k++;
  return Math.min(SETTLING.most, Math.max(SETTLING.least, (k - from) * hop));
}

const onset: Intent = {
  name: 'onset',
  title: 'Onset',
  about: 'How fast notes speak: faster is sharper, slower softer. The rest of a note gives; its ends stay.',
  on: 'notes',
  args: [{ name: 'speed', about: '100 as sung', kind: 'number', low: 25, high: 400, unit: '%', required: true }],
  act(stage, args) {
    const all = byTrack(stage);
    return retimed(stage, `Onset ${args.speed as number} % of ${countOf(all)}`, all.keys(), (timing, track, view) => {
      const notes = all.get(track)!.map(({ note }) => {
        const heard = settledAfter(view, note);
        return { key: note.key, settled: timing.at(note.onset + heard) - timing.note(note.key).onset };
      });
      return timing.speaking(notes, (args.speed as number) / 100);
    });
  },
};

// ---- to the beat, to another track

/** Parts of a whole note. @example '1/8' is 8, '1/8T' 12 */
const GRIDS: Record<string, number> = {
  '1/2': 2,
  '1/4': 4,
  '1/4T': 6,
  '1/8': 8,
  '1/8T': 12,
  '1/16': 16,
  '1/16T': 24,
  '1/32': 32,
};
export const GRID_NAMES = Object.keys(GRIDS);
/** An onset of another track further away than this is not the one that is meant, s. */
const FURTHEST = 0.25;

/** Where one note would be brought. */
export interface Brought {
  track: Track;
  key: string;
  word: string | null;
  from: HeardSeconds;
  to: HeardSeconds;
}

/** The moments of a grid nearest to a moment. @throws Refused without a tempo */
export function gridOf(
  { score }: Pick<Stage, 'score'>,
  grid: string,
  swing: number,
): (t: HeardSeconds) => HeardSeconds {
  const { tempo } = score.song;
  if (!tempo) throw new Refused('this song has no tempo yet');
  const bars = new BarGrid(tempo);
  const beats = tempo.beatUnit / GRIDS[grid];
  const late = clampedSwing(swing);
  return t => {
    const at = bars.beatAt(t) / beats;
    // every other moment comes later when it swings
    const moments = [-2, -1, 0, 1, 2].map(i => {
      const n = Math.round(at) + i;
      return bars.secondsAt(beats * (Math.abs(n % 2) === 1 ? n - 1 + 2 * late : n));
    });
    return moments.reduce((best, m) => (Math.abs(m - t) < Math.abs(best - t) ? m : best));
  };
}
const clampedSwing = (swing: number) => Math.min(80, Math.max(50, swing)) / 100;

/** What bringing notes to the beat, or to another track, would do: for a preview, and for doing it. @throws Refused */
export function broughtBy(stage: Stage, args: Values): Brought[] {
  const { score } = stage;
  const {
    grid = '1/8',
    strength = 100,
    swing = 50,
    overMs = 0,
    against,
  } = args as {
    grid?: string;
    strength?: number;
    swing?: number;
    overMs?: number;
    against?: string;
  };
  const all = byTrack(stage);
  const nearest = against === undefined ? gridOf(stage, grid, swing) : onsetsOf(stage, against);
  const out: Brought[] = [];
  for (const [track, list] of all) {
    const { words } = score.view(track.id);
    const claimed = new Map<number, { off: number; brought: Brought | null }>();
    for (const { note } of list) {
      const to = nearest(note.onset);
      if (to === null) continue;
      const off = to - note.onset;
      const moves = Math.abs(off) * 1000 > overMs && Math.abs(off) > 1e-4;
      const word = words.find(w => w.start < note.end && w.end > note.start)?.text ?? null;
      const brought = moves
        ? { track, key: note.key, word, from: note.onset, to: note.onset + (off * strength) / 100 }
        : null;
      // of several that would come to one moment the nearest does; those beside it go along as they must
      const known = claimed.get(to);
      if (!known || Math.abs(off) < Math.abs(known.off)) claimed.set(to, { off, brought });
    }
    for (const { brought } of claimed.values()) if (brought) out.push(brought);
  }
  return out;
}

/** The onsets of another track. @throws Refused when there are none */
function onsetsOf({ score }: Stage, name: string): (t: HeardSeconds) => HeardSeconds | null {
  const track = score.song.tracks.find(t => t.name === name) ?? score.song.tracks.find(t => t.role === name);
  if (!track) throw new Refused(`there is no track "${name}"`);
  const { syllables } = score.view(track.id);
  if (!syllables.length) throw new Refused(`${track.name} has no notes`);
  return nearestOnset(syllables);
}

/** The onset nearest to a moment; null where none is near. @param notes in order */
export function nearestOnset(notes: readonly { onset: HeardSeconds }[]): (t: HeardSeconds) => HeardSeconds | null {
  return t => {
    const i = lastAtMost(notes, t, n => n.onset);
    const [a, b] = [notes[i], notes[i + 1]].map(n => (n as { onset: HeardSeconds } | undefined)?.onset ?? Infinity);
    const best = Math.abs(a - t) <= Math.abs(b - t) ? a : b;
    return Math.abs(best - t) <= FURTHEST ? best : null;
  };
}

const quantise: Intent = {
  name: 'quantise',
  title: 'Bring to the beat',
  about: 'Brings onsets to the grid, or to those of another track.',
  on: 'notes',
  also: ({ against }) => against as string | undefined,
  args: [
    { name: 'grid', about: 'the moments it is brought to', kind: 'choice', of: GRID_NAMES },
    { name: 'strength', about: 'how far it goes there', kind: 'number', low: 0, high: 100, unit: '%' },
    { name: 'swing', about: 'where every other moment lies; 50 is even', kind: 'number', low: 0, high: 80, unit: '%' },
    { name: 'overMs', about: 'only what is further off', kind: 'number', low: 0, high: 1000, unit: 'ms' },
    { name: 'against', about: 'another track instead of the grid', kind: 'text', most: 200 },
  ],
  act(stage, args) {
    const list = broughtBy(stage, args);
    if (!list.length) throw new Refused('all of these notes are there already');
    const tracks = new Map<Track, Map<string, HeardSeconds>>();
    for (const b of list) tracks.set(b.track, (tracks.get(b.track) ?? new Map<string, number>()).set(b.key, b.to));
    const to = args.against === undefined ? 'the beat' : (args.against as string);
    return retimed(stage, `${counted(list.length, 'note')} to ${to}`, tracks.keys(), (timing, track) =>
      timing.brought(tracks.get(track)!),
    );
  },
};

const keepLength: Intent = {
  name: 'keep-length',
  title: 'Keep length',
  about: 'Says of a stretch that it keeps its length when what is about it gives; or that it gives.',
  on: 'span',
  reads: true,
  args: [{ name: 'gives', about: 'it gives instead', kind: 'flag' }],
  act({ score, target }, { gives = false }) {
    const { span } = target;
    if (!span) throw new Refused('no stretch is meant');
    const changes = tracksMeant({ target }).map(track => {
      ownReading(track);
      const timing = timingOf(score.song, track, score.view(track.id));
      const [start, end] = [span.start, span.end].map(t => timing.sung(timing.at(t)));
      const rest = track.gives.filter(g => g.end <= start || g.start >= end);
      const said = Object.assign(new GiveSpan(), { start, end, gives: gives as boolean });
      return setTrack(track.id, { gives: [...rest, said].sort((a, b) => a.start - b.start) });
    });
    return { label: gives ? 'A stretch gives' : 'A stretch keeps its length', song: together(changes)(score.song) };
  },
};

export const TIME_INTENTS: readonly Intent[] = [nudge, stretch, stitch, unstitch, onset, quantise, keepLength];
