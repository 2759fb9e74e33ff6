import { seededRandom } from '@essim/core';
import type { Syllable } from '../singer/score';

/** *Ferry Lamp*, by the made-up Tidewater Street Choir: 92 bpm, D major, eight lines. */
export const BPM = 92;
export const BEAT = 60 / BPM;
export const BAR = 4 * BEAT;
export const DURATION = 22.6 * BAR + 0.4;
export const KEY = { tonic: 'D', mode: 'major' } as const;

/** [word, phones, beat in the phrase, beats, pitch or melisma of [pitch, beats], goes on with the word before] */
type Line = [string, string, number, number, number | [number, number][], 1?][];
interface PhraseText {
  bar: number;
  chords: [string, string];
  line: Line;
}

// prettier-ignore
export const PHRASES: PhraseText[] = [
  { bar: 2, chords: ['D', 'G'], line: [['leave', 'L IY V', 0, 1, 57], ['a', 'AX', 1, 0.5, 57], ['lamp', 'L AE M P', 1.5, 1.5, 62], ['for', 'F AO RR', 3, 0.5, 61], ['me', 'M IY', 3.5, 0.5, 59], ['tonight', 'T AX', 4, 0.5, 57], ['tonight', 'N AY T', 4.5, 2.4, 59, 1]] },
  { bar: 4, chords: ['Bm', 'A'], line: [['down', 'D AW N', 0, 1, 59], ['along', 'AX', 1, 0.5, 59], ['along', 'L AO NG', 1.5, 1.5, 62, 1], ['the', 'DH AX', 3, 0.5, 62], ['harbour', 'HH AA', 3.5, 0.5, 62], ['harbour', 'B ER', 4, 0.5, 61, 1], ['wall', 'W AO LL', 4.5, 2.4, [[61, 1], [59, 0.4], [57, 1]]]] },
  { bar: 6, chords: ['D', 'G'], line: [['I', 'AY', 0, 0.5, 57], ['will', 'W IH LL', 0.5, 0.5, 59], ['row', 'R OW', 1, 1.5, 62], ['the', 'DH AX', 2.5, 0.5, 62], ['water', 'W AO', 3, 0.5, 66], ['water', 'T ER', 3.5, 1, 64, 1], ['slow', 'S L OW', 4.5, 2.4, 62]] },
  { bar: 8, chords: ['A', 'A'], line: [['till', 'T IH LL', 0, 0.5, 57], ['I', 'AY', 0.5, 0.5, 61], ['hear', 'HH IH RR', 1, 1.5, 64], ['the', 'DH AX', 2.5, 0.5, 62], ['morning', 'M AO RR', 3, 0.5, 61], ['morning', 'N IH NG', 3.5, 1, 59, 1], ['call', 'K AO LL', 4.5, 2.4, 57]] },
  { bar: 11, chords: ['G', 'D'], line: [['ferry', 'F EH', 0, 0.5, 59], ['ferry', 'R IY', 0.5, 0.5, 62, 1], ['lamp', 'L AE M P', 1, 1.25, 67], ['oh', 'OW', 2.5, 1, [[66, 0.5], [64, 0.5]]], ['shine', 'SH AY N', 3.5, 1, 62], ['on', 'AA N', 4.5, 0.5, 62], ['over', 'OW', 5, 1, 66], ['over', 'V ER', 6, 0.9, 64, 1]] },
  { bar: 13, chords: ['Em', 'A'], line: [['every', 'EH V', 0, 0.5, 64], ['every', 'R IY', 0.5, 0.5, 64, 1], ['mile', 'M AY LL', 1, 1.5, 67], ["I'm", 'AY M', 2.5, 0.5, 66], ['coming', 'K AH M', 3, 0.5, 64], ['coming', 'IH NG', 3.5, 1, 62, 1], ['home', 'HH OW M', 4.5, 2.4, [[61, 1], [59, 0.4], [57, 1]]]] },
  { bar: 15, chords: ['G', 'D'], line: [['hold', 'HH OW LL D', 0, 1, 62], ['the', 'DH AX', 1, 0.5, 62], ['rope', 'R OW P', 1.5, 1, 59], ['and', 'AE N D', 2.5, 0.5, 61], ['hold', 'HH OW LL D', 3, 1, 62], ['the', 'DH AX', 4, 0.5, 64], ['weather', 'W EH', 4.5, 1, 66], ['weather', 'DH ER', 5.5, 1.3, 62, 1]] },
  { bar: 17, chords: ['A', 'D'], line: [['I', 'AY', 0, 0.5, 61], ["won't", 'W OW N T', 0.5, 1, 64], ['cross', 'K R AO S', 1.5, 1, 62], ['the', 'DH AX', 2.5, 0.5, 62], ['dark', 'D AA RR K', 3, 1, 61], ['alone', 'AX', 4, 0.5, 61], ['alone', 'L OW N', 4.5, 4.5, 62, 1]] },
];

