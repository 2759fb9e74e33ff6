import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import {
  analyseVoice,
  Fourier,
  layOut,
  median,
  splitTake,
  neutralPlan,
  noteFacts,
  planTake,
  quantile,
  readTake,
  readWav,
  renderAll,
  renderSpan,
  scaleOfKey,
  settle,
} from '@essim/core';
import { singVocal, VOCALS, type Performance, type Truth } from '@essim/demo';
import { scoreAlignment, scoreAlignmentSpeed } from './align';
import { scoreDetails, scoreSwings } from './details';
import { scoreEstimates, scorePhrases, scoreRanking, scoreReplacing, type EstimateScores } from './estimates';
import { scoreGround } from './ground';
import { scoreJoins } from './joins';
import { hours } from './hours';
import { longSong } from './long-song';
import { scoreParts, scoreStems } from './parts';
import { people, scorePeople, voicesFolder } from './people';
import { scoreDegraded } from './people-conditions';
import { hear, scoreBent, scoreNoise, scoreSettled, type Heard } from './people-sound';
import { scoreHeld, scoreTime, scoreTone, stretchedConsonants } from './time-tone';
import { scoreHints, scoreSlack, scoreWholeHeard, scoreWholeTake } from './tuning';
import { scoreConditions, scoreTalk, scoreVoices } from './reading';
import {
  plainSubjects,
  scoreConsonants,
  scoreCurves,
  scoreLanding,
  scoreVoiceEngine,
  scoreVoiceSpeed,
  subjects,
} from './voice';
import { dropped } from './dropped';
import { fuzz, readers } from './fuzz';
import { torture } from './torture';
import { scoreUnpick } from './unpick';
import { scoreWobble } from './wobble';
import { pacedSeconds, speedOf, table, yardstick } from './yardstick';

const root = fileURLToPath(new URL('../..', import.meta.url));
let listened: Promise<Heard[]> | null = null;

// `npm run bench -- ground` measures what lies between a gesture and a sample
if (process.argv[2] === 'ground') {
  scoreGround(root);
  process.exit(0);
}

// `npm run bench -- torture 100` kills the tab so often
if (process.argv[2] === 'torture') {
  table(
    'The tab killed at random moments',
    await torture(Number(process.argv[3] ?? 100), Number(process.argv[4] ?? 1)),
  );
  process.exit(0);
}

// `npm run bench -- dropped 3 5` drops a take of three minutes five times
if (process.argv[2] === 'dropped') {
  table(
    'A take that is dropped: when it is seen',
    await dropped(Number(process.argv[3] ?? 3), Number(process.argv[4] ?? 3)),
  );
  process.exit(0);
}

// `npm run bench -- hours 480` edits for so many minutes and tells what grows
if (process.argv[2] === 'hours') {
  table('Edited for a long time', await hours(Number(process.argv[3] ?? 480), Number(process.argv[4] ?? 1)));
  process.exit(0);
}

// `npm run bench -- long-song 8 10` measures the player under a long song instead
if (process.argv[2] === 'long-song') {
  const [tracks = 8, minutes = 10, takes = 1, bits = 16] = process.argv.slice(3).map(Number);
  await longSong(tracks, minutes, takes, bits === 24 ? 24 : 16);
  process.exit(0);
}

// `npm run bench -- people` measures the reading on recorded people, where they are
if (process.argv[2] === 'people') {
  await tellPeople();
  process.exit(0);
}

// `npm run bench -- details` measures what is drawn, tilted and made to swing
if (process.argv[2] === 'details') {
  tellDetails();
  process.exit(0);
}

// `npm run bench -- tuning` measures whole takes, slack and hints
if (process.argv[2] === 'tuning') {
  await tellTuning();
  process.exit(0);
}

// `npm run bench -- time-tone` measures what the Time and Tone desks ask
if (process.argv[2] === 'time-tone') {
  await tellTimeAndTone();
  process.exit(0);
}

