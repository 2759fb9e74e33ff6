import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  Corrections,
  hear,
  History,
  median,
  noCorrections,
  noteFacts,
  onlyOf,
  readTake,
  setTake,
  setTrack,
  Song,
  splitTake,
  storedEntry,
  Take,
  TakePlanner,
  Track,
  trackView,
  writeWav,
  type Edits,
  type NoteEdit,
  type SplitTake,
  type Surroundings,
  type TakeView,
} from '@essim/core';
import { singPhrases, singVocal } from '@essim/demo';
import { table } from './yardstick';

/**
 * What lies between a gesture and a sample: a step of a drag against the whole plan, a view step against a whole view, how much a journal
 * grows, how the command line starts and follows recipes. Run by `npm run bench -- ground`.
 */

const STEPS = 60;

/** Median and whole, ms, of something done anew each time with one thing changed. */
function stepped(whole: () => void, step: (i: number) => void): { whole: number; step: number; ratio: number } {
  const ms = (f: () => void) => {
    const t = performance.now();
    f();
    return performance.now() - t;
  };
  const first = Math.min(ms(whole), ms(whole));
  for (let i = 0; i < 5; i++) step(i);
  const each = median(Array.from({ length: STEPS }, (_, i) => ms(() => step(i + 5))));
  return { whole: first, step: each, ratio: first / each };
}

/** A take of so many seconds: the demo's lead over and over. */
function longTake(seconds: number): SplitTake {
  const { samples, truth } = singVocal('lead');
  const long = new Float32Array(seconds * truth.sampleRate);
  for (let at = 0; at < long.length; at += samples.length)
    long.set(samples.subarray(0, Math.min(samples.length, long.length - at)), at);
  return splitTake(readTake(long, truth.sampleRate));
}

/** MIDI */
const centreOf = ({ notes }: SplitTake, i: number) => notes[i].centre / 100;

const settled = (take: SplitTake): Edits =>
  Object.fromEntries(
    take.reading.notes.map((n, i): [string, NoteEdit] => [
      `e${i}`,
      { start: n.start, end: n.end, target: Math.round(centreOf(take, i)) },
    ]),
  );
/** The same with one note in the middle somewhere else. */
const dragged = (edits: Edits, i: number): Edits => {
  const id = `e${Math.floor(Object.keys(edits).length / 2)}`;
  return { ...edits, [id]: { ...edits[id], target: 57 + i / 50 } };
};

function dragSteps(take: SplitTake) {
  const edits = settled(take);
  const lead = Float64Array.from(take.sung, c => c + 12);
  const { levelDb } = take.reading;
  const leans: Surroundings = {
    lean: { lead, amount: 60 },
    levelLean: { lead: Float64Array.from(levelDb, v => v + 2), amount: 60 },
  };
  return [{}, leans].map((around, i) => {
    const planner = new TakePlanner(take);
    const made = stepped(
      () => new TakePlanner(take).plan(edits, around),
      k => planner.plan(dragged(edits, k), around),
    );
    return { of: i ? 'with pitch and level lean' : 'as it is', ...made };
  });
}

function viewStep(take: SplitTake) {
  const line = Float32Array.from(take.sung, (c, k) => (take.voiced[k] ? c / 100 : NaN));
  const view: TakeView = {
    status: 'ready',
    progress: 1,
    auto: take.reading,
    reading: take.reading,
    assumed: [],
    misfits: [],
    notes: noteFacts(take),
    sungLine: line,
    line,
    gainDb: null,
  };
  const takes = ['a', 'b', 'c'].map(id =>
    Object.assign(new Take(), { id, name: id, sourceId: id, offsetSeconds: 0, edits: settled(take) }),
  );
  const third = take.reading.duration / 3;
  const segments = takes.map((t, i) => ({ ...onlyOf(t.id), at: i * third }));
  const track = Object.assign(new Track(), { id: 't', name: 't', role: 'lead', takes, segments });
  const song = Object.assign(new Song(), { id: 's', name: 's', sampleRate: 48000, tracks: [track] });
  const views = Object.fromEntries(takes.map(t => [t.id, view]));
  const before = trackView(song, track, views);
  const moved = (i: number) => Float32Array.from(line, (v, k) => (k >= 30000 && k < 30200 ? v + i / 100 : v));
  const lines = Array.from({ length: STEPS + 5 }, (_, i) => moved(i));
  return [
    stepped(
      () => trackView({ ...song, tracks: [{ ...track }] }, { ...track, segments: [...segments] }, views),
      i =>
        trackView(
          song,
          { ...track, takes: [takes[0], { ...takes[1], edits: dragged(takes[1].edits, i) }, takes[2]] },
          { ...views, b: { ...view, line: lines[i], patched: { before: line, frames: { start: 30000, end: 30200 } } } },
          undefined,
          before,
        ),
    ),
  ];
}

