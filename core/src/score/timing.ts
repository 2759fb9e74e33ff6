import { TimeAnchor, TimeMap, type Meeting, type Song, type Track } from '../song';
import { clamp, lastAtMost, type HeardSeconds, type Seconds, type Span } from '../units';
import { followingMap, ownMap } from './place';
import type { TrackView } from './track-view';

/**
 * Moving a track's sound about: what is asked is where some moments are to be heard; between them time gives where it may. Rests give
 * most, vowels give, consonants keep their length. All here is in two clocks: the track as it would be heard if nothing were moved by
 * hand (`from`), and as it is heard (`to`).
 */

/** How readily a stretch gives, and what it may become: length heard over length not moved. */
interface Give {
  share: number;
  least: number;
  most: number;
}
const REST: Give = { share: 6, least: 0.04, most: Infinity };
const BREATH: Give = { share: 0.5, least: 0.4, most: 2 };
const VOWEL: Give = { share: 1, least: 0.2, most: 60 };
/** Only where nothing else can. */
const CONSONANT: Give = { share: 0.005, least: 0.75, most: 1.25 };
const SPOKEN: Give = { share: 1, least: 0.5, most: 2 };

/** A stretch that gives evenly. */
interface Piece extends Give {
  from: Span;
  to: Span;
  /** Keeps its length while what lies beside it can give. */
  firm: boolean;
  holds?: 'pace' | 'gap';
}

/** A moment that is to be heard at another; stitches stay where they are put. */
export interface Asked extends Meeting {
  /** Null: nothing is held there any more; absent: what is held there already. */
  holds?: TimeAnchor['holds'] | null;
}

/** A note or a spoken syllable by the clock of what is not moved. */
export interface TimedNote extends Span {
  key: string;
  onset: Seconds;
}

/** Shorter is nothing. */
const NOTHING: Seconds = 1e-6;
/** Of a gap that opens at a join so much of the sound is lost in it. */
export const GAP: Seconds = 0.008;
/** So far apart notes are sung without a rest. */
const JOINED: Seconds = 0.02;
/** A rest that gives way stays at least so long. */
const LEAST_REST: Seconds = 0.03;

/** What was asked cannot be: there is too little between for it. */
export class NoRoom extends Error {
  override name = 'NoRoom';
}

/** A stretch and how readily it gives. */
interface Ground extends Span {
  give: Give;
}

/** A track's time, to be changed. */
export class Timing {
  private byKey: Map<string, TimedNote> | null = null;

  private constructor(
    /** As sung to not moved. */
    private readonly base: TimeMap | null,
    /** In order. */
    readonly notes: readonly TimedNote[],
    /** What gives how, in order, nothing over another; rests lie between. */
    private readonly ground: readonly Ground[],
    /** The anchors by the clock of what is not moved. */
    private readonly anchors: readonly Asked[],
    /** Not moved to heard. */
    readonly own: TimeMap,
  ) {}

  /** @param view the track as it is heard now */
  static of(song: Pick<Song, 'tracks'>, track: Track, view: TrackView): Timing {
    const base = followingMap(song, track);
    const own = ownMap(track.time, base);
    const unmoved = (t: Seconds) => (base ? base.forward(t) : t);
    const anchors = track.time.map(({ at, holds }): Asked => {
      const from = unmoved(at);
      return { from, to: own.forward(from), ...(holds ? { holds } : {}) };
    });
    const not = (t: HeardSeconds) => own.backward(t);
    const notes = view.syllables.map(({ key, start, onset, end, spoken }) => ({
      key,
      start: not(start),
      onset: not(onset),
      end: not(end),
      spoken,
    }));
    const { noises = [], spoken = [] } = view.reading ?? {};
    // what is said later holds over what was said before
    const ground = flattened([
      ...spoken.map(n => ({ start: not(n.start), end: not(n.end), give: SPOKEN })),
      ...notes.map(n => ({ start: n.start, end: n.end, give: n.spoken ? SPOKEN : VOWEL })),
      ...notes.map(n => ({ start: n.start, end: Math.min(n.onset, n.end), give: CONSONANT })),
      ...noises.map(n => ({ start: not(n.start), end: not(n.end), give: n.kind === 'breath' ? BREATH : CONSONANT })),
      ...track.gives.map(g => ({ start: unmoved(g.start), end: unmoved(g.end), give: g.gives ? VOWEL : CONSONANT })),
    ]);
    return new Timing(base, notes, ground, anchors, own);
  }

