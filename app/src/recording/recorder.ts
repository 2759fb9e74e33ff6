import { addTakes, BarGrid, guideNotes, guideOf, Take, type PlacedGuideNote, type Song, type Track } from '@essim/core';
import { toast } from 'sonner';
import { create } from 'zustand';
import type { Recorded } from '../player/mixer';
import { keepSamples } from '../jobs/files-client';
import { db, type RecordedRow } from '../keeping/db';
import { newId } from '../keeping/ids';
import { withRecordings } from '../keeping/locks';
import { change, GUIDE, loopSpan, mayChange, player, setCue, songOf, trackOf, useSession } from '../open-song';
import { fits, inBytes } from '../keeping/space';
import { assembleRounds } from './assemble';
import { Microphone, SimulatedMicrophone, type RecordingInput } from './inputs';
import { latencyOf } from './latency';

/** Records takes: count-in, rounds of a loop, and every piece kept in the database as it comes. */

export type Device = 'microphone' | 'simulated';

interface Recorder {
  phase: 'idle' | 'preparing' | 'recording' | 'finishing' | 'measuring';
  device: Device;
  /** Bars of clicks before the take. */
  countIn: 0 | 1 | 2;
  /** Round and round the phrase, a take each time. */
  rounds: boolean;
  /** Tracks in the headphones. */
  /** Tracks, and GUIDE; null: what is usual for the track. */
  cue: string[] | null;
  latencyMs: number;
  /** What was measured and not taken over yet. */
  suggestedMs: number | null;
  /** Rounds begun. */
  round: number;
  /** How much of what is being recorded is in the database. */
  keptSeconds: number;
}

const LATENCY_KEY = 'essim.latency';
const storedLatency = (device: Device): number => Number(localStorage.getItem(`${LATENCY_KEY}.${device}`) ?? 0) || 0;

export const useRecorder = create<Recorder>(() => ({
  phase: 'idle',
  device: 'microphone',
  countIn: 1,
  rounds: false,
  cue: null,
  latencyMs: storedLatency('microphone'),
  suggestedMs: null,
  round: 0,
  keptSeconds: 0,
}));
const get = useRecorder.getState;
const set = useRecorder.setState;

export function chooseDevice(device: Device): void {
  set({ device, latencyMs: storedLatency(device), suggestedMs: null });
}

export function setLatency(latencyMs: number): void {
  localStorage.setItem(`${LATENCY_KEY}.${get().device}`, String(latencyMs));
  set({ latencyMs, suggestedMs: null });
}

/** A minute of recording must fit. */
const SECONDS_THAT_MUST_FIT = 60;
const AHEAD = 0.2;

interface Running {
  trackId: string;
  sessionId: string;
  input: RecordingInput;
  pieces: Recorded[];
  /** Pieces not in the database yet. */
  unsaved: Recorded[];
  savedAt: number;
  failed: boolean;
}
let running: Running | null = null;

const makeInput = (device: Device, melody: PlacedGuideNote[] | null = null): RecordingInput =>
  device === 'simulated' ? new SimulatedMicrophone(melody) : new Microphone();
const said = (error: unknown) => (error instanceof Error ? error.message : String(error));

/** Until something is chosen: what there is to sing against, and the melody that is to be sung. */
export const usualCue = (song: Song, track: Track): string[] => [
  ...song.tracks.filter(t => t.role === 'backing' && !t.mute).map(t => t.id),
  ...(track.guide ? [GUIDE] : []),
];