// `npm run bench -- fuzz [inputs]` damages what every reader reads; a million inputs take a quarter of an hour
if (process.argv[2] === 'fuzz') {
  const list = await readers();
  const count = Math.ceil(Number(process.argv[3] ?? 1e5) / list.length);
  const seed = Date.now() % 1e6;
  const begun = performance.now();
  const faults = await fuzz(list, count, seed);
  const seconds = (performance.now() - begun) / 1000;
  console.log(
    `${count * list.length} inputs, seed ${seed}, ${seconds.toFixed(0)} s, at most ${Math.round(process.resourceUsage().maxRSS / 1024)} MB`,
  );
  table(
    'What went wrong',
    faults.length ? faults.map(f => ({ reader: f.reader, why: f.why, bytes: f.bytes.length })) : [{ nothing: '-' }],
  );
  process.exit(faults.length ? 1 : 0);
}

// `npm run bench -- unpick` takes recorded chords apart
if (process.argv[2] === 'unpick') {
  table('Recorded chords taken apart', scoreUnpick());
  process.exit(0);
}

// and `npm run bench -- stack` what concerns the stack alone
if (process.argv[2] === 'stack') {
  const speed = scoreAlignmentSpeed(300);
  table(
    'Alignment',
    [300, 700].flatMap(seed => scoreAlignment(seed).map(row => ({ seed: `seed ${seed}`, ...row }))),
  );
  table('Alignment, audio seconds per second', speed);
  table('Parts of a lead, read again', scoreParts(singVocal('lead')));
  process.exit(0);
}

/** What is asked of notes beyond the faders, as it is heard in the rendering. */
function tellDetails() {
  const vocals = (['lead', 'harmony'] as const).map(name => [name, singVocal(name)] as const);
  const details = vocals.flatMap(([name, v]) => scoreDetails(name, v));
  const swings = vocals.flatMap(([name, v]) => scoreSwings(name, v));
  table('Beyond the faders: how far what is heard lies from what was asked', details);
  table('Vibratos as they are heard', swings);
  return { details, swings };
}

/** Whole takes and what they are as notes, slack, hints: on our singers, and on people where they are. */
async function tellTuning(): Promise<Record<string, unknown>> {
  const vocals = (['lead', 'harmony'] as const).map(name => [name, singVocal(name)] as const);
  const others = await people(root);
  const readings = [
    ...vocals.map(([name, v]) => [name, readTake(v.samples, v.truth.sampleRate)] as const),
    ...others.slice(0, 6).map(p => [p.name, readTake(p.samples, p.sampleRate)] as const),
  ];
  const whole = (await Promise.all(readings.map(([name, r]) => scoreWholeTake(name, r)))).flat();
  const heard = await Promise.all(vocals.map(([name, v]) => scoreWholeHeard(name, v)));
  const slack = await Promise.all(readings.map(([name, r]) => scoreSlack(name, r)));
  const hints = scoreHints(
    others.flatMap(p => (p.truth.key ? [{ of: p.name, key: p.truth.key, notes: p.truth.notes }] : [])),
  );
  table('Whole takes turned into notes', whole);
  table('A whole take, settled in 60 ms, as it is heard', heard);
  table('Strays and runs planted in long notes, slack 20 cents and 80 ms', slack);
  table('Hints at wrong steps planted in melodies of people', hints);
  return { whole, heard, slack, hints };
}

/** Moving, stretching, levels, noises and colour as they are heard. */
async function tellTimeAndTone(): Promise<Record<string, unknown>> {
  const vocals = (['lead', 'harmony'] as const).map(name => [name, singVocal(name)] as const);
  const time: Record<string, string | number>[] = [];
  const held: Record<string, string | number>[] = [];
  const tone: Record<string, string | number>[] = [];
  for (const [name, v] of vocals) {
    time.push(...(await scoreTime(name, v)));
    tone.push(...(await scoreTone(name, v)));
  }
  table('Moved, stretched and quantised: how far from where it was asked', time);
  const lengths: number[] = [];
  for (const { name } of VOCALS) {
    const v = singVocal(name);
    lengths.push(...(await stretchedConsonants(v)));
    held.push(await scoreHeld(name, v));
  }
  const consonants = [
    { consonants: lengths.length, 'off, median %': median(lengths), '95 %': quantile(lengths, 0.95) },
  ];
  table('Consonants of stretched phrases: how far from their length', consonants);
  table('Last notes held to three times their length', held);
  table('Levels, noises, formants, colour, cleaning, clicks', tone);
  return { time, consonants, held, tone };
}