const UNSTRESSED: Record<string, number> = { a: -1.4, the: -1.6, for: -1, and: -0.8, "I'm": -0.4 };

/** Something done on purpose to syllable "phrase.index". */
type Mark = Partial<
  Pick<
    Syllable,
    | 'cents'
    | 'gainDb'
    | 'scoopCents'
    | 'scoopTime'
    | 'fallCents'
    | 'grit'
    | 'vibrato'
    | 'hardOnset'
    | 'mistake'
    | 'breath'
  >
> & { late?: number };
type Marks = Record<string, Mark>;

export interface ScoreOptions {
  seed: number;
  /** Spread of timing in seconds and of note tuning in cents. */
  loose?: number;
  tune?: number;
  /** Which phrases are sung; all when absent. */
  phrases?: number[];
  marks?: Marks;
  /** Syllables left out, "phrase.index". */
  skip?: string[];
  transpose?: (midi: number) => number;
}

/** One performance's score of the song. */
export function songScore({
  seed,
  loose = 0.012,
  tune = 7,
  phrases,
  marks = {},
  skip = [],
  transpose = m => m,
}: ScoreOptions): Syllable[] {
  const random = seededRandom(seed);
  const out: Syllable[] = [];
  PHRASES.forEach((phrase, pi) => {
    if (phrases && !phrases.includes(pi)) return;
    let lag = loose * 0.4 * random.normal();
    let first = true;
    phrase.line.forEach(([word, phones, beat, beats, pitch, goesOn], k) => {
      const id = `${pi}.${k}`;
      if (skip.includes(id)) return;
      const { late = 0, ...mark } = marks[id] ?? {};
      lag = 0.6 * lag + loose * 0.8 * random.normal();
      let passed = 0;
      const notes = (Array.isArray(pitch) ? pitch : ([[pitch, 0]] as [number, number][])).map(([midi, length]) => {
        const note = { midi: transpose(midi), at: passed * BEAT, cents: mark.cents ?? tune * random.normal() };
        passed += length;
        return note;
      });
      const weak = phones === 'AX' || phones === 'DH AX';
      const syllable: Syllable = {
        t: (phrase.bar * 4 + beat) * BEAT + lag + 0.012 + late,
        duration: beats * BEAT,
        phones,
        word,
        continues: !!goesOn && out.length > 0 && out[out.length - 1].word === word,
        notes,
        phrase: pi,
        stress: weak ? (UNSTRESSED[word] ?? -1) : goesOn ? 0 : (UNSTRESSED[word] ?? (beat % 2 === 0 ? 0.5 : 0)),
        ...mark,
      };
      if (first) {
        syllable.breath = mark.breath ?? {
          gap: 0.03 + 0.05 * random.uniform(),
          length: 0.28 + 0.2 * random.uniform(),
          levelDb: -16 + 2.5 * random.normal(),
        };
        first = false;
      }
      if (k === phrase.line.length - 1 && mark.fallCents === undefined && random.uniform() < 0.5)
        syllable.fallCents = 60 + 60 * random.uniform();
      out.push(syllable);
    });
  });
  return settleTimes(out);
}

/** No syllable shorter than speech allows, small gaps inside a phrase closed, melismas kept inside their syllable. */
function settleTimes(score: Syllable[]): Syllable[] {
  score.sort((a, b) => a.t - b.t);
  for (let i = 0; i + 1 < score.length; i++) {
    const a = score[i];
    const b = score[i + 1];
    b.t = Math.max(b.t, a.t + 0.13);
    if (a.phrase !== b.phrase) continue;
    const gap = b.t - (a.t + a.duration);
    if (gap < 0.09) a.duration = b.t - a.t;
    else if (gap > 0.3) a.duration = Math.min(a.duration + 0.2, b.t - a.t - 0.2);
  }
  for (const s of score) {
    if (s.notes.length < 2) continue;
    const fit = s.duration / (s.notes[s.notes.length - 1].at + BEAT * 0.5);
    if (fit < 1) for (const n of s.notes) n.at *= fit;
  }
  return score;
}