  /** The same notes with other anchors. */
  private laid(anchors: readonly Asked[]): Timing {
    const all = rising(anchors);
    return new Timing(this.base, this.notes, this.ground, all, TimeMap.through(all));
  }

  /** A note by its key in the track's view. */
  note(key: string): TimedNote {
    this.byKey ??= new Map(this.notes.map(n => [n.key, n]));
    return this.byKey.get(key)!;
  }

  heard(from: Seconds): HeardSeconds {
    return this.own.forward(from);
  }

  /** As sung, of a moment by the clock of what is not moved. */
  sung(from: Seconds): Seconds {
    return this.base ? this.base.backward(from) : from;
  }

  /** By the clock of what is not moved, of a moment as it is heard. */
  at(heard: HeardSeconds): Seconds {
    return this.own.backward(heard);
  }

  /** What lies in a stretch, as pieces that give evenly. */
  private pieces(start: Seconds, end: Seconds): Piece[] {
    const inside = (t: Seconds) => t > start + NOTHING && t < end - NOTHING;
    const cuts = [start, end];
    const { ground, anchors } = this;
    for (
      let i = Math.max(
        0,
        lastAtMost(ground, start, g => g.start),
      );
      ground[i]?.start < end;
      i++
    )
      cuts.push(...[ground[i].start, ground[i].end].filter(inside));
    for (
      let i = Math.max(
        0,
        lastAtMost(anchors, start, a => a.from),
      );
      anchors[i]?.from < end;
      i++
    )
      if (inside(anchors[i].from)) cuts.push(anchors[i].from);
    cuts.sort((a, b) => a - b);
    return cuts.slice(1).flatMap((b, i) => (b - cuts[i] < NOTHING ? [] : [this.piece(cuts[i], b)]));
  }

  private piece(start: Seconds, end: Seconds): Piece {
    const middle = (start + end) / 2;
    const on = this.ground[lastAtMost(this.ground, middle, g => g.start)] as Ground | undefined;
    const give = on && on.end > middle ? on.give : REST;
    const anchor = this.anchors[lastAtMost(this.anchors, middle, a => a.from)] as Asked | undefined;
    const to = { start: this.heard(start), end: this.heard(end) };
    const pace = (to.end - to.start) / (end - start);
    const holds = anchor?.holds === 'pace' || anchor?.holds === 'gap' ? anchor.holds : undefined;
    const kept = holds === 'pace' ? { share: 0.02, least: pace, most: pace } : holds === 'gap' ? REST : give;
    return {
      share: kept.share,
      firm: kept === CONSONANT,
      // what is pressed or drawn already is not made to spring back
      least: Math.min(kept.least, pace),
      most: Math.max(kept.most, pace),
      from: { start, end },
      to,
      ...(holds ? { holds } : {}),
    };
  }

  /** Least and most a stretch may be as long as heard. */
  private room(start: Seconds, end: Seconds): [least: Seconds, most: Seconds] {
    let [least, most] = [0, 0];
    for (const p of this.pieces(start, end)) {
      const length = p.from.end - p.from.start;
      least += p.least * length;
      most += p.most * length;
    }
    return [least, most];
  }

  /** Whether a stretch can come to lie so. */
  private fits(start: Seconds, end: Seconds, to: Span): boolean {
    const [least, most] = this.room(start, end);
    const length = to.end - to.start;
    return length >= least - NOTHING && length <= most + NOTHING;
  }