/** Recorded people, each read once however much of them is told. */
function listen(): Promise<Heard[]> {
  return (listened ??= people(root).then(all => all.map(hear)));
}

/** The reading and what is made of it on recorded people; says so when there are none. */
async function tellPeople(): Promise<Record<string, unknown>> {
  const heard = await listen();
  if (!heard.length) {
    console.log(`\nNo recorded people: ${voicesFolder(root)} is not there`);
    return {};
  }
  const reading = scorePeople(heard);
  table('Reading against recorded people', reading);
  const degraded = await scoreDegraded(heard.map(h => h.person));
  table('Recorded people in harder conditions: means over kinds', degraded);
  const settled = scoreSettled(heard);
  table('Settled on the key, read again', settled);
  const noise = scoreNoise(heard);
  table("Harmonics over noise after a shift, less the take's", noise);
  const bent = scoreBent(heard);
  table('Aligned with themselves, bent', bent);
  return { reading, degraded, settled, noise, bent };
}

/** Audio seconds per second in one thread, the yardstick beside them. */
async function tellSpeed(lead: Performance): Promise<Record<string, unknown>> {
  const rate = lead.truth.sampleRate;
  const length = lead.samples.length / rate;
  const bytes = new Uint8Array(readFileSync(join(demo, 'lead.wav')));
  const reading = readTake(lead.samples, rate);
  const speed = [
    speedOf('reading', length, () => void readTake(lead.samples, rate)),
    speedOf('splitting notes', length, () => void splitTake(reading), 5),
    ...(await scoreVoiceSpeed()),
    ...scoreAlignmentSpeed(300),
    speedOf('decoding a WAV file', length, () => void readWav(bytes)),
  ];
  table('Speed, audio seconds per second', speed);
  const ruler = yardstick();
  const { best: transform } = pacedSeconds(() => {
    for (let i = 0; i < 10000; i++) Fourier.of(2048).forward();
  }, 3);
  console.log(
    `\nYardstick (10,000 transforms of 2,048 by a plain library): ${ruler.toFixed(2)} s; by ours ${transform.toFixed(2)} s`,
  );
  return { speed, yardstickSeconds: ruler, transformSeconds: transform };
}

/** Level wobble and joins on the demo's stems and on recorded people. */
async function tellEvenness(): Promise<Record<string, unknown>> {
  const takes = [
    ...['lead', 'double', 'harmony'].map(n => {
      const { samples } = vocal(n);
      const { f0, hop, notes } = readTake(samples, 48000);
      return { kind: 'demo', notes, voice: analyseVoice([samples], 48000, f0, hop) };
    }),
    ...(await listen()),
  ];
  const wobble = scoreWobble(takes);
  table('Level wobble', wobble);
  const joins = scoreJoins(takes);
  table('Joins of edits: the second difference within 10 ms of them', joins);
  return { wobble, joins };
}

const demo = join(root, 'demo/.cache');
const vocal = (name: string): Performance => ({
  samples: readWav(new Uint8Array(readFileSync(join(demo, `${name}.wav`)))).channels[0],
  truth: JSON.parse(readFileSync(join(demo, `${name}.truth.json`), 'utf8')) as Truth,
});
const result: Record<string, unknown> = {};

// `npm run bench -- speed` measures how fast everything is, in under two minutes
if (process.argv[2] === 'speed') {
  await tellSpeed(vocal('lead'));
  process.exit(0);
}

// `npm run bench -- evenness` measures how evenly loud a shifted voice stays, and the joins of edits
if (process.argv[2] === 'evenness') {
  await tellEvenness();
  process.exit(0);
}

