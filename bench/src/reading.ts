import { quantile, readTake, spokenSyllables } from '@essim/core';
import { singPhrases, type Performance } from '@essim/demo';
import { singPlainly } from './plain-singer';
import { compareReading, type ReadingScore } from './compare-reading';
import { CONDITIONS, talkedBetween, type Condition } from './conditions';

type Row = Record<string, string | number>;

const GRITTY = ['0.0', '0.2', '0.6', '2.2', '2.6', '5.2'];
const grit = Object.fromEntries(GRITTY.map(id => [id, { grit: 0.9 }]));

/** Voices and seeds nothing was tuned on. */
const untuned = (): Record<string, Performance> => ({
  tenor: singPhrases([0, 4, 7], { seed: 301 }),
  bass: singPhrases([0, 2, 5], { seed: 302, voice: 'bass', transposeCents: -800 }),
  alto: singPhrases([2, 4, 6], { seed: 303, voice: 'alto', transposeCents: 500 }),
  soprano: singPhrases([1, 3, 7], { seed: 304, voice: 'soprano', transposeCents: 1000 }),
});

/** Singers built otherwise than the demo's. */
const plain = (): Record<string, Performance> => ({
  bass: singPlainly({ base: 43, tract: 0.95, seed: 711 }, { phrases: 5 }),
  tenor: singPlainly({ base: 52, tract: 1, seed: 721 }, { phrases: 5 }),
  alto: singPlainly({ base: 60, tract: 1.13, seed: 731 }, { phrases: 5 }),
  soprano: singPlainly({ base: 67, tract: 1.18, seed: 741 }, { phrases: 5 }),
});

const score = ({ samples, truth }: Performance): ReadingScore =>
  compareReading(readTake(samples, truth.sampleRate), truth);

const row = (voice: string, s: ReadingScore): Row => ({
  voice,
  '50c %': s.within50 * 100,
  '10c %': s.within10 * 100,
  'median c': s.medianCents,
  'recall %': s.recall * 100,
  'false %': s.falseAlarm * 100,
  'note F1': s.noteF1,
  'with offset': s.noteF1WithOffset,
  'centre c': s.centreCents,
  'lag ms': s.lagMs,
  sibilant: s.sibilant,
  plosive: s.plosive,
  breath: s.breath,
});

/** Each voice by itself: the demo's, then untuned ones, then gritty. */
export function scoreVoices(demo: Record<string, Performance>): Row[] {
  return [
    ...Object.entries(demo).map(([name, p]) => row(`demo ${name}`, score(p))),
    ...Object.entries(untuned()).map(([name, p]) => row(name, score(p))),
    ...Object.entries(plain()).map(([name, p]) => row(`second singer, ${name}`, score(p))),
    row('gritty tenor', score(singPhrases([0, 2, 5], { seed: 304, marks: grit }))),
    row('gritty alto', score(singPhrases([0, 2, 5], { seed: 314, voice: 'alto', transposeCents: 500, marks: grit }))),
  ];
}

/** The untuned voices through each condition: means over the four. */
export function scoreConditions(): Row[] {
  const voices = Object.values(untuned());
  const all: Record<string, Condition> = { clean: p => p, ...CONDITIONS };
  return Object.entries(all).map(([name, condition]) => {
    const scores = voices.map((v, i) => score(condition(v, 300 + i)));
    const mean = { ...scores[0] };
    for (const k of Object.keys(mean) as (keyof ReadingScore)[])
      mean[k] = scores.reduce((s, v) => s + v[k] / scores.length, 0);
    return row(name, mean);
  });
}

/** An onset so near a true one is that one's, s. */
const SAME_SYLLABLE = 0.07;

/** Talk between two sung phrases: how much of it is found, and how much singing is taken for it, by time; its syllables. */
export function scoreTalk(seeds: readonly number[]): Row {
  let talked = 0;
  let found = 0;
  let wrong = 0;
  let sung = 0;
  let [said, heard, agree] = [0, 0, 0];
  const off: number[] = [];
  for (const voice of ['tenor', 'alto', 'bass', 'soprano'])
    for (const seed of seeds) {
      const { samples, truth } = talkedBetween(seed, voice);
      const reading = readTake(samples, truth.sampleRate);
      const { spoken } = reading;
      // what talk is made of is told apart from whether it was found
      const syllables = [...spokenSyllables({ ...reading, spoken: truth.spoken })];
      said += truth.said.length;
      heard += syllables.length;
      for (const s of truth.said) {
        const i = syllables.findIndex(x => Math.abs(x.onset - s.start) < SAME_SYLLABLE);
        if (i < 0) continue;
        off.push(Math.abs(syllables[i].onset - s.start) * 1000);
        syllables.splice(i, 1);
        agree++;
      }
      const length = (spans: { start: number; end: number }[]) => spans.reduce((s, x) => s + x.end - x.start, 0);
      const both = truth.spoken.flatMap(t =>
        spoken.map(s => Math.max(0, Math.min(s.end, t.end) - Math.max(s.start, t.start))),
      );
      const hit = both.reduce((s, v) => s + v, 0);
      talked += length(truth.spoken);
      found += hit;
      wrong += length(spoken) - hit;
      sung += truth.notes.reduce((s, n) => s + n.end - n.start, 0);
    }
  return {
    'talked, s': talked,
    'found %': (100 * found) / talked,
    'singing taken for talk %': (100 * wrong) / sung,
    'syllables F1': (2 * agree) / (said + heard),
    'onset off, ms': quantile(off, 0.5),
    '90 %': quantile(off, 0.9),
  };
}