  /**
   * Anchors for a track of which some moments are heard elsewhere. What lies outside the first and the last of them stays.
   * @param asked rising @throws NoRoom when there is too little between two of them
   */
  with(asked: readonly Asked[]): TimeAnchor[] {
    return this.recorded(this.points(asked));
  }

  /** What is held at a moment. */
  private holdsAt(t: Seconds): Asked['holds'] {
    return this.anchors.find(a => Math.abs(a.from - t) < NOTHING)?.holds;
  }

  /** The same as moments by the clock of what is not moved. */
  private points(asked: readonly Asked[]): Asked[] {
    const list = [...asked]
      .map((a): Asked => ({ ...a, holds: a.holds === undefined ? this.holdsAt(a.from) : a.holds }))
      .sort((a, b) => a.from - b.from);
    const [first, last] = [list[0].from, list[list.length - 1].from];
    const stitches = this.anchors.filter(a => a.holds === 'stitch' && a.from > first && a.from < last);
    for (const s of stitches)
      if (!list.some(a => Math.abs(a.from - s.from) < NOTHING) && this.between(list, s)) list.push(s);
    list.sort((a, b) => a.from - b.from);
    const points: Asked[] = this.anchors.filter(a => a.from < first - NOTHING);
    for (let i = 0; i < list.length; i++) {
      points.push(list[i]);
      if (i + 1 < list.length) points.push(...this.filled(list[i], list[i + 1]));
    }
    points.push(...this.anchors.filter(a => a.from > last + NOTHING));
    return points;
  }

  /** Whether a stitch can stay where it is between what was asked. */
  private between(list: readonly Asked[], s: Asked): boolean {
    const before = list.findLast(a => a.from < s.from);
    const after = list.find(a => a.from > s.from);
    if (!before || !after) return false;
    return (
      this.fits(before.from, s.from, { start: before.to, end: s.to }) &&
      this.fits(s.from, after.from, { start: s.to, end: after.to })
    );
  }

  /** The moments between two at which the pace changes. */
  private filled(a: Asked, b: Asked): Asked[] {
    // a gap that is asked for gives as it must
    if (a.holds === 'gap') return [];
    const pieces = this.pieces(a.from, b.from);
    const length = b.to - a.to;
    const now = pieces.map(p => p.to.end - p.to.start);
    const [least, most] = [pieces.map(p => p.least), pieces.map(p => p.most)].map(list =>
      list.map((v, i) => v * (pieces[i].from.end - pieces[i].from.start)),
    );
    const sum = (list: number[]) => list.reduce((s, v) => s + v, 0);
    if (length < sum(least) - NOTHING || length > sum(most) + NOTHING || length <= 0)
      throw new NoRoom('there is no room');
    const ifFirm = (list: number[]) => sum(list.map((v, i) => (pieces[i].firm ? now[i] : v)));
    const firm = length > ifFirm(least) && length < ifFirm(most);
    const at = (rate: number) =>
      pieces.map((p, i) => (firm && p.firm ? now[i] : clamp(now[i] * (1 + rate * p.share), least[i], most[i])));
    // as long together as was asked: the more the rate, the longer
    let [low, high] = [-200, 1];
    while (sum(at(high)) < length && high < 1e9) high *= 4;
    for (let i = 0; i < 80; i++) {
      const middle = (low + high) / 2;
      if (sum(at(middle)) < length) low = middle;
      else high = middle;
    }
    const lengths = at(high);
    // what rounding left goes to the longest
    const left = length - sum(lengths);
    const longest = lengths.reduce(
      (best, v, i) => (!(firm && pieces[i].firm) && v > (lengths[best] ?? 0) ? i : best),
      -1,
    );
    lengths[longest] += left;
    const out: Asked[] = [];
    let to = a.to;
    for (const [i, p] of pieces.entries()) {
      if (i) out.push({ from: p.from.start, to, ...(p.holds ? { holds: p.holds } : {}) });
      to += lengths[i];
    }
    return out;
  }

