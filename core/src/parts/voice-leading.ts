import { pitchClass } from '../music';
import { hashNoise } from '../signal/random';
import type { Midi, Span } from '../units';

/**
 * Voices led about a sung line over its chords: dynamic programming over what all of them sing together. The rules are those of the
 * common practice (Aldwell and Schachter 2011, ch. 4 to 6), as costs: a rule is broken where keeping it would cost more.
 */

/** A note of the line the voices are led about. */
export interface LedNote extends Span {
  /** What it is meant for. */
  midi: Midi;
  /** Pitch classes of its chord, the root first; none where no chord is known. */
  chord: readonly number[];
  /** Pitch classes of its key. */
  scale: readonly number[];
  /** The pitch class a semitone under the tonic; null where there is none. */
  leading: number | null;
  strong: boolean;
}

/** How far a voice goes. */
export interface Compass {
  low: Midi;
  high: Midi;
}

/** What a voice sings with each note of the line; null: it rests. */
export type Voicing = readonly (Midi | null)[];

const COST = {
  /** Of what is no tone of the chord: on a strong beat, on a weak one, and when it is not come to or left by step. */
  strongOutside: 30,
  passing: 1.3,
  notByStep: 7,
  parallel: 40,
  /** Both outer voices come to a fifth or an octave in one direction. */
  hidden: 1,
  unison: 7,
  unisonWithLine: 8,
  octaveWithLine: 2,
  rest: 14,
  restBorder: 2,
  clashSemitone: 7,
  clashTone: 1.5,
  tritone: 0.6,
  wrongSide: 9,
  thirdMissing: 2.2,
  toneMissing: 0.7,
  leadingDoubled: 9,
  wide: 1.2,
  /** Of moving while the line stays. */
  restless: 1.4,
  /** Of staying while the line moves. */
  stuck: 0.9,
  overlap: 2,
  /** At the end of a compass. */
  edge: 2.2,
} as const;
/** By semitones. */
const LEAP = [0, 0.3, 0.3, 1, 1.2, 2.2, 5, 3.2, 5, 5.5, 8, 9, 6];
const MOST_LEAP = 10;
/** So many ways to sing a note together are looked at further. */
const KEPT = 48;
/** A rest as long as this parts phrases: nothing is led over it, s. */
const PHRASE_REST = 0.35;
/** How far "another way" may prefer what is dearer. */
const FANCY = 3;

interface Way {
  pitches: Voicing;
  cost: number;
}

/**
 * @param notes of the line in time order @param compasses of the voices, the highest first
 * @param way 0: the best there is; any other number: another way, the same for the same number
 * @returns for each voice what it sings with each note
 */
export function leadVoices(notes: readonly LedNote[], compasses: readonly Compass[], way = 0): (Midi | null)[][] {
  const out: (Midi | null)[][] = compasses.map(() => []);
  let from = 0;
  for (let i = 1; i <= notes.length; i++) {
    if (i < notes.length && notes[i].start - notes[i - 1].end < PHRASE_REST) continue;
    for (const pitches of phrase(notes.slice(from, i), compasses, way)) pitches.forEach((p, v) => out[v].push(p));
    from = i;
  }
  return out;
}

/** What was made before, the last of it; a step of a drag costs the phrase, and of it the note, that it changes. */
class Kept<T> {
  private readonly made = new Map<string, T>();
  constructor(private readonly most: number) {}

  get(key: string, make: () => T): T {
    let value = this.made.get(key);
    if (value !== undefined) return value;
    value = make();
    if (this.made.size >= this.most) this.made.delete(this.made.keys().next().value!);
    this.made.set(key, value);
    return value;
  }
}
const phrases = new Kept<Voicing[]>(400);
const keptWays = new Kept<readonly Way[]>(4000);

const factsOf = (n: LedNote) => [Math.round(n.midi), n.chord, n.scale, n.leading, n.strong];

/** One phrase. */
function phrase(notes: readonly LedNote[], compasses: readonly Compass[], way: number): Voicing[] {
  const key = JSON.stringify([notes.map(factsOf), compasses.map(c => [c.low, c.high]), way]);
  return phrases.get(key, () => lead(notes, compasses, way));
}

