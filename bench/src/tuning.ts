import {
  analyseVoice,
  hzToCents,
  nearestStep,
  readTake,
  renderAll,
  heardTake,
  parseKey,
  seededRandom,
  scaleOfKey,
  stepsMeant,
  followRecipe,
  keyOf,
  planSurroundings,
  planTake,
  quantile,
  readRecipe,
  Score,
  Song,
  surroundingsOf,
  Take,
  type Reading,
  type SplitTake,
  type TakePlan,
  type TakeView,
} from '@essim/core';
import type { Performance } from '@essim/demo';
import { plainPitch } from './details';
import { songOf, type Step } from './one-take';
import type { PersonNote } from './people';

/** Whole takes tuned without notes, what they are as notes, and slack: on readings, as recipes make them. */

type Row = Record<string, string | number>;

/** What is known of a take with what was put right in it. */
class Hearing {
  private readonly known = new Map<unknown, { view: TakeView; split: SplitTake }>();
  constructor(private readonly auto: Reading) {}

  of(take: Take): { view: TakeView; split: SplitTake } {
    let made = this.known.get(take.corrections);
    if (!made) this.known.set(take.corrections, (made = heardTake(this.auto, take)));
    return made;
  }

  score = (song: Song): Score => new Score(song, { take: this.of(song.tracks[0].takes[0]).view });

  async follow(song: Song, steps: Step[]): Promise<Song> {
    let count = 0;
    const all = await followRecipe(song, readRecipe({ recipe: 1, steps }), {
      scoreFor: s => Promise.resolve(this.score(s)),
      findAlignment: () => Promise.reject(new Error('nobody follows')),
      newId: () => `new-${++count}`,
    });
    return all[all.length - 1].song;
  }

  /** The line a song plans, cents a frame, and where it is voiced. */
  line(song: Song): { line: Float64Array; voiced: Uint8Array } {
    const { plan, voiced } = this.plan(song);
    return { line: plan.line, voiced };
  }

  plan(song: Song): { plan: TakePlan; voiced: Uint8Array } {
    const track = song.tracks[0];
    const [take] = track.takes;
    const { split } = this.of(take);
    const score = this.score(song);
    const around = surroundingsOf(song, track, take, id => score.view(id), score.scaleAt);
    return { plan: planTake(split, take.edits, planSurroundings(around, split)), voiced: split.voiced };
  }
}

/** Tunes a take as a whole and turns it into notes: how much of it stays where it was. */
export async function scoreWholeTake(of: string, reading: Reading): Promise<Row[]> {
  const hearing = new Hearing(reading);
  const song = songOf(keyOf({ key: null }, reading.keys).key);
  const rows: Row[] = [];
  for (const settings of [
    { settleMs: 0 },
    { settleMs: 50 },
    { settleMs: 200, aim: 70 },
    { settleMs: 60, vibrato: 40 },
    { settleMs: 0, glideMs: 120 },
  ]) {
    const whole = await hearing.follow(song, [{ do: 'whole-take', with: settings }]);
    const from = performance.now();
    const before = hearing.line(whole);
    const ms = performance.now() - from;
    const notes = await hearing.follow(whole, [{ do: 'into-notes' }]);
    const after = hearing.line(notes);
    const away: number[] = [];
    before.line.forEach((c, k) => {
      if (before.voiced[k]) away.push(Math.abs(c - after.line[k]));
    });
    rows.push({
      of,
      settings: Object.entries(settings)
        .map(([k, v]) => `${k} ${v}`)
        .join(', '),
      notes: hearing.of(notes.tracks[0].takes[0]).view.notes.length,
      'within 5 c': away.filter(a => a < 5).length / away.length,
      '95 %': quantile(away, 0.95),
      'planned at (s/s)': reading.duration / (ms / 1000),
    });
  }
  return rows;
}