  /** Points as the document has them; those that bend nothing are left out. */
  private recorded(points: readonly Asked[]): TimeAnchor[] {
    // what was set to where it lies anyway is as it was sung
    const all = rising(points).map(p =>
      p.holds === 'set' && Math.abs(p.to - p.from) < NOTHING ? { ...p, holds: null } : p,
    );
    const by = (p: Asked | undefined) => (p ? p.to - p.from : 0);
    const kept = all.filter((p, i) => {
      const [before, after] = [all[i - 1] as Asked | undefined, all[i + 1] as Asked | undefined];
      if (p.holds || before?.holds === 'pace' || before?.holds === 'gap') return true;
      if (!before || !after) return [p, before ?? after].some(q => Math.abs(by(q)) > NOTHING);
      const straight = before.to + ((after.to - before.to) * (p.from - before.from)) / (after.from - before.from);
      return Math.abs(straight - p.to) > NOTHING;
    });
    const anchors = kept.map(p =>
      Object.assign(new TimeAnchor(), {
        at: Math.max(0, this.sung(p.from)),
        by: Math.abs(by(p)) < NOTHING ? 0 : by(p),
        ...(p.holds ? { holds: p.holds } : {}),
      }),
    );
    const rises = anchors.filter((a, i) => !i || a.at > anchors[i - 1].at);
    return rises.every(a => a.by === 0 && !a.holds) ? [] : rises;
  }

  // ---- what is asked for, from moves of notes

  /** Moments of notes as they lie now, so that they stay. */
  private held(n: TimedNote): Asked[] {
    return distinct([n.start, n.onset].map(from => ({ from, to: this.heard(from) })));
  }

  /** Everything between two moments as it lies now, moved. */
  private moved(start: Seconds, end: Seconds, by: Seconds): Asked[] {
    const inner = this.anchors.filter(a => a.from > start + NOTHING && a.from < end - NOTHING);
    const ends: Asked[] = [start, end].map(from => ({
      from,
      to: this.heard(from),
      holds: this.holdsAt(from) ?? 'set',
    }));
    return [ends[0], ...inner, ends[1]].map(a => ({ ...a, to: a.to + by }));
  }

  /** Where what lies before a moment stays, if the moment comes to be heard at another: as near as it can. @param from note before */
  private fenceBefore(at: Seconds, to: HeardSeconds, from: number): Asked | null {
    const fits = (start: Seconds, held: HeardSeconds) => this.fits(start, at, { start: held, end: to });
    for (let i = from; i >= 0; i--) {
      const n = this.notes[i];
      const rest = at - n.end;
      if (rest > JOINED) {
        const held = this.heard(n.end);
        if (to - held >= LEAST_REST && fits(n.end, held)) return { from: n.end, to: held };
      }
      for (const t of [n.onset, n.start]) {
        const held = this.heard(t);
        if (t < at - NOTHING && held < to && fits(t, held)) return { from: t, to: held };
      }
    }
    const zero = { from: Math.min(0, at - 0.02), to: this.heard(Math.min(0, at - 0.02)) };
    return zero.to < to && fits(zero.from, zero.to) ? zero : null;
  }

  private fenceAfter(at: Seconds, to: HeardSeconds, from: number): Asked | null {
    const fits = (end: Seconds, held: HeardSeconds) => this.fits(at, end, { start: to, end: held });
    for (let i = from; i < this.notes.length; i++) {
      const n = this.notes[i];
      const rest = n.start - at;
      if (rest > JOINED) {
        const held = this.heard(n.start);
        if (held - to >= LEAST_REST && fits(n.start, held)) return { from: n.start, to: held };
      }
      const held = this.heard(n.end);
      if (n.end > at + NOTHING && held > to && fits(n.end, held)) return { from: n.end, to: held };
    }
    // after the last of them there is nothing that could not wait
    const end = Math.max(at, this.notes[this.notes.length - 1]?.end ?? 0) + 1;
    const held = Math.max(this.heard(end), to + 0.05);
    return { from: end, to: held };
  }

