import * as Comlink from 'comlink';
import {
  analyseVoice,
  asWhole,
  correctReading,
  headLength,
  layOut,
  mixDown,
  moveNotes,
  noteFacts,
  planTake,
  readTake,
  renderSpan,
  toneOf,
  type Layout,
  type Misfit,
  type Movements,
  type NoteEdit,
  type NoteFacts,
  type Range,
  type Reading,
  type ReadingCorrections,
  type Span,
  type VoiceAnalysis,
} from '@essim/core';
import { shared } from './shared';

/** What corrections change of a reading; the rest is as it was read. */
export type CorrectedParts = Pick<Reading, 'f0' | 'notes' | 'noises' | 'spoken' | 'keys' | 'tuningCents'>;

/** What the page needs to know of a take once it is read. */
export interface PreparedTake {
  /** Null while nothing is corrected. */
  corrected: CorrectedParts | null;
  assumed: Span[];
  misfits: Misfit[];
  notes: NoteFacts[];
  /** MIDI per frame, NaN where nothing is sung. */
  sungLine: Float32Array;
}

/** Samples that replace what was there, all channels. Positions in source samples. */
export interface Patch {
  from: number;
  channels: Float32Array[];
}

export interface PlannedTake {
  /** Edited line, MIDI per frame, NaN where nothing is sung. */
  line: Float32Array;
  patches: Patch[];
  /** With the first patches: the sound as sung, in shared memory, for them to be put into. */
  copy?: Float32Array[];
}

/** One take's computation: reading, plan and rendering, off the main thread. */
export class TakeJob {
  private channels: Float32Array[] = [];
  private sampleRate = 48000;
  private reading: Reading | null = null;
  private movements: Movements | null = null;
  private analysis: VoiceAnalysis | null = null;
  private layout: Layout | null = null;
  /** Whether the analysis is of the present reading. */
  private analysed = false;
  private copied = false;

  open(channels: Float32Array[], sampleRate: number): void {
    this.channels = channels;
    this.sampleRate = sampleRate;
  }

  /** @throws the reading's errors; their messages are for the user */
  read(range: Range, stop: Int32Array, onProgress: (share: number) => void): Reading {
    return readTake(mixDown(this.channels), this.sampleRate, {
      range,
      onProgress: share => {
        onProgress(share);
        return Atomics.load(stop, 0) === 0;
      },
    });
  }

  /** The first phrases of a long take, as a reading in which nothing is heard after them; null for a short take, or when they are empty. */
  readHead(range: Range): { reading: Reading; until: number } | null {
    const x = mixDown(this.channels);
    const length = headLength(x, this.sampleRate);
    if (!length) return null;
    const head = readTake(x.subarray(0, length), this.sampleRate, { range });
    return { reading: asWhole(head, x.length / this.sampleRate), until: length / this.sampleRate };
  }

  /** Takes a reading, or another, with what was put right in it; what is rendered by the last one is rendered again with the next plan. */
  prepare(auto: Reading, corrections: ReadingCorrections): PreparedTake {
    const { reading, assumed, misfits } = correctReading(auto, corrections);
    this.reading = reading;
    this.movements = moveNotes(reading, this.movements ?? undefined);
    this.analysed = false;
    const { sung, voiced } = this.movements;
    const { f0, notes, noises, spoken, keys, tuningCents } = reading;
    return {
      corrected: reading === auto ? null : { f0, notes, noises, spoken, keys, tuningCents },
      assumed,
      misfits,
      notes: noteFacts(this.movements),
      sungLine: midiLine(sung, voiced),
    };
  }

  /** The reading as a plain tone with the voice's loudness, in shared memory. */
  tone(): Float32Array {
    const { f0, levelDb } = this.ready().movements.reading;
    return shared(toneOf(f0, levelDb, this.sampleRate, this.channels[0].length));
  }

