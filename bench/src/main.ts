import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import {
  analyseVoice,
  layOut,
  moveNotes,
  neutralPlan,
  noteFacts,
  planTake,
  readTake,
  readWav,
  renderAll,
  renderSpan,
  scaleOfKey,
  settle,
  type Reading,
} from '@essim/core';
import { perform, smallRoom, songScore, type Performance, type Truth } from '@essim/demo';
import { scoreEstimates, scorePhrases, scoreRanking, scoreReplacing, type EstimateScores } from './estimates';
import { scoreConditions, scoreTalk, scoreVoices } from './reading';
import { compareSound } from './sound';
import { seconds, table, yardstick } from './yardstick';

const root = fileURLToPath(new URL('../..', import.meta.url));
const demo = join(root, 'demo/.cache');
const vocal = (name: string): Performance => ({
  samples: readWav(new Uint8Array(readFileSync(join(demo, `${name}.wav`)))).channels[0],
  truth: JSON.parse(readFileSync(join(demo, `${name}.truth.json`), 'utf8')) as Truth,
});
const result: Record<string, unknown> = {};

// ---- accuracy of the reading: the demo's vocals, and voices and seeds nothing was tuned on
const lead = vocal('lead');
const reading = scoreVoices(
  Object.fromEntries(['lead', 'lead-b', 'lead-c', 'double', 'harmony'].map(n => [n, vocal(n)])),
);
table('Reading against the truth', reading);
const conditions = scoreConditions();
table('The same in harder conditions: means of the four untuned voices', conditions);
const talk = scoreTalk();
table('Talk among singing', [talk]);
Object.assign(result, { reading, conditions, talk });

// ---- sound: against the same singer really singing at the other pitch
const sing = (cents: number): Performance => {
  const score = songScore({ seed: 41, phrases: [0, 2, 3, 5] });
  const { samples, truth } = perform(score, 'tenor', { seed: 42, duration: 38, transposeCents: cents });
  return { samples: smallRoom(samples, 43), truth };
};
const base = sing(0);
const baseReading: Reading = readTake(base.samples, base.truth.sampleRate);
const voice = analyseVoice([base.samples], base.truth.sampleRate, baseReading.f0, baseReading.hop);
const shifted = (cents: number) => {
  const plan = neutralPlan(baseReading.f0.length, baseReading.hop);
  plan.offsetCents.fill(cents);
  plan.active.fill(1);
  return plan;
};
const sound = [-12, -7, -3, 2, 4, 7, 12].map(semitones => {
  const [y] = renderAll(voice, shifted(semitones * 100));
  const truth = sing(semitones * 100);
  const s = compareSound(y, readTake(y, base.truth.sampleRate).f0, truth.samples, base.samples, truth.truth);
  return {
    semitones: String(semitones),
    'pitch median c': s.pitchMedian,
    'pitch 95 % c': s.pitch95,
    'envelope dB': s.envelopeDb,
    'level dB': s.levelDb,
  };
});
table('Voice engine against the singer singing there', sound);
result.sound = sound;
const [null_] = renderAll(voice, neutralPlan(baseReading.f0.length, baseReading.hop));
const changed = null_.reduce((n, v, i) => n + (v === base.samples[i] ? 0 : 1), 0);
console.log(`\nNull test: ${changed} of ${null_.length} samples changed`);
result.nullTest = changed;

// ---- tuning: the demo lead settled on its key, read again
const leadReading = readTake(lead.samples, lead.truth.sampleRate);
const movements = moveNotes(leadReading);
const facts = noteFacts(movements);
const edits = settle(facts, {}, scaleOfKey(leadReading.keys[0]));
const leadVoice = analyseVoice([lead.samples], lead.truth.sampleRate, leadReading.f0, leadReading.hop);
const settled = planTake(movements, edits);
const [tuned] = renderAll(leadVoice, settled.voice);
const after = readTake(tuned, lead.truth.sampleRate);
const off = facts
  .filter(n => n.end - n.start > 0.25)
  .map(n => {
    const overlap = (r: { start: number; end: number }) => Math.min(r.end, n.end) - Math.max(r.start, n.start);
    const heard = after.notes.reduce((a, b) => (overlap(b) > overlap(a) ? b : a));
    return Math.abs(heard.pitch - edits[n.key].target!) * 100;
  })
  .sort((a, b) => a - b);