  /** Numbers of the notes with these keys, in runs of neighbours. */
  private runs(keys: ReadonlySet<string>): [first: number, last: number][] {
    const out: [number, number][] = [];
    this.notes.forEach((n, i) => {
      if (!keys.has(n.key)) return;
      const run = out[out.length - 1] as [number, number] | undefined;
      if (run?.[1] === i - 1) run[1] = i;
      else out.push([i, i]);
    });
    return out;
  }

  /** Whether a note goes over into the next. */
  private joinedAfter(i: number): boolean {
    const next = this.notes[i + 1] as TimedNote | undefined;
    return !!next && next.start - this.notes[i].end < JOINED;
  }

  /**
   * Anchors for notes moved by so much, neighbours in one. @param gap their neighbours stay as they are where they can: it is silent between
   * @throws NoRoom when they cannot go there
   */
  nudged(keys: ReadonlySet<string>, by: Seconds, gap = false): TimeAnchor[] {
    const asked: Asked[] = [];
    for (const [first, last] of this.runs(keys)) {
      const [start, end] = [this.notes[first].start, this.notes[last].end];
      const body = this.moved(start, end, by);
      asked.push(...this.bounded(body, first, last, gap && by > 0, gap && by < 0));
    }
    return this.with(distinct(asked));
  }

  /** Anchors for notes, from the first to the last of them, that begin or end elsewhere. @throws NoRoom */
  stretched(keys: ReadonlySet<string>, to: Partial<Span<HeardSeconds>>, gap = false): TimeAnchor[] {
    const runs = this.runs(keys);
    const [first, last] = [runs[0][0], runs[runs.length - 1][1]];
    const [start, end] = [this.notes[first].start, this.notes[last].end];
    const now = { start: this.heard(start), end: this.heard(end) };
    const asked = { ...now, ...to };
    if (!(asked.end > asked.start)) throw new NoRoom('it would end before it begins');
    if (!this.fits(start, end, asked)) throw new NoRoom('it can be neither so short nor so long');
    const body: Asked[] = [
      { from: start, to: asked.start, holds: this.holdsAt(start) ?? 'set' },
      { from: end, to: asked.end, holds: this.holdsAt(end) ?? 'set' },
    ];
    return this.with(
      distinct(this.bounded(body, first, last, gap && asked.start > now.start, gap && asked.end < now.end)),
    );
  }

  /** Anchors for notes each of which begins and ends where it is said. @throws NoRoom */
  pulled(to: ReadonlyMap<string, Span<HeardSeconds>>): TimeAnchor[] {
    const asked: Asked[] = [];
    for (const [first, last] of this.runs(new Set(to.keys()))) {
      const body: Asked[] = [];
      for (let i = first; i <= last; i++) {
        const n = this.notes[i];
        const { start, end } = to.get(n.key)!;
        // where one goes over into the next, the border is where the next begins
        if (body.length && n.start - body[body.length - 1].from < JOINED) body.pop();
        body.push({ from: n.start, to: start, holds: 'set' }, { from: n.end, to: end, holds: 'set' });
      }
      if (body.some((a, i) => i && a.to < body[i - 1].to + NOTHING)) throw new NoRoom('they would not run forward');
      asked.push(...this.bounded(body, first, last, false, false));
    }
    return this.with(distinct(asked));
  }

  /** What was asked of some notes with what stays on either side of them. */
  private bounded(body: Asked[], first: number, last: number, gapBefore: boolean, gapAfter: boolean): Asked[] {
    const [a, z] = [body[0], body[body.length - 1]];
    const out = [...body];
    if (gapBefore && first > 0 && this.joinedAfter(first - 1))
      out.unshift({ from: a.from - GAP, to: this.heard(a.from - GAP), holds: 'gap' });
    else {
      const fence = a.to === this.heard(a.from) ? null : this.fenceBefore(a.from, a.to, first - 1);
      if (a.to !== this.heard(a.from) && !fence) throw new NoRoom('there is no room before it');
      if (fence) out.unshift(fence);
    }
    if (gapAfter && this.joinedAfter(last)) {
      out[out.length - 1] = { ...z, holds: 'gap' };
      out.push({ from: z.from + GAP, to: this.heard(z.from + GAP) });
    } else if (z.to !== this.heard(z.from)) {
      const fence = this.fenceAfter(z.from, z.to, last + 1);
      if (!fence) throw new NoRoom('there is no room after it');
      out.push(fence);
    }
    if (out[0].to < 0) throw new NoRoom('it would begin before the song');
    return out;
  }