/** Starts recording into a track from the playhead, or round the phrase. */
export async function startRecording(track: Track): Promise<void> {
  const p = player();
  const song = songOf(useSession.getState());
  if (!p || !song || get().phase !== 'idle' || !mayChange()) return;
  set({ phase: 'preparing', round: 0, keptSeconds: 0 });
  const needed = SECONDS_THAT_MUST_FIT * song.sampleRate * 4;
  if (!(await fits(needed).catch(() => false))) {
    set({ phase: 'idle' });
    toast.error(
      `There is no room for a recording: a minute of it takes ${inBytes(needed)}. Delete songs you no longer need on the song shelf.`,
    );
    return;
  }
  const { device, countIn, rounds, cue } = get();
  const guide = guideOf(song, track);
  const input = makeInput(device, guide && [...guideNotes(guide)]);
  try {
    const { context, node } = await p.start();
    await input.open(context, node);
    const s = useSession.getState();
    const span = rounds || s.looping ? loopSpan(s) : null;
    const from = span ? span.from : Math.max(0, p.position);
    const lead = countInSeconds(from, countIn);
    const end = span ? span.to : Math.max(s.duration + 10, from + 30);
    await input.prepare(from - lead, end);
    p.stop();
    running = {
      trackId: track.id,
      sessionId: newId(),
      input,
      pieces: [],
      unsaved: [],
      savedAt: performance.now(),
      failed: false,
    };
    p.onRecorded = received;
    setCue(cue ?? usualCue(song, track));
    p.loop(span);
    p.record(true);
    useSession.setState({ playing: true });
    const at = await p.play(from, lead, AHEAD);
    void input.begin(at, from - lead, end, span).catch((error: unknown) => toast.error(`Simulation: ${said(error)}`));
    set({ phase: 'recording' });
  } catch (error) {
    input.close();
    running = null;
    setCue(null);
    set({ phase: 'idle' });
    toast.error(`Nothing was recorded: ${said(error)}.`);
  }
}

/** Length of the count-in before a moment; without a tempo there is only a short silence to breathe in. */
function countInSeconds(from: number, bars: number): number {
  const tempo = songOf(useSession.getState())?.tempo;
  if (!bars) return 0;
  if (!tempo) return 1;
  return new BarGrid(tempo).countIn(from, bars);
}

function received(r: Recorded): void {
  const now = running;
  if (!now) return;
  now.pieces.push(r);
  now.unsaved.push(r);
  if (r.round !== get().round) set({ round: r.round });
  if (performance.now() - now.savedAt > 1000) void saveUnsaved(now);
}

/** Writes what came since the last time, so that a dying tab loses a second at most. */
async function saveUnsaved(now: Running): Promise<void> {
  const song = songOf(useSession.getState());
  if (!song || !now.unsaved.length) return;
  const rows = now.unsaved.map((r): RecordedRow => ({
    songId: song.id,
    trackId: now.trackId,
    sessionId: now.sessionId,
    round: r.round,
    position: r.position,
    latency: latencySamples(song.sampleRate),
    sampleRate: song.sampleRate,
    samples: r.samples,
  }));
  const saving = now.unsaved;
  now.unsaved = [];
  now.savedAt = performance.now();
  try {
    await db.recorded.bulkAdd(rows);
    if (running === now)
      set({ keptSeconds: get().keptSeconds + saving.reduce((n, r) => n + r.samples.length, 0) / song.sampleRate });
  } catch (error) {
    now.unsaved = [...saving, ...now.unsaved];
    if (!now.failed) toast.error(`The recording goes on but is not safe yet: ${said(error)}. Stop soon to keep it.`);
    now.failed = true;
  }
}

/** Writes the last of it when the page is left, so that nothing sung until then is missing. */
export const saveRecorded = (): void => void (running && saveUnsaved(running));

const latencySamples = (rate: number) => Math.round((get().latencyMs / 1000) * rate);

/** Ends the recording; its rounds become takes of the track. */
export async function stopRecording(): Promise<void> {
  const now = running;
  const p = player();
  const song = songOf(useSession.getState());
  if (!now || get().phase !== 'recording') return;
  set({ phase: 'finishing' });
  p?.record(false);
  p?.stop();
  useSession.setState({ playing: false });
  // the audio thread's last pieces are on their way
  await new Promise(r => setTimeout(r, 150));
  now.input.close();
  running = null;
  setCue(null);
  try {
    if (song) {
      const rounds = assembleRounds(now.pieces, latencySamples(song.sampleRate), song.sampleRate);
      const names = await withRecordings(() => keepRounds(now.trackId, rounds, song.sampleRate));
      if (names.length) toast.success(`${names.join(', ')} recorded.`);
      else toast('That was too short to keep.');
    }
    await db.recorded.where('sessionId').equals(now.sessionId).delete();
  } catch (error) {
    toast.error(
      `The recording could not be made a take: ${said(error)}. It is kept and offered when the song is opened again.`,
    );
  }
  set({ phase: 'idle' });
}

