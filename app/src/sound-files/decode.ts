import { AudioFileError, looksLikeWav, readWav } from '@essim/core';
import { wavRate } from './wav-rate';
import { ALL_FORMATS, AudioSampleSink, BlobSource, Input, type InputAudioTrack } from 'mediabunny';

export interface DecodedFile {
  sampleRate: number;
  channels: Float32Array[];
  /** What the file is, for people: "24-bit WAV", "MP3". */
  format: string;
  /** Broadcast time stamp, samples at the file's own rate. */
  timeReference?: number;
}

/** Longest recording that is taken in, s: an hour and a half. */
const LONGEST_SECONDS = 5400;

const FORMAT_NAMES: Record<string, string> = {
  int8: '8-bit WAV',
  int16: '16-bit WAV',
  int24: '24-bit WAV',
  int32: '32-bit WAV',
  float32: '32-bit float WAV',
  float64: '64-bit float WAV',
};

/** Rate of a file without decoding it. @throws AudioFileError when it holds no sound this browser can tell of */
export async function rateOf(file: Blob): Promise<number> {
  const known = await wavRate(file);
  if (known !== null) return known;
  const { track, input } = await audioTrackOf(file);
  try {
    return track.sampleRate;
  } finally {
    input.dispose();
  }
}

/** Decodes a sound file at its own rate. @throws AudioFileError saying why it cannot be used */
export async function decode(file: Blob, onProgress: (share: number) => void): Promise<DecodedFile> {
  if (!file.size) throw new AudioFileError('the file is empty');
  const head = new Uint8Array(await file.slice(0, 16).arrayBuffer());
  if (looksLikeWav(head)) {
    const { channels, sampleRate, format, timeReference } = readWav(new Uint8Array(await file.arrayBuffer()));
    return { channels, sampleRate, format: FORMAT_NAMES[format], timeReference };
  }
  return decodeCompressed(file, onProgress);
}

async function audioTrackOf(file: Blob): Promise<{ track: InputAudioTrack; input: Input }> {
  const input = new Input({ source: new BlobSource(file), formats: ALL_FORMATS });
  let track: InputAudioTrack | null;
  try {
    if (!(await input.canRead()))
      throw new AudioFileError('it is not a sound file Essim knows (WAV, FLAC, MP3, Ogg, M4A)');
    track = await input.getPrimaryAudioTrack();
  } catch (error) {
    input.dispose();
    if (error instanceof AudioFileError) throw error;
    throw new AudioFileError('it is damaged');
  }
  if (!track) {
    input.dispose();
    throw new AudioFileError('there is no sound in it');
  }
  return { track, input };
}

async function decodeCompressed(file: Blob, onProgress: (share: number) => void): Promise<DecodedFile> {
  const { track, input } = await audioTrackOf(file);
  try {
    const codec = (track.codec ?? '').toUpperCase();
    if (!(await track.canDecode()))
      throw new AudioFileError(
        `this browser cannot decode ${codec || 'the way its sound is stored'}; save it as WAV or FLAC and bring that in`,
      );
    const { sampleRate, numberOfChannels } = track;
    if (sampleRate < 8000 || sampleRate > 192000)
      throw new AudioFileError(`its rate of ${sampleRate} Hz is outside 8 to 192 kHz`);
    const duration = await track.computeDuration();
    if (duration > LONGEST_SECONDS) throw new AudioFileError('it is longer than an hour and a half');
    const pieces: { at: number; channels: Float32Array[] }[] = [];
    let end = 0;
    try {
      for await (const sample of new AudioSampleSink(track).samples()) {
        const at = Math.round(sample.timestamp * sampleRate);
        const channels = Array.from({ length: numberOfChannels }, (_, planeIndex) => {
          const plane = new Float32Array(sample.numberOfFrames);
          sample.copyTo(plane, { planeIndex, format: 'f32-planar' });
          return plane;
        });
        pieces.push({ at, channels });
        end = Math.max(end, at + sample.numberOfFrames);
        onProgress(Math.min(1, sample.timestamp / Math.max(0.1, duration)));
        sample.close();
      }
    } catch (error) {
      if (!pieces.length)
        throw new AudioFileError(`it is damaged: ${String((error as Error).message).replace(/\.+$/, '')}`);
      throw new AudioFileError(`it is damaged after ${(end / sampleRate).toFixed(1)} seconds`);
    }
    if (!(end > 0)) throw new AudioFileError('it has no sound in it');
    const channels = Array.from({ length: numberOfChannels }, () => new Float32Array(end));
    for (const p of pieces)
      p.channels.forEach((c, i) =>
        channels[i].set(p.at < 0 ? c.subarray(Math.min(c.length, -p.at)) : c, Math.max(0, p.at)),
      );
    return { sampleRate, channels, format: codec };
  } finally {
    input.dispose();
  }
}