  /**
   * Anchors for a moment inside a note held at another, or where it is. The note's ends stay, and other stitches.
   * @throws NoRoom
   */
  stitched(key: string, at: HeardSeconds, to: HeardSeconds): TimeAnchor[] {
    const n = this.note(key);
    const from = this.at(at);
    const ends = [n.start, n.onset, n.end].filter(t => Math.abs(t - from) > NOTHING);
    const before = Math.max(...ends.filter(t => t < from));
    const after = Math.min(...ends.filter(t => t > from));
    const held = (t: Seconds): Asked => ({ from: t, to: this.heard(t) });
    return this.with([held(before), { from, to, holds: 'stitch' }, held(after)]);
  }

  /** The same without the stitches in some notes; what lies between their ends is even again. */
  unstitched(keys: ReadonlySet<string>): TimeAnchor[] {
    const inside = (t: Seconds) => this.notes.some(n => keys.has(n.key) && t > n.start && t < n.end);
    return this.recorded(this.anchors.filter(a => a.holds !== 'stitch' || !inside(a.from)));
  }

  /** How fast notes speak now, 1 as sung. */
  spoken(key: string): number {
    const pace = this.paceAt(this.note(key).onset);
    return pace ? (pace[1].from - pace[0].from) / (pace[1].to - pace[0].to) : 1;
  }

  /** The two ends of what speaks at a pace of its own from a moment on. */
  private paceAt(from: Seconds): [Asked, Asked] | null {
    const i = this.anchors.findIndex(a => a.holds === 'pace' && Math.abs(a.from - from) < 1e-4);
    return i < 0 || i + 1 >= this.anchors.length ? null : [this.anchors[i], this.anchors[i + 1]];
  }

  /**
   * Anchors for notes that speak so fast: from their onset until they have settled; the rest of them gives, their ends stay.
   * @param settled how long after its onset each is as loud as it gets, s
   */
  speaking(notes: readonly { key: string; settled: Seconds }[], speed: number): TimeAnchor[] {
    const asked: Asked[] = [];
    for (const { key, settled } of notes) {
      const n = this.note(key);
      const from = n.onset;
      const pace = this.paceAt(from);
      const until = pace ? pace[1].from : Math.min(from + settled, n.end - 0.02);
      if (until - from < 0.01) continue;
      const to = this.heard(from);
      const end = { from: n.end, to: this.heard(n.end) };
      const taken = Math.min((until - from) / speed, (end.to - to) * 0.7);
      asked.push({ from, to, holds: speed === 1 ? null : 'pace' });
      asked.push({ from: until, to: to + taken, holds: null });
      asked.push(end);
    }
    if (!asked.length) throw new NoRoom('these notes are too short for it');
    return this.withoutPaces(new Set(notes.map(n => n.key))).with(distinct(asked));
  }

  /** Anchors for notes whose onsets are heard elsewhere; those beside them stay. Of what would cross, each goes as far as it can. */
  brought(onsets: ReadonlyMap<string, HeardSeconds>): TimeAnchor[] {
    const { notes } = this;
    const shifts = notes.map(n => (onsets.has(n.key) ? onsets.get(n.key)! - this.heard(n.onset) : 0));
    // each round whatever does not fit goes less far; after enough of them it stays
    for (let round = 0; round < 60; round++) {
      const points = distinct(this.onsetPoints(onsets, shifts));
      const less = new Set<number>();
      for (let i = 0; i + 1 < points.length; i++) {
        const [a, b] = [points[i], points[i + 1]];
        if (this.fits(a.from, b.from, { start: a.to, end: b.to })) continue;
        less.add(Math.abs(shifts[a.note]) > Math.abs(shifts[b.note]) ? a.note : b.note);
      }
      if (!less.size) return this.with(points);
      for (const i of less) shifts[i] = Math.abs(shifts[i]) < 1e-3 ? 0 : shifts[i] * 0.7;
    }
    throw new NoRoom('there is no room for it');
  }

