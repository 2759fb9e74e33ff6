import { seededRandom } from '../signal/random';

/** How samples are stored. */
export type SampleFormat = 'int8' | 'int16' | 'int24' | 'int32' | 'float32' | 'float64';

export interface WavAudio {
  sampleRate: number;
  /** One array a channel, all equally long, nominally -1..1. */
  channels: Float32Array[];
  format: SampleFormat;
  /** Broadcast time stamp: where the first sample lies on the recorder's clock, samples; absent without one. */
  timeReference?: number;
}

/** A file that cannot be used; the message says why in words for the user, without the file's name. */
export class AudioFileError extends Error {
  override name = 'AudioFileError';
}

const BYTES: Record<SampleFormat, number> = { int8: 1, int16: 2, int24: 3, int32: 4, float32: 4, float64: 8 };
const EXTENSIBLE = 0xfffe;
const BEXT_SIZE = 602;

/** Whether the bytes begin like a WAV file. */
export function looksLikeWav(bytes: Uint8Array): boolean {
  const tag = (at: number) => String.fromCharCode(...bytes.subarray(at, at + 4));
  return bytes.length >= 12 && (tag(0) === 'RIFF' || tag(0) === 'RF64') && tag(8) === 'WAVE';
}

/**
 * Reads WAV: 8/16/24/32-bit integer, 32/64-bit float, plain or extensible header, any number of channels.
 * @throws AudioFileError for anything that is not whole, sound WAV with at least one sample
 */
export function readWav(bytes: Uint8Array): WavAudio {
  if (!bytes.length) throw new AudioFileError('the file is empty');
  if (!looksLikeWav(bytes)) throw new AudioFileError('this is not a WAV file');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let header: { format: SampleFormat; channels: number; sampleRate: number } | undefined;
  let timeReference: number | undefined;
  let at = 12;
  while (at + 8 <= bytes.length) {
    const id = String.fromCharCode(...bytes.subarray(at, at + 4));
    const size = view.getUint32(at + 4, true);
    const body = at + 8;
    if (id === 'fmt ') {
      if (size < 16 || body + 16 > bytes.length) throw new AudioFileError('its format header is cut short');
      header = readFormat(view, body, size);
    }
    // broadcast extension (EBU Tech 3285): the time reference stands behind three texts and date and time
    if (id === 'bext' && size >= 346 && body + 346 <= bytes.length)
      timeReference = view.getUint32(body + 338, true) + view.getUint32(body + 342, true) * 2 ** 32;
    if (id === 'data') {
      if (!header) throw new AudioFileError('its format header is missing');
      // RF64 and streamed files write 0xffffffff: the data then runs to the end
      const length = size === 0xffffffff ? bytes.length - body : size;
      if (body + length > bytes.length) {
        const there = Math.floor(((bytes.length - body) / length) * 100);
        throw new AudioFileError(`it is cut short: only ${there} % of the sound is there`);
      }
      const channels = readSamples(view, body, length, header.format, header.channels);
      return { ...header, channels, ...(timeReference === undefined ? {} : { timeReference }) };
    }
    at = body + size + (size & 1);
  }
  throw new AudioFileError(header ? 'it has no sound in it' : 'it is cut short');
}

/**
 * The file itself with only the samples that changed written over: what nobody edited stays bit for bit, in any format, and so do
 * the file's other chunks. For results as long as the input.
 * @param bytes the WAV file @param channels its new samples
 */
export function overwriteWav(bytes: Uint8Array, channels: Float32Array[]): Uint8Array {
  const { format, channels: before } = readWav(bytes);
  const out = bytes.slice();
  const view = new DataView(out.buffer);
  const width = BYTES[format];
  let o = dataStart(bytes);
  for (let i = 0; i < before[0].length; i++)
    for (let c = 0; c < before.length; c++, o += width)
      if (channels[c][i] !== before[c][i]) writeSample(view, o, channels[c][i], format, 0);
  return out;
}

function dataStart(bytes: Uint8Array): number {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let at = 12; ;) {
    if (String.fromCharCode(...bytes.subarray(at, at + 4)) === 'data') return at + 8;
    const size = view.getUint32(at + 4, true);
    at += 8 + size + (size & 1);
  }
}

function readFormat(view: DataView, at: number, size: number) {
  let code = view.getUint16(at, true);
  const channels = view.getUint16(at + 2, true);
  const sampleRate = view.getUint32(at + 4, true);
  const bits = view.getUint16(at + 14, true);
  if (code === EXTENSIBLE && size >= 26 && at + 26 <= view.byteLength) code = view.getUint16(at + 24, true);
  const integers: Record<number, SampleFormat> = { 8: 'int8', 16: 'int16', 24: 'int24', 32: 'int32' };
  const floats: Record<number, SampleFormat> = { 32: 'float32', 64: 'float64' };
  const format = code === 1 ? integers[bits] : code === 3 ? floats[bits] : undefined;
  if (!format) throw new AudioFileError(`its sample format (code ${code}, ${bits} bits) is not one Essim reads`);
  if (channels < 1 || channels > 64) throw new AudioFileError(`it claims ${channels} channels`);
  if (sampleRate < 8000 || sampleRate > 192000)
    throw new AudioFileError(`its rate of ${sampleRate} Hz is outside 8 to 192 kHz`);
  return { format, channels, sampleRate };
}