/** What 1,000 corrections and 500 moves of faders leave in the journal, against the document they lead to. */
function journalGrowth(take: SplitTake) {
  const one = Object.assign(new Take(), { id: 'a', name: 'a', sourceId: 'a'.repeat(64), offsetSeconds: 0 });
  const track = Object.assign(new Track(), { id: 't', name: 't', role: 'lead', takes: [one], segments: [onlyOf('a')] });
  let history = new History(Object.assign(new Song(), { id: 's', name: 's', sampleRate: 48000, tracks: [track] }));
  const { notes } = take.reading;
  for (let i = 0; i < 1500; i++) {
    const n = notes[i % notes.length];
    const now = history.song.tracks[0].takes[0];
    const change =
      i % 3 === 2
        ? setTrack('t', { levelDb: (i % 40) / 4 - 5 })
        : setTake('t', 'a', {
            corrections: Object.assign(
              new Corrections(),
              now.corrections,
              hear(now.corrections ?? noCorrections, {
                start: n.start,
                end: n.end,
                midi: Math.round(centreOf(take, i % notes.length)) + (i % 2 ? 12 : 0),
              }),
            ),
          });
    history = history.to(`step ${i}`, change(history.song))?.history ?? history;
  }
  const journal = history.entries.reduce((sum, e) => sum + JSON.stringify(storedEntry(e)).length, 0);
  const document = JSON.stringify(history.song).length;
  return [{ steps: history.entries.length, 'journal kB': journal / 1000, 'document kB': document / 1000 }];
}

/** Calls of the command line, ms. */
function commandLine(root: string) {
  const folder = mkdtempSync(join(tmpdir(), 'essim-bench-'));
  const essim = join(root, 'essim');
  const env = { ...process.env, ESSIM_CACHE: join(folder, 'cache') };
  const call = (command: string, ...args: string[]) => {
    const t = performance.now();
    const { status, stderr } = spawnSync(command, args, { cwd: folder, env, encoding: 'utf8' });
    if (status) throw new Error(`${command} ${args.join(' ')}: ${stderr}`);
    return performance.now() - t;
  };
  try {
    call(essim, 'commands');
    const nothing = median(Array.from({ length: 5 }, () => call(process.execPath, '-e', '0')));
    const start = median(Array.from({ length: 5 }, () => call(essim, 'commands')));
    const songs = Array.from({ length: 8 }, (_, i) => {
      const { samples } = singPhrases([0, 1], { seed: 20 + i });
      writeFileSync(
        join(folder, `${i}.wav`),
        writeWav({ sampleRate: 48000, channels: [samples] }, { format: 'int24' }),
      );
      call(essim, 'bundle', `${i}.wav`, '-o', `${i}.essim`, '--key', 'D major');
      return `${i}.essim`;
    });
    writeFileSync(
      join(folder, 'r.json'),
      JSON.stringify({ recipe: 1, steps: [{ do: 'settle', with: { to: 'key' } }] }),
    );
    const apply = (jobs: number) => {
      // every run reads the voices anew
      rmSync(join(folder, 'cache'), { recursive: true, force: true });
      return call(essim, 'apply', 'r.json', ...songs, '-o', `out-${jobs}`, '--jobs', String(jobs));
    };
    const [one, two] = [apply(1), apply(2)];
    return [
      { of: 'start, against Node doing nothing', ms: start, against: nothing, ratio: start / nothing },
      { of: 'a recipe in eight songs, two jobs against one', ms: two, against: one, ratio: one / two },
    ];
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

export function scoreGround(root: string): void {
  const take = longTake(600);
  table('A step of a drag against the whole plan of ten minutes, ms', dragSteps(take));
  table('A view step against a whole view, a comp of three takes of ten minutes, ms', viewStep(take));
  table('Journal', journalGrowth(take));
  table('Command line', commandLine(root));
}