/** A whole take as it is heard in its rendering: how far held stretches lie from their steps, by our reading and by a plain one. */
export async function scoreWholeHeard(of: string, { samples, truth }: Performance): Promise<Row> {
  const rate = truth.sampleRate;
  const reading = readTake(samples, rate);
  const hearing = new Hearing(reading);
  const song = songOf(keyOf({ key: null }, reading.keys).key);
  const whole = await hearing.follow(song, [{ do: 'whole-take', with: { settleMs: 60 } }]);
  const { plan } = hearing.plan(whole);
  const [out] = renderAll(analyseVoice([samples], rate, reading.f0, reading.hop), plan.voice);
  const read = readTake(out, rate);
  const [ours, plain]: number[][] = [[], []];
  const scale = hearing.score(whole).scaleAt(0);
  for (const n of reading.notes.filter(n => n.end - n.start > 0.5))
    for (let t = n.start + 0.25; t < n.end - 0.12; t += 0.02) {
      const planned = plan.line[Math.round(t / reading.hop)];
      // where it is on its step; its vibrato is kept
      if (Math.abs(planned - nearestStep(scale, planned)) > 40) continue;
      const hz = read.f0[Math.round(t / read.hop)];
      if (hz > 0) ours.push(Math.abs(hzToCents(hz) - planned));
      const heard = plainPitch(out, rate, t, planned);
      if (!Number.isNaN(heard)) plain.push(Math.abs(heard - planned));
    }
  return {
    of,
    'ours, median c': quantile(ours, 0.5),
    'ours, 95 %': quantile(ours, 0.95),
    'plain, median c': quantile(plain, 0.5),
    'plain, 95 %': quantile(plain, 0.95),
  };
}

/** Wrong roundings planted in melodies: the nearest step is not the one that was meant. */
const PLANTED = 0.08;
const REPEATS = 10;

/** Hints at probably wrong steps: of notes as they are known, a few sung over half a step off; how many are found, how many are false. */
export function scoreHints(melodies: readonly { of: string; key: string; notes: PersonNote[] }[]): Row[] {
  const random = seededRandom(7).uniform;
  return melodies.map(({ of, key, notes }): Row => {
    const scale = scaleOfKey(parseKey(key));
    let [planted, found, right, false_] = [0, 0, 0, 0];
    for (const flat of [0, -0.25, 0.15])
      for (let r = 0; r < REPEATS; r++) {
        const sung = notes.map(n => {
          if (random() >= PLANTED) return { ...n, sung: n.sung + flat };
          const side = random() < 0.5 ? -1 : 1;
          return { ...n, sung: n.rail + flat * 0.7 + side * (0.53 + 0.2 * random()) };
        });
        const meant = stepsMeant(sung, { scaleAt: () => scale, chordAt: () => '', strongAt: () => false });
        sung.forEach((n, i) => {
          const hinted = meant[i].other > 0.4;
          if (Math.abs(meant[i].steps[0] - n.rail) < 0.01) {
            right++;
            if (hinted) false_++;
          } else {
            planted++;
            if (hinted && Math.abs(meant[i].steps[1] - n.rail) < 0.01) found++;
          }
        });
      }
    return { of, planted, found: found / planted, 'false in 60 notes': (60 * false_) / right };
  });
}

/** Strays and runs planted in a take: by slack the one is not cut off, the other is. */
export async function scoreSlack(of: string, reading: Reading): Promise<Row> {
  const random = seededRandom(11).uniform;
  const key = keyOf({ key: null }, reading.keys).key!;
  const f0 = Float32Array.from(reading.f0);
  const long = reading.notes.filter(n => n.end - n.start > 0.5);
  const planted = long.map((n, i) => {
    // a stray of 40 ms or a step held for 130, in the middle of a long note
    const stray = i % 2 === 0;
    const at = Math.round((n.start + n.end) / 2 / reading.hop);
    const frames = stray ? 8 : 26;
    const cents = (random() < 0.5 ? -1 : 1) * (stray ? 130 : 200);
    for (let k = at; k < at + frames; k++) f0[k] *= 2 ** (cents / 1200);
    return { at: at * reading.hop, stray };
  });
  const hearing = new Hearing({ ...reading, f0 });
  const song = songOf(key);
  const made = await hearing.follow(song, [{ do: 'slack', with: { cents: 20, ms: 80 } }]);
  const { notes } = hearing.of(made.tracks[0].takes[0]).view;
  const cutAt = (t: number) => notes.some(n => Math.abs(n.start - t) < 0.05);
  const share = (list: typeof planted, is: (p: (typeof planted)[number]) => boolean) =>
    list.filter(is).length / Math.max(1, list.length);
  return {
    of,
    notes: reading.notes.length,
    'runs kept': share(
      planted.filter(p => !p.stray),
      p => cutAt(p.at),
    ),
    'strays cut': share(
      planted.filter(p => p.stray),
      p => cutAt(p.at),
    ),
    'notes then': notes.length,
  };
}