  /** The moments that are asked for notes whose onsets move, those beside them held. */
  private onsetPoints(
    onsets: ReadonlyMap<string, HeardSeconds>,
    shifts: readonly Seconds[],
  ): (Asked & { note: number })[] {
    const { notes } = this;
    const out: (Asked & { note: number })[] = [];
    const meant = (i: number) => !!notes[i] && onsets.has(notes[i].key);
    notes.forEach((n, i) => {
      if (!meant(i) && !meant(i - 1) && !meant(i + 1)) return;
      for (const p of this.held(n))
        out.push({ ...p, to: p.to + shifts[i], note: i, ...(meant(i) ? { holds: 'set' as const } : {}) });
      // before a note that moves and after one, what lies in the rest gives first
      const rest = notes[i + 1] ? notes[i + 1].start - n.end : Infinity;
      if (rest > JOINED && !meant(i) && meant(i + 1)) {
        const to = this.heard(n.end);
        const next = this.heard(notes[i + 1].start) + shifts[i + 1];
        if (next - to >= LEAST_REST) out.push({ from: n.end, to, note: i });
      }
      if (!notes[i + 1] && meant(i)) {
        const end = { from: n.end, to: this.heard(n.end) };
        out.push(
          end.to - this.heard(n.onset) - shifts[i] > 0.05
            ? { ...end, note: i }
            : { ...end, to: end.to + shifts[i], note: i },
        );
      }
    });
    return out;
  }

  /**
   * Anchors with some notes heard as if nothing was moved by hand, and what gave way for them with them; other notes that were set by hand
   * stay where they are. @throws NoRoom when these are in their place
   */
  asSung(keys: ReadonlySet<string>): TimeAnchor[] {
    const inside = (t: Seconds) => this.inside(keys, t);
    const kept = this.anchors.filter(
      (a, i) => (a.holds && !inside(a.from)) || (this.closes(i) && !inside(this.anchors[i - 1].from)),
    );
    let timing = this.laid([]);
    // runs of notes with something that stays in them, one after the other into what is as it was sung
    for (const body of this.clusters(kept)) {
      const [a, z] = [body[0].from, body[body.length - 1].from];
      const first = this.notes.findIndex(n => n.end > a - NOTHING);
      const last = this.notes.findLastIndex(n => n.start < z + NOTHING);
      timing = timing.laid(timing.points(distinct(timing.bounded(body, first, last, false, false))));
    }
    for (const n of this.notes)
      if (keys.has(n.key) && [n.start, n.end].some(t => Math.abs(timing.heard(t) - t) > 1e-4)) {
        // what was set beside it reaches into it: it is as near as it can be
        if (Math.abs(timing.heard(n.onset) - n.onset) > 0.25) throw new NoRoom('other notes are in their place');
      }
    return this.recorded(timing.anchors);
  }

  /** Whether an anchor ends what the one before it began. */
  private closes(i: number): boolean {
    const before = this.anchors[i - 1] as Asked | undefined;
    return before?.holds === 'pace' || before?.holds === 'gap';
  }

  /** Moments in runs: those of one note, and of neighbours. */
  private clusters(list: readonly Asked[]): Asked[][] {
    const noteOf = (t: Seconds) => lastAtMost(this.notes, t + GAP, n => n.start);
    const out: Asked[][] = [];
    for (const a of list) {
      const last = out[out.length - 1] as Asked[] | undefined;
      if (last && noteOf(a.from) - noteOf(last[last.length - 1].from) <= 1) last.push(a);
      else out.push([a]);
    }
    return out;
  }