function readSamples(
  view: DataView,
  at: number,
  length: number,
  format: SampleFormat,
  channels: number,
): Float32Array[] {
  const width = BYTES[format];
  const n = Math.floor(length / (width * channels));
  if (!n) throw new AudioFileError('it has no sound in it');
  const bytes = new Uint8Array(view.buffer, view.byteOffset, view.byteLength);
  return Array.from({ length: channels }, (_, c) => {
    const x = new Float32Array(n);
    const step = width * channels;
    let o = at + c * width;
    // the usual kinds each in a loop of their own: what is dropped is waited for
    if (format === 'int24')
      for (let i = 0; i < n; i++, o += step)
        x[i] = ((bytes[o] << 8) | (bytes[o + 1] << 16) | (bytes[o + 2] << 24)) / 2147483648;
    else if (format === 'int16')
      for (let i = 0; i < n; i++, o += step) x[i] = ((bytes[o] << 16) | (bytes[o + 1] << 24)) / 2147483648;
    else for (let i = 0; i < n; i++, o += step) x[i] = finite(readSample(view, o, format));
    return x;
  });
}

/** Silence where a sample is no number, or none that 32 bits hold. */
const finite = (v: number): number => (Number.isFinite(Math.fround(v)) ? v : 0);

function readSample(view: DataView, o: number, format: Exclude<SampleFormat, 'int16' | 'int24'>): number {
  switch (format) {
    case 'int8':
      return (view.getUint8(o) - 128) / 128;
    case 'int32':
      return view.getInt32(o, true) / 2147483648;
    case 'float32':
      return view.getFloat32(o, true);
    case 'float64':
      return view.getFloat64(o, true);
  }
}

export interface WavOptions {
  format: SampleFormat;
  /**
   * Triangular dither of two steps for integer formats. What fits as it is, is written as it is, so that samples nobody touched go
   * back bit for bit.
   */
  dither?: boolean;
  /** Seed of the dither. */
  seed?: number;
  /** Writes a broadcast time stamp, samples. */
  timeReference?: number;
}

/** Writes WAV. Samples beyond -1..1 are clipped in integer formats, kept in float ones. */
export function writeWav(
  audio: { sampleRate: number; channels: Float32Array[] },
  { format, dither = false, seed = 1, timeReference }: WavOptions,
): Uint8Array {
  const { channels, sampleRate } = audio;
  const width = BYTES[format];
  const n = channels[0].length;
  const dataSize = n * channels.length * width;
  const stamp = timeReference === undefined ? 0 : 8 + BEXT_SIZE;
  const bytes = new Uint8Array(44 + stamp + dataSize + (dataSize & 1));
  const view = new DataView(bytes.buffer);
  const text = (at: number, s: string) => [...s].forEach((ch, i) => view.setUint8(at + i, ch.charCodeAt(0)));
  text(0, 'RIFF');
  view.setUint32(4, bytes.length - 8, true);
  text(8, 'WAVEfmt ');
  view.setUint32(16, 16, true);
  view.setUint16(20, format.startsWith('float') ? 3 : 1, true);
  view.setUint16(22, channels.length, true);
  view.setUint32(24, sampleRate, true);
  view.setUint32(28, sampleRate * channels.length * width, true);
  view.setUint16(32, channels.length * width, true);
  view.setUint16(34, width * 8, true);
  if (timeReference !== undefined) {
    text(36, 'bext');
    view.setUint32(40, BEXT_SIZE, true);
    view.setUint32(44 + 338, timeReference % 2 ** 32, true);
    view.setUint32(44 + 342, Math.floor(timeReference / 2 ** 32), true);
  }
  text(36 + stamp, 'data');
  view.setUint32(40 + stamp, dataSize, true);
  const random = dither ? seededRandom(seed) : undefined;
  for (let i = 0, o = 44 + stamp; i < n; i++)
    for (let c = 0; c < channels.length; c++, o += width)
      writeSample(view, o, channels[c][i], format, random ? random.uniform() - random.uniform() : 0);
  return bytes;
}

const dithered = (v: number, noise: number): number => (v === Math.round(v) ? v : v + noise);
const whole = (v: number, scale: number): number => Math.max(-scale, Math.min(scale - 1, Math.round(v)));

function writeSample(view: DataView, o: number, sample: number, format: SampleFormat, noise: number): void {
  const v = finite(sample);
  switch (format) {
    case 'int8':
      return view.setUint8(o, whole(dithered(v * 128, noise), 128) + 128);
    case 'int16':
      return view.setInt16(o, whole(dithered(v * 32768, noise), 32768), true);
    case 'int24': {
      const q = whole(dithered(v * 8388608, noise), 8388608);
      view.setUint16(o, q & 0xffff, true);
      return view.setInt8(o + 2, q >> 16);
    }
    case 'int32':
      return view.setInt32(o, whole(dithered(v * 2147483648, noise), 2147483648), true);
    case 'float32':
      return view.setFloat32(o, v, true);
    case 'float64':
      return view.setFloat64(o, v, true);
  }
}