function lead(notes: readonly LedNote[], compasses: readonly Compass[], way: number): Voicing[] {
  const sides = sidesOf(notes, compasses);
  const about = JSON.stringify([compasses.map(c => [c.low, c.high]), sides]);
  const ways = notes.map((n, i) => {
    const fancy = way && way * 7919 + i * 127;
    return keptWays.get(`${about} ${fancy} ${JSON.stringify(factsOf(n))}`, () => waysOf(n, compasses, sides, fancy));
  });
  const sums: number[][] = [];
  const from: number[][] = [];
  ways.forEach((list, i) => {
    const before = ways[i - 1] as readonly Way[] | undefined;
    // the cheapest so far first: no transition is below nothing, so that what is dearer already need not be looked at
    const order = before && [...before.keys()].sort((a, b) => sums[i - 1][a] - sums[i - 1][b]);
    sums.push([]);
    from.push([]);
    for (const w of list) {
      let [best, at] = [before ? Infinity : 0, -1];
      for (const k of order ?? []) {
        const so = sums[i - 1][k];
        if (so >= best) break;
        const sum = so + transition(notes[i - 1], notes[i], before![k].pitches, w.pitches);
        if (sum < best) [best, at] = [sum, k];
      }
      sums[i].push(best + w.cost);
      from[i].push(at);
    }
  });
  const out: Voicing[] = new Array<Voicing>(notes.length);
  let k = indexOfLeast(sums[notes.length - 1] ?? []);
  for (let i = notes.length - 1; i >= 0; i--) {
    out[i] = ways[i][k].pitches;
    k = from[i][k];
  }
  return out;
}

const indexOfLeast = (list: readonly number[]): number => list.reduce((best, v, i) => (v < list[best] ? i : best), 0);

/** On which side of the line each voice belongs: 1 above, -1 below. */
function sidesOf(notes: readonly LedNote[], compasses: readonly Compass[]): number[] {
  const sorted = notes.map(n => n.midi).sort((a, b) => a - b);
  const middle = sorted[sorted.length >> 1] ?? 60;
  return compasses.map(c => ((c.low + c.high) / 2 >= middle ? 1 : -1));
}

/** Ways to sing a note together, the cheapest ones. @param fancy 0: by their cost alone */
function waysOf(note: LedNote, compasses: readonly Compass[], sides: readonly number[], fancy: number): Way[] {
  const own = compasses.map((c, v): Way[] => {
    const list: Way[] = [{ pitches: [null], cost: COST.rest }];
    for (const m of pitchesOf(note, c)) {
      const preferred = fancy ? FANCY * Math.abs(hashNoise(fancy + 31 * m + v)) : 0;
      list.push({ pitches: [m], cost: aloneCost(note, m, c, sides[v]) + preferred });
    }
    return list;
  });
  let ways: Way[] = [{ pitches: [], cost: 0 }];
  for (const list of own) {
    const next: Way[] = [];
    for (const w of ways)
      for (const one of list) {
        const cost = w.cost + one.cost + besideCost(note, w.pitches, one.pitches[0]);
        if (cost < Infinity) next.push({ pitches: [...w.pitches, one.pitches[0]], cost });
      }
    // what is dear already is not led on, while few enough are left
    ways = next.sort((a, b) => a.cost - b.cost).slice(0, 4 * KEPT);
  }
  for (const w of ways) w.cost += wholeCost(note, w.pitches);
  return ways.sort((a, b) => a.cost - b.cost).slice(0, KEPT);
}

/** What a voice may sing with a note at all. */
function pitchesOf(note: LedNote, { low, high }: Compass): Midi[] {
  const out: Midi[] = [];
  for (let m = Math.ceil(low); m <= high; m++) {
    const step = pitchClass(m);
    if (note.chord.includes(step)) out.push(m);
    else if (note.scale.includes(step) && (!note.strong || !note.chord.length)) out.push(m);
  }
  return out;
}

const isTone = (note: LedNote, m: Midi): boolean => !note.chord.length || note.chord.includes(pitchClass(m));

function aloneCost(note: LedNote, m: Midi, { low, high }: Compass, side: number): number {
  const line = Math.round(note.midi);
  const reach = Math.max(1, (high - low) / 2);
  const off = (m - (low + high) / 2) / reach;
  let cost = COST.edge * off * off;
  if (!isTone(note, m)) cost += note.strong ? COST.strongOutside : COST.passing;
  if ((m - line) * side < 0) cost += COST.wrongSide;
  if (m === line) cost += COST.unisonWithLine;
  else if ((m - line) % 12 === 0) cost += COST.octaveWithLine;
  return cost + clash(note, m, line);
}

function clash(note: LedNote, a: Midi, b: Midi): number {
  const apart = pitchClass(a - b);
  // tones of a seventh chord are meant to rub
  const less = note.chord.length > 3 && isTone(note, a) && isTone(note, b) ? 0.4 : 1;
  if (apart === 1 || apart === 11) return COST.clashSemitone * less;
  if (apart === 2 || apart === 10) return COST.clashTone * less;
  return apart === 6 ? COST.tritone : 0;
}

/** Of a voice under those above it. */
function besideCost(note: LedNote, above: Voicing, m: Midi | null): number {
  if (m === null) return 0;
  let cost = 0;
  let nearest: Midi | null = null;
  for (const a of above) {
    if (a === null) continue;
    if (m > a) return Infinity;
    if (m === a) cost += COST.unison;
    else cost += clash(note, a, m);
    nearest = a;
  }
  if (nearest !== null && nearest - m > 12) cost += COST.wide;
  return cost;
}