/** Adds rounds to a track as takes; returns their names. */
async function keepRounds(
  trackId: string,
  rounds: { position: number; samples: Float32Array }[],
  sampleRate: number,
): Promise<string[]> {
  const takes: Take[] = [];
  const track = trackOf(useSession.getState(), trackId);
  if (!track || !rounds.length) return [];
  let number = track.takes.length;
  for (const r of rounds) {
    const name = `Take ${++number}`;
    const sourceId = await keepSamples(`${track.name} ${name}`, sampleRate, [r.samples], 'recorded here');
    takes.push(Object.assign(new Take(), { id: newId(), name, sourceId, offsetSeconds: r.position / sampleRate }));
  }
  const label = `Record ${takes.length === 1 ? takes[0].name.toLowerCase() : `${takes.length} takes`}`;
  if (!change(label, addTakes(trackId, takes))) throw new Error('it could not be added to the track');
  return takes.map(t => t.name);
}

/** Makes takes of what an interrupted recording left in the database. */
export async function recoverRecordings(songId: string): Promise<void> {
  if (running || useSession.getState().elsewhere) return;
  const rows = await db.recorded.where('songId').equals(songId).sortBy('id');
  for (const sessionId of new Set(rows.map(r => r.sessionId))) {
    const mine = rows.filter(r => r.sessionId === sessionId);
    const { trackId, latency, sampleRate } = mine[0];
    if (songOf(useSession.getState())?.id !== songId) return;
    const names = await withRecordings(() =>
      keepRounds(trackId, assembleRounds(mine, latency, sampleRate), sampleRate),
    );
    await db.recorded.where('sessionId').equals(sessionId).delete();
    if (names.length)
      toast.success(`A recording was interrupted. What was sung until then is kept: ${names.join(', ')}.`, {
        duration: 10000,
      });
  }
}

const MEASURE_CLICKS = [0.4, 0.8, 1.2, 1.6, 2];

/** Plays clicks and looks for them at the microphone: hold a headphone to it, or connect them by a cable. */
export async function measureLatency(restoreClicks: () => void): Promise<void> {
  const p = player();
  if (!p || get().phase !== 'idle') return;
  set({ phase: 'measuring', suggestedMs: null });
  const input = makeInput(get().device);
  const pieces: Recorded[] = [];
  try {
    const { context, node } = await p.start();
    await input.open(context, node);
    input.leak(true);
    p.stop();
    setCue([]);
    p.loop(null);
    p.setClicks(
      MEASURE_CLICKS,
      MEASURE_CLICKS.map(() => 0),
      true,
    );
    p.onRecorded = r => pieces.push(r);
    p.record(true);
    await p.play(0, 0, AHEAD);
    await new Promise(r => setTimeout(r, 2900));
    p.record(false);
    p.stop();
    await new Promise(r => setTimeout(r, 150));
    const [whole] = assembleRounds(pieces, 0, p.sampleRate);
    const clicks = MEASURE_CLICKS.map(t => Math.round(t * p.sampleRate));
    const samples = whole ? latencyOf(whole.samples, whole.position, clicks, p.sampleRate) : null;
    if (samples === null)
      toast('The clicks were not heard. Hold a headphone to the microphone, turn it up, and measure again.');
    else set({ suggestedMs: Math.round((samples / p.sampleRate) * 10000) / 10 });
  } catch (error) {
    toast.error(`The latency could not be measured: ${said(error)}.`);
  } finally {
    input.close();
    setCue(null);
    restoreClicks();
    set({ phase: 'idle' });
  }
}