console.log(
  `Settled lead: notes over 250 ms are off by ${off[off.length >> 1].toFixed(1)} cents median, ${off[Math.floor(off.length * 0.9)].toFixed(1)} at the 90th percentile`,
);
result.settled = { median: off[off.length >> 1], p90: off[Math.floor(off.length * 0.9)] };

// ---- the set-up's estimates, on made-up songs; the second row's seeds were looked at by nobody
const seeds = (from: number, count: number) => Array.from({ length: count }, (_, i) => from + i);
const percent = (s: EstimateScores) => ({
  'tempo %': s.tempo * 100,
  'key %': s.key * 100,
  'key, notes only %': s.keyFromNotes * 100,
  'reference %': s.reference * 100,
  'chords %': s.chords * 100,
  'bar 1 %': s.firstBar * 100,
  'speed ×': s.speed,
});
const estimates = [
  { songs: '24 made-up songs', ...percent(scoreEstimates(seeds(1, 24))) },
  { songs: '24 others', ...percent(scoreEstimates(seeds(501, 24))) },
];
table('Estimates from backing and notes', estimates);
const vocals = ['lead', 'lead-b', 'lead-c', 'double', 'harmony'].map(vocal);
const borders = scorePhrases(vocals.map(v => ({ reading: readTake(v.samples, v.truth.sampleRate), truth: v.truth })));
console.log(`Phrase borders within 150 ms: ${(borders * 100).toFixed(0)} %`);
const ranking = [
  { pairs: '96 pairs of takes', ...scoreRanking(96, 9000) },
  { pairs: '96 others', ...scoreRanking(96, 20000) },
];
table('Ranking of takes agrees with the truth (share of pairs)', ranking);
const replacing = scoreReplacing(lead.samples, vocal('lead-b').samples, lead.truth.sampleRate);
table('A recording replaced by a shifted, trimmed, louder, noisier version', [replacing]);
Object.assign(result, { estimates, borders, ranking, replacing });

// ---- speed, audio seconds per second in one thread, beside the yardstick
const length = lead.samples.length / lead.truth.sampleRate;
const all = shiftedLike(leadReading, 300);
const layout = layOut(leadVoice, all);
const out = new Float32Array(layout.length);
const note = facts.find(n => n.end - n.start > 0.8)!;
const oneNote = planTake(movements, { [note.key]: edits[note.key] });
const speed = [
  { what: 'reading', speed: length / seconds(() => void readTake(lead.samples, lead.truth.sampleRate)) },
  { what: 'splitting notes', speed: length / seconds(() => void moveNotes(leadReading), 2) },
  {
    what: 'voice analysis, once a take',
    speed:
      length / seconds(() => void analyseVoice([lead.samples], lead.truth.sampleRate, leadReading.f0, leadReading.hop)),
  },
  {
    what: 'rendering, every note shifted',
    speed: length / seconds(() => renderSpan(leadVoice, layout, 0, 0, layout.length, out)),
  },
];
table('Speed, audio seconds per second', speed);
const edit = seconds(() => {
  const l = layOut(leadVoice, oneNote.voice);
  for (const { laid } of l.runs) if (laid) renderSpan(leadVoice, l, 0, Math.floor(laid.u0), Math.ceil(laid.v1), out);
}, 5);
const plan = seconds(() => void planTake(movements, edits), 5);
const ruler = yardstick();
console.log(
  `\nOne note edited: plan ${(plan * 1000).toFixed(1)} ms, layout and rendering ${(edit * 1000).toFixed(1)} ms`,
);
console.log(
  `Yardstick (10,000 transforms of 2,048): ${ruler.toFixed(2)} s; memory ${(process.memoryUsage().rss / 2 ** 20).toFixed(0)} MB`,
);
Object.assign(result, { speed, oneNote: { planMs: plan * 1000, renderMs: edit * 1000 }, yardstickSeconds: ruler });

mkdirSync(join(root, 'bench/.cache'), { recursive: true });
writeFileSync(join(root, 'bench/.cache/result.json'), JSON.stringify(result, null, 1));

function shiftedLike(r: Reading, cents: number) {
  const p = neutralPlan(r.f0.length, r.hop);
  p.offsetCents.fill(cents);
  p.active.fill(1);
  return p;
}
