import { AudioFileError, gainToDb, resample } from '@essim/core';
import { decode, type DecodedFile } from './decode';

/** A file as a song takes it: at the song's rate. */
export interface ImportedAudio extends DecodedFile {
  /** Rate of the file itself. */
  fileRate: number;
  sound: SoundFacts;
}

/** What the samples tell of a recording. */
export interface SoundFacts {
  peakDb: number;
  /** Level of each channel, dB. */
  channelDb: number[];
  /** Correlation of left and right, -1..1; 1 for one channel. */
  correlation: number;
}

/** A file that could not be read; errors do not cross threads with their class, so they travel as data. */
export interface ImportFailure {
  error: string;
}

const SILENT_DB = -90;

/** An error about the file as data. @throws any other error */
export function failureOf(error: unknown): ImportFailure {
  if (error instanceof AudioFileError) return { error: error.message };
  if (error instanceof RangeError) return { error: 'there is not enough memory for it' };
  throw error;
}

/** "24-bit WAV at 44.1 kHz" */
export const originOf = (file: ImportedAudio): string => `${file.format} at ${file.fileRate / 1000} kHz`;

/** Reads a sound file, at a song's rate when one is given. For workers. */
export async function readSoundFile(
  file: Blob,
  wantedRate: number | null,
  onProgress: (share: number) => void = () => {},
): Promise<ImportedAudio | ImportFailure> {
  try {
    const decoded = await decode(file, share => onProgress(share * 0.4));
    const { channels, sampleRate } = decoded;
    if (channels.length > 2) return { error: `it has ${channels.length} channels; Essim takes one and two channels` };
    const sound = soundFacts(channels);
    if (sound.peakDb < SILENT_DB) return { error: 'it is silent' };
    const rate = wantedRate ?? sampleRate;
    const out: Float32Array[] = [];
    for (const [i, c] of channels.entries())
      out.push(await resample(c, sampleRate, rate, share => onProgress(0.4 + (0.6 * (i + share)) / channels.length)));
    return { ...decoded, channels: out, sampleRate: rate, fileRate: sampleRate, sound };
  } catch (error) {
    return failureOf(error);
  }
}

function soundFacts(channels: Float32Array[]): SoundFacts {
  const [l, r] = channels;
  const each = channels.map(peakAndEnergy);
  const both = r ? productOf(l, r) : 0;
  return {
    peakDb: gainToDb(Math.max(...each.map(e => e.peak))),
    channelDb: each.map(e => gainToDb(Math.sqrt(e.energy / l.length))),
    correlation: r ? both / Math.sqrt(each[0].energy * each[1].energy + 1e-12) : 1,
  };
}

function peakAndEnergy(x: Float32Array): { peak: number; energy: number } {
  let [low, high, energy] = [0, 0, 0];
  for (let i = 0; i < x.length; i++) {
    const v = x[i];
    if (v > high) high = v;
    else if (v < low) low = v;
    energy += v * v;
  }
  return { peak: Math.max(high, -low), energy };
}

function productOf(x: Float32Array, y: Float32Array): number {
  let sum = 0;
  for (let i = 0; i < x.length; i++) sum += x[i] * y[i];
  return sum;
}