function wholeCost(note: LedNote, pitches: Voicing): number {
  const steps = [pitchClass(Math.round(note.midi)), ...pitches.flatMap(p => (p === null ? [] : [pitchClass(p)]))];
  let cost = 0;
  const { chord, leading } = note;
  const voices = pitches.length + 1;
  chord.slice(0, Math.max(3, voices)).forEach((tone, i) => {
    if (!steps.includes(tone)) cost += i === 1 && voices > 1 ? COST.thirdMissing : COST.toneMissing;
  });
  if (leading !== null && steps.filter(s => s === leading).length > 1) cost += COST.leadingDoubled;
  return cost;
}

function transition(before: LedNote, note: LedNote, from: Voicing, to: Voicing): number {
  const [a, b] = [Math.round(before.midi), Math.round(note.midi)];
  const stays = a === b && sameChord(before, note);
  let cost = 0;
  for (let v = 0; v < to.length; v++) {
    const [p, q] = [from[v], to[v]];
    if (p === null || q === null) {
      if (p !== q) cost += COST.restBorder;
      continue;
    }
    const by = Math.abs(q - p);
    cost += by < LEAP.length ? LEAP[by] : MOST_LEAP;
    if (stays && by) cost += COST.restless;
    if (a !== b && !by) cost += COST.stuck;
    if (by > 2 && !(isTone(before, p) && isTone(note, q))) cost += COST.notByStep;
    cost += parallel(a, p, b, q);
    for (let u = 0; u < v; u++) {
      const [x, y] = [from[u], to[u]];
      if (x === null || y === null) continue;
      cost += parallel(x, p, y, q);
      // one voice goes beyond where its neighbour was
      if (u === v - 1 && (q > x || y < p)) cost += COST.overlap;
    }
  }
  return cost;
}

/** Two voices that go on in fifths or octaves, or come to one in the same direction by a leap. */
function parallel(a: Midi, p: Midi, b: Midi, q: Midi): number {
  const after = pitchClass(b - q);
  if ((after !== 0 && after !== 7 && after !== 5) || a === b || p === q || b > a !== q > p) return 0;
  // a fifth is one upward: the lower voice's fourth above is another
  const fifth = after === 0 ? 0 : pitchClass(Math.abs(b - q));
  if (fifth !== 0 && fifth !== 7) return 0;
  if (pitchClass(Math.abs(a - p)) === fifth) return COST.parallel;
  return Math.abs(a - b) > 2 && Math.abs(p - q) > 2 ? COST.hidden : 0;
}

const sameChord = (a: LedNote, b: LedNote): boolean =>
  a.chord.length === b.chord.length && a.chord.every((t, i) => t === b.chord[i]);

/**
 * What else a voice could sing with a note while everything about it stays: the best of what is left, cheapest first. A rest is among it.
 * @param led what all voices sing, as leadVoices gives it
 */
export function otherWays(
  notes: readonly LedNote[],
  compasses: readonly Compass[],
  led: readonly Voicing[],
  voice: number,
  i: number,
  most = 3,
): (Midi | null)[] {
  const sides = sidesOf(notes, compasses);
  const at = (k: number) => led.map(v => v[k]);
  const note = notes[i];
  const joined = (k: number) => k >= 0 && k < notes.length - 1 && notes[k + 1].start - notes[k].end < PHRASE_REST;
  const costs = [null, ...pitchesOf({ ...note, strong: false }, compasses[voice])].flatMap(m => {
    if (m === led[voice][i]) return [];
    const pitches = at(i).map((p, v) => (v === voice ? m : p));
    let cost = wholeCost(note, pitches);
    pitches.forEach((p, v) => {
      cost += p === null ? COST.rest : aloneCost(note, p, compasses[v], sides[v]);
      cost += besideCost(note, pitches.slice(0, v), p);
    });
    if (joined(i - 1)) cost += transition(notes[i - 1], note, at(i - 1), pitches);
    if (joined(i)) cost += transition(note, notes[i + 1], pitches, at(i + 1));
    return cost < Infinity ? [{ m, cost }] : [];
  });
  return costs
    .sort((a, b) => a.cost - b.cost)
    .slice(0, most)
    .map(c => c.m);
}

/** Compasses of so many voices about a line: close above and below it, as singers stand in a small choir. @param middle of the line */
export function usualCompasses(voices: number, middle: Midi): Compass[] {
  const centres: Record<number, number[]> = { 1: [4], 2: [4, -5], 3: [4, -4, -9], 4: [8, 4, -4, -10] };
  const about = centres[voices];
  if (!(voices in centres)) throw new RangeError(`${voices} voices: 1 to 4 can be led`);
  const m = Math.round(middle);
  return about.map(c => ({ low: m + c - 7, high: m + c + 7 }));
}