  /** Plans the take with these edits and renders what differs from the last call. */
  plan(edits: Record<string, NoteEdit>): PlannedTake {
    const { movements, analysis } = this.ready();
    const planned = planTake(movements, edits);
    const before = this.layout;
    const layout = layOut(analysis, planned.voice);
    this.layout = layout;
    const spans = merged(changedSpans(before, layout, this.sampleRate));
    const patches = spans.map(([from, to]) => ({ from, channels: this.rendered(layout, from, to) }));
    const line = midiLine(planned.line, movements.voiced);
    const copy = patches.length && !this.copied ? this.channels.map(shared) : undefined;
    this.copied ||= !!copy;
    return Comlink.transfer({ line, patches, ...(copy ? { copy } : {}) }, [
      line.buffer,
      ...patches.flatMap(p => p.channels.map(c => c.buffer)),
    ]);
  }

  /** The sound of a span with these edits, for hearing one note; changes nothing that plays. */
  sound(edits: Record<string, NoteEdit>, from: number, to: number): Float32Array[] {
    const { movements, analysis } = this.ready();
    const out = this.rendered(layOut(analysis, planTake(movements, edits).voice), from, to);
    return Comlink.transfer(
      out,
      out.map(c => c.buffer),
    );
  }

  /** The whole take with these edits. */
  render(edits: Record<string, NoteEdit>): Float32Array[] {
    const { movements, analysis } = this.ready();
    const layout = layOut(analysis, planTake(movements, edits).voice);
    const out = this.rendered(layout, 0, layout.length);
    return Comlink.transfer(
      out,
      out.map(c => c.buffer),
    );
  }

  private ready(): { movements: Movements; analysis: VoiceAnalysis } {
    if (!this.movements || !this.reading) throw new Error('the take is not read yet');
    if (!this.analysis || !this.analysed) {
      const { f0, hop } = this.reading;
      this.analysis = analyseVoice(this.channels, this.sampleRate, f0, hop, this.analysis ?? undefined);
      this.analysed = true;
    }
    return { movements: this.movements, analysis: this.analysis };
  }

  private rendered(layout: Layout, from: number, to: number): Float32Array[] {
    return this.channels.map((_, c) => {
      const out = new Float32Array(to - from);
      renderSpan(this.analysis!, layout, c, from, to, out);
      return out;
    });
  }
}

function midiLine(cents: Float64Array, voiced: Float64Array): Float32Array {
  return Float32Array.from(cents, (c, k) => (voiced[k] ? c / 100 : NaN));
}

/** Spans to render again: every edited run, old or new, that holds a frame whose plan changed, or whose voice is now heard otherwise. Before any plan: nothing was changed. */
function changedSpans(before: Layout | null, after: Layout, sampleRate: number): [number, number][] {
  const { hop, offsetCents, active } = after.plan;
  const step = hop * sampleRate;
  const changed = (k: number) =>
    before ? before.plan.offsetCents[k] !== offsetCents[k] || before.plan.active[k] !== active[k] : active[k] === 1;
  const spans: [number, number][] = [];
  const voices = [before, after].map(l => new Set(l?.masks.map(m => m.segment)));
  for (const m of [...(before?.masks ?? []), ...after.masks]) {
    if (!voices.every(v => v.has(m.segment))) {
      spans.push(spanOfMask(m, after));
      continue;
    }
    const first = Math.max(0, Math.floor(m.u0 / step) - 1);
    const last = Math.min(offsetCents.length - 1, Math.ceil(m.v1 / step) + 1);
    for (let k = first; k <= last; k++)
      if (changed(k)) {
        spans.push(spanOfMask(m, after));
        break;
      }
  }
  return spans;
}

const spanOfMask = (m: { u0: number; v1: number }, { length }: Layout): [number, number] => [
  Math.max(0, Math.floor(m.u0) - 8),
  Math.min(length, Math.ceil(m.v1) + 8),
];

/** Spans in order, those that meet made one. */
function merged(spans: [number, number][]): [number, number][] {
  const out: [number, number][] = [];
  for (const s of [...spans].sort((a, b) => a[0] - b[0])) {
    const last = out[out.length - 1];
    if (last && s[0] <= last[1]) last[1] = Math.max(last[1], s[1]);
    else out.push([...s]);
  }
  return out;
}

Comlink.expose(new TakeJob());
