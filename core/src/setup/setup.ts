import { rankKeys, tuningOf, type KeyEstimate, type SungSpan } from '../read';
import { floatsOf, lengthOf, type Samples } from '../signal/samples';
import type { Cents, Hertz } from '../units';
import { chromaBetween, chromaOf, type Chroma } from './chroma';
import { estimateChords, type ChordEstimate } from './chords';
import { estimateTempo, onsetEnvelope, type TempoEstimate } from './tempo';

/** What a backing tells about a song. */
export interface BackingEstimate {
  tempo: TempoEstimate | null;
  chroma: Chroma;
}

/** A backing track and where its first sample lies, in samples of the song. */
export interface BackingSound {
  channels: readonly Samples[];
  offset: number;
}

/** What several backing tracks together tell. */
export function analyseBackings(sounds: readonly BackingSound[], sampleRate: Hertz): BackingEstimate {
  const length = Math.max(1, ...sounds.map(s => s.offset + lengthOf(s.channels[0])));
  const mono = new Float32Array(length);
  for (const { channels, offset } of sounds)
    for (const c of channels.map(x => floatsOf(x)))
      for (let i = Math.max(0, -offset); i < c.length; i++) mono[i + offset] += c[i] / channels.length;
  return analyseBacking(mono, sampleRate);
}

/** Analyses a backing once. @param samples one channel. Cost: about 1/50 of real time. */
export function analyseBacking(samples: Float32Array, sampleRate: Hertz): BackingEstimate {
  const chroma = chromaOf(samples, sampleRate);
  const tempo = estimateTempo(onsetEnvelope(samples, sampleRate), (t, beat) => harmonicChange(chroma, t, beat));
  return { tempo, chroma };
}

/** Distance of the mean chroma of a beat from that of the beat before, 0..2. */
function harmonicChange(chroma: Chroma, t: number, beat: number): number {
  const [before, after] = chromaBetween(chroma.all, chroma.frames, chroma.rate, [t - beat, t, t + beat]);
  return before.reduce((s, v, i) => s + Math.abs(v - after[i]), 0);
}

/** Keys ranked from the sung notes and the backing together; either may be missing. */
export function estimateKey(notes: SungSpan[], backing: BackingEstimate | null): KeyEstimate[] {
  const tuning = notes.length ? tuningOf(notes) : 0;
  if (!backing) return rankKeys(notes, tuning);
  const { chroma } = backing;
  const sum = (rows: Float64Array, from: number, to: number) => {
    const out = new Float64Array(12);
    for (let k = from; k < to; k++) for (let c = 0; c < 12; c++) out[c] += rows[12 * k + c];
    return out;
  };
  const sounding = [...Array(chroma.frames).keys()].filter(k =>
    chroma.all.subarray(12 * k, 12 * k + 12).some(v => v > 0),
  );
  const last = (sounding.at(-1) ?? 0) + 1;
  const close = Math.round(3 * chroma.rate);
  return rankKeys(notes, tuning, {
    chroma: sum(chroma.all, 0, chroma.frames),
    bass: sum(chroma.bass, 0, chroma.frames),
    ending: sum(chroma.bass, Math.max(0, last - close), last),
  });
}

/** Reference pitch from the backing when it is clear, else from the notes. */
export interface ReferenceEstimate {
  cents: Cents;
  hz: Hertz;
  /** 0..1. */
  confidence: number;
  from: 'backing' | 'voice';
}

export function estimateReference(notes: SungSpan[], backing: BackingEstimate | null): ReferenceEstimate | null {
  const of = (cents: Cents, confidence: number, from: 'backing' | 'voice') => ({
    cents,
    hz: Math.round(440 * 2 ** (cents / 1200) * 10) / 10,
    confidence,
    from,
  });
  if (backing && backing.chroma.tuningSure > 0.3)
    return of(backing.chroma.tuningCents, backing.chroma.tuningSure, 'backing');
  if (notes.length < 4) return null;
  let [c, s, w] = [0, 0, 0];
  for (const n of notes) {
    const weight = Math.sqrt(n.end - n.start);
    c += weight * Math.cos(2 * Math.PI * n.pitch);
    s += weight * Math.sin(2 * Math.PI * n.pitch);
    w += weight;
  }
  return of(tuningOf(notes), Math.hypot(c, s) / w, 'voice');
}

/** Chords of a backing on the beats of its tempo, or on half seconds when it has none. */
export function chordsOf(
  backing: BackingEstimate,
  key: KeyEstimate | null,
  beats: number[],
  beatsPerBar: number,
  firstBarBeat: number,
): ChordEstimate[] {
  return estimateChords(backing.chroma, beats, {
    key: key && { tonic: key.tonic, mode: key.mode },
    beatsPerBar,
    firstBarBeat,
  });
}