// ---- accuracy of the reading: the demo's vocals, and voices and seeds nothing was tuned on
const lead = vocal('lead');
const reading = scoreVoices(
  Object.fromEntries(['lead', 'lead-b', 'lead-c', 'double', 'harmony'].map(n => [n, vocal(n)])),
);
table('Reading against the truth', reading);
const conditions = scoreConditions();
table('The same in harder conditions: means of the four untuned voices', conditions);
const recorded = await tellPeople();
const talk = [scoreTalk([730, 740, 750]), scoreTalk([830, 840, 850, 860])];
table('Talk among singing: looked at, others', talk);
Object.assign(result, { reading, conditions, people: recorded, talk });

// ---- sound: against the same singers really singing so, beside a general-purpose library
const sound = await scoreVoiceEngine(subjects());
table('Voice engine against the singer singing so: means of three untuned voices', sound);
const plainSound = await scoreVoiceEngine(plainSubjects());
table('The same with singers whose glottis does not change with pitch', plainSound);
const consonants = await scoreConsonants();
table('Unpitched sounds', consonants);
const curves = scoreCurves();
table('Pitch curves, as read', curves);
const landing = scoreLanding();
table('Landing on the untouched voice: where the phase missed is spread, cents', landing);
const evenness = await tellEvenness();
Object.assign(result, { sound, plainSound, consonants, curves, landing, evenness });
const untouched = analyseVoice(
  [lead.samples],
  lead.truth.sampleRate,
  readTake(lead.samples, lead.truth.sampleRate).f0,
  0.005,
);
const [null_] = renderAll(untouched, neutralPlan(untouched.frames, untouched.hop));
const changed = null_.reduce((n, v, i) => n + (v === lead.samples[i] ? 0 : 1), 0);
console.log(`\nNull test: ${changed} of ${null_.length} samples changed`);
result.nullTest = changed;

// ---- tuning: the demo lead settled on its key, read again
const leadReading = readTake(lead.samples, lead.truth.sampleRate);
const movements = splitTake(leadReading);
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

Object.assign(result, tellDetails());

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

// ---- whole takes, slack, hints
Object.assign(result, { tuning: await tellTuning() });

// ---- time and tone
Object.assign(result, { timeAndTone: await tellTimeAndTone() });
const unpicked = scoreUnpick();
table('Recorded chords taken apart', unpicked);
Object.assign(result, { unpicked });

// ---- the stack: pairs sung apart, parts made, stems against the mix
const alignments = [300, 700].flatMap(seed => scoreAlignment(seed).map(row => ({ seed: `seed ${seed}`, ...row })));
table('Alignment against the truth, ms: on the map, and where moments are in the rendered sound', alignments);
const parts = scoreParts(lead);
table('Parts of the demo lead, read again', parts);
const stems = scoreStems(['lead', 'double', 'harmony'].map(n => vocal(n).samples));
table('Stems against the mix', stems);
Object.assign(result, { alignments, parts, stems });

// ---- speed, audio seconds per second in one thread, beside the yardstick
Object.assign(result, await tellSpeed(lead));
const note = facts.find(n => n.end - n.start > 0.8)!;
const oneNote = planTake(movements, { [note.key]: edits[note.key] });
const out = new Float32Array(lead.samples.length);
const { best: edit } = pacedSeconds(() => {
  const l = layOut(leadVoice, oneNote.voice);
  for (const { laid } of l.runs) if (laid) renderSpan(leadVoice, l, 0, Math.floor(laid.u0), Math.ceil(laid.v1), out);
}, 5);
const { best: plan } = pacedSeconds(() => void planTake(movements, edits), 5);
console.log(
  `\nOne note edited: plan ${(plan * 1000).toFixed(1)} ms, layout and rendering ${(edit * 1000).toFixed(1)} ms`,
);
console.log(`Memory ${(process.memoryUsage().rss / 2 ** 20).toFixed(0)} MB`);
Object.assign(result, { oneNote: { planMs: plan * 1000, renderMs: edit * 1000 } });

mkdirSync(join(root, 'bench/.cache'), { recursive: true });
writeFileSync(join(root, 'bench/.cache/result.json'), JSON.stringify(result, null, 1));