  /** The same without the paces in some notes. */
  private withoutPaces(keys: ReadonlySet<string>): Timing {
    const goes = ({ from, holds }: Asked) => holds === 'pace' && this.inside(keys, from);
    return this.laid(this.anchors.map(a => (goes(a) ? { from: a.from, to: a.to } : a)));
  }

  /** Whether a moment lies in some notes, or in a gap beside one. */
  private inside(keys: ReadonlySet<string>, t: Seconds): boolean {
    const reach = GAP + NOTHING;
    for (let i = lastAtMost(this.notes, t + reach, n => n.start); i >= 0 && this.notes[i].end >= t - reach; i--)
      if (keys.has(this.notes[i].key)) return true;
    return false;
  }

  /** Moments held by hand, as heard, and where they would be. */
  get stitches(): { at: HeardSeconds; was: Seconds }[] {
    return this.anchors.flatMap(a => (a.holds === 'stitch' ? [{ at: a.to, was: a.from }] : []));
  }

  /** What keeps its length, by the clock of what is not moved. */
  get stiff(): Span[] {
    return this.ground.filter(g => g.give === CONSONANT);
  }

  /** What is silent because a gap was left, by the clock of what is not moved. */
  get gaps(): Span[] {
    return this.anchors.flatMap((a, i) =>
      a.holds === 'gap' && i + 1 < this.anchors.length ? [{ start: a.from, end: this.anchors[i + 1].from }] : [],
    );
  }
}

/** Stretches that may lie over each other as stretches that do not: of several the one said last holds. */
function flattened(spans: readonly Ground[]): Ground[] {
  const said = spans.filter(s => s.end > s.start + NOTHING).map((s, order) => ({ ...s, order }));
  const cuts = [...new Set(said.flatMap(s => [s.start, s.end]))].sort((a, b) => a - b);
  said.sort((a, b) => a.start - b.start);
  const out: Ground[] = [];
  let open: typeof said = [];
  let next = 0;
  for (let i = 0; i + 1 < cuts.length; i++) {
    const [start, end] = [cuts[i], cuts[i + 1]];
    while (said[next]?.start <= start) open.push(said[next++]);
    open = open.filter(s => s.end > start);
    const top = open.reduce<(typeof said)[number] | null>((a, b) => (a && a.order > b.order ? a : b), null);
    if (!top || end - start < NOTHING) continue;
    const last = out[out.length - 1] as Ground | undefined;
    if (last?.give === top.give && start - last.end < NOTHING) last.end = end;
    else out.push({ start, end, give: top.give });
  }
  return out;
}

/** Moments that rise; of two that fall together the first, with what either holds. */
function rising(points: readonly Asked[]): Asked[] {
  const out: Asked[] = [];
  for (const p of points) {
    const last = out[out.length - 1] as Asked | undefined;
    if (last && p.from <= last.from + NOTHING) {
      if (p.holds && !last.holds) last.holds = p.holds;
    } else out.push({ ...p });
  }
  return out;
}

/** In order, moments said twice once. */
function distinct<T extends Asked>(asked: readonly T[]): T[] {
  const out: T[] = [];
  for (const a of [...asked].sort((p, q) => p.from - q.from))
    if (!out.length || a.from > out[out.length - 1].from + NOTHING) out.push(a);
    else if (a.holds) out[out.length - 1] = { ...out[out.length - 1], holds: a.holds };
  return out;
}

const timings = new WeakMap<TrackView, { of: unknown[]; timing: Timing }>();
/** The timing of a track as it stands; found once. */
export function timingOf(song: Pick<Song, 'tracks'>, track: Track, view: TrackView): Timing {
  const of = [followingMap(song, track), track.time, track.gives];
  const known = timings.get(view);
  if (known?.of.every((v, i) => v === of[i])) return known.timing;
  const timing = Timing.of(song, track, view);
  timings.set(view, { of, timing });
  return timing;
}