/** The lead's mistakes on purpose: what the demo song has to mend. */
// prettier-ignore
const LEAD_MARKS: Marks = {
  '0.2': { scoopCents: 120 },
  '0.6': { cents: -34, mistake: 'flat' },
  '1.3': { gainDb: -7, mistake: 'swallowed' },
  '1.4': { late: 0.095, mistake: 'late' },
  '2.0': { hardOnset: true },
  '2.6': { cents: 31, mistake: 'sharp' },
  '3.2': { cents: -63, mistake: 'nearer the wrong semitone' },
  '4.2': { gainDb: 2.5, mistake: 'loud' },
  '4.3': { hardOnset: true },
  '4.4': { scoopCents: 290, scoopTime: 0.085, mistake: 'scoop too deep' },
  '5.0': { hardOnset: true },
  '5.2': { scoopCents: 240, scoopTime: 0.08, mistake: 'scoop too deep' },
  '5.4': { late: 0.11, mistake: 'late' },
  '5.6': { scoopCents: 170, fallCents: 160, mistake: 'scoop too deep' },
  '6.0': { grit: 0.55, mistake: 'gritty' },
  '6.1': { grit: 0.7, mistake: 'gritty' },
  '6.2': { grit: 1, mistake: 'gritty' },
  '6.3': { grit: 0.8, mistake: 'gritty' },
  '6.4': { grit: 0.9, mistake: 'gritty' },
  '6.5': { grit: 0.4 },
  '6.6': { grit: 0.3 },
  '7.0': { breath: { gap: -0.012, length: 0.42, levelDb: -12 }, mistake: 'breath glued on' },
  '7.6': { vibrato: { depth: 44, delay: 0.7, build: 1.1 }, fallCents: 70 },
};

const IN_KEY = [2, 4, 6, 7, 9, 11, 1];
/** Steps up the key of D major. */
/** So many steps of the key up, down where it is below 0. */
export const stepsUp = (midi: number, steps: number): number => {
  let m = midi;
  for (let left = Math.abs(steps); left > 0;) {
    m += Math.sign(steps);
    if (IN_KEY.includes(((m % 12) + 12) % 12)) left--;
  }
  return m;
};

export interface VocalPlan {
  name: string;
  voice: string;
  seed: number;
  gainDb?: number;
  score: ScoreOptions;
}

/** The five vocal tracks. Takes b and c are looser, with their own mistakes and their own better phrases. */
// prettier-ignore
export const VOCALS: VocalPlan[] = [
  { name: 'lead', voice: 'tenor', seed: 21, score: { seed: 11, marks: LEAD_MARKS } },
  { name: 'lead-b', voice: 'tenor', seed: 22, score: { seed: 57, tune: 15, loose: 0.02, marks: { '0.2': { cents: -38, mistake: 'flat' }, '2.2': { scoopCents: 200 }, '3.6': { late: 0.08, mistake: 'late' }, '4.2': { cents: -45, mistake: 'flat' }, '6.2': { cents: 24 } } } },
  { name: 'lead-c', voice: 'tenor', seed: 23, gainDb: -1, score: { seed: 93, tune: 12, loose: 0.022, marks: { '0.4': { gainDb: -6, mistake: 'swallowed' }, '1.6': { cents: 36, mistake: 'sharp' }, '5.0': { cents: -52, mistake: 'flat' }, '7.2': { late: 0.12, mistake: 'late' }, '7.6': { cents: -28, mistake: 'flat' } } } },
  { name: 'double', voice: 'secondTenor', seed: 24, gainDb: -2.5, score: { seed: 131, tune: 16, loose: 0.03, skip: ['6.3'], phrases: [2, 3, 4, 5, 6, 7], marks: { '4.6': { late: 0.12, mistake: 'late' }, '5.2': { cents: 38, mistake: 'sharp' } } } },
  { name: 'harmony', voice: 'alto', seed: 25, gainDb: -1.5, score: { seed: 171, tune: 10, loose: 0.022, phrases: [3, 4, 5, 6, 7], transpose: m => stepsUp(m, 2), marks: { '4.4': { late: 0.07 }, '6.4': { cents: 33, mistake: 'sharp' } } } },
];

/** Chord of each bar, introduction and ending included. */
export const CHORDS: string[] = (() => {
  const bars: string[] = [];
  for (const p of PHRASES) p.chords.forEach((c, i) => (bars[p.bar + i] = c));
  Object.assign(bars, { 0: 'D', 1: 'G', 10: 'A', 19: 'G', 20: 'D', 21: 'D' });
  return bars;
})();

/** The song's tracks as the app shows them: which files are takes of which track, and a first mix. The harmony is left to be made. */
export const TRACKS = [
  {
    name: 'Lead',
    role: 'lead',
    levelDb: 0,
    pan: 0,
    takes: [
      { name: 'Take 1', file: 'lead' },
      { name: 'Take 2', file: 'lead-b' },
      { name: 'Take 3', file: 'lead-c' },
    ],
  },
  { name: 'Double', role: 'double', levelDb: -5, pan: -0.35, takes: [{ name: 'Take 1', file: 'double' }] },
  { name: 'Piano, bass, brushes', role: 'backing', levelDb: 0, pan: 0, takes: [{ name: 'Take 1', file: 'backing' }] },
  {
    name: 'Three at the landing',
    role: 'backing',
    levelDb: -4,
    pan: 0,
    mute: true,
    takes: [{ name: 'Take 1', file: 'chord' }],
  },
];
