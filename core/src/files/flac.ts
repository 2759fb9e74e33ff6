/**
 * Lossless packing of recordings with the reference codec (libFLAC, compiled to WebAssembly). Its machine code lies beside the package; where
 * files have other places, as on a page, FLAC_SCRIPT_LOCATION of the global object names them.
 */

type Codec = typeof import('libflacjs/dist/libflac.wasm.js');
let codec: Promise<Codec> | null = null;

export interface Pcm {
  sampleRate: number;
  /** 16 or 24. */
  bits: number;
  channels: Float32Array[];
}

const LEVEL = 5;
const BLOCK = 65536;

/** The codec, loaded when it is first needed. */
function ready(): Promise<Codec> {
  codec ??= loaded();
  return codec;
}

async function loaded(): Promise<Codec> {
  const host = globalThis as { fetch?: unknown; FLAC_SCRIPT_LOCATION?: unknown };
  const { fetch } = host;
  // the package fetches wherever it can, even a path in the file system
  if (!host.FLAC_SCRIPT_LOCATION) host.fetch = undefined;
  try {
    // the package is CommonJS: bundlers put its names under default
    const packaged = (await import('libflacjs/dist/libflac.wasm.js')) as { default?: unknown };
    const Flac = (packaged.default ?? packaged) as Codec;
    if (!Flac.isReady()) await new Promise<void>(done => Flac.on('ready', () => done()));
    return Flac;
  } finally {
    host.fetch = fetch;
  }
}

/** @throws Error when it cannot be packed */
export async function packFlac({ sampleRate, bits, channels }: Pcm): Promise<Uint8Array<ArrayBuffer>> {
  const Flac = await ready();
  const length = channels[0].length;
  const encoder = Flac.create_libflac_encoder(sampleRate, channels.length, bits, LEVEL, length, false);
  if (!encoder) throw new Error('the FLAC codec did not begin');
  const pieces: Uint8Array[] = [];
  try {
    const status = Flac.init_encoder_stream(encoder, (data: Uint8Array) => void pieces.push(data.slice()));
    if (status !== 0) throw new Error(`the FLAC codec refused ${bits} bits at ${sampleRate} Hz`);
    const scale = 2 ** (bits - 1);
    for (let at = 0; at < length; at += BLOCK) {
      const count = Math.min(BLOCK, length - at);
      const block = new Int32Array(count * channels.length);
      for (let i = 0; i < count; i++)
        for (let c = 0; c < channels.length; c++)
          block[i * channels.length + c] = Math.round(channels[c][at + i] * scale);
      if (!Flac.FLAC__stream_encoder_process_interleaved(encoder, block, count)) throw new Error('FLAC packing failed');
    }
    Flac.FLAC__stream_encoder_finish(encoder);
  } finally {
    Flac.FLAC__stream_encoder_delete(encoder);
  }
  return joined(pieces);
}

/** @param most samples a channel that are accepted @throws Error when it is damaged, or holds more */
export async function unpackFlac(bytes: Uint8Array<ArrayBuffer>, most: number): Promise<Pcm> {
  const Flac = await ready();
  const decoder = Flac.create_libflac_decoder(true);
  if (!decoder) throw new Error('the FLAC codec did not begin');
  let at = 0;
  let failed = '';
  let found: { sampleRate: number; bits: number; channels: number } | null = null;
  const blocks: Float32Array[][] = [];
  let length = 0;
  try {
    const status = Flac.init_decoder_stream(
      decoder,
      (wanted: number) => {
        const buffer = bytes.subarray(at, Math.min(bytes.length, at + wanted));
        at += buffer.length;
        return { buffer, readDataLength: buffer.length, error: false };
      },
      (
        data: Uint8Array[],
        info: { channels: number; bitsPerSample: number; sampleRate: number; blocksize: number },
      ) => {
        const { bitsPerSample, blocksize } = info;
        found = { sampleRate: info.sampleRate, bits: bitsPerSample, channels: info.channels };
        length += blocksize;
        if (length <= most) blocks.push(data.map(d => floatsOf(d, bitsPerSample, blocksize)));
      },
      (_code, text) => {
        failed ||= String(text);
      },
    );
    if (status !== 0) throw new Error('the FLAC codec did not begin');
    while (!failed && length <= most) {
      const went = Flac.FLAC__stream_decoder_process_single(decoder);
      const state = Flac.FLAC__stream_decoder_get_state(decoder);
      // 4: the end was reached; above it the stream is not one
      if (state === 4) break;
      if (!went || state > 4) failed = 'it is cut short or no FLAC';
    }
  } finally {
    Flac.FLAC__stream_decoder_finish(decoder);
    Flac.FLAC__stream_decoder_delete(decoder);
  }
  if (length > most) throw new Error('it is longer than it says');
  if (failed || !found) throw new Error(failed || 'it is no FLAC');
  const { sampleRate, bits, channels } = found as { sampleRate: number; bits: number; channels: number };
  return {
    sampleRate,
    bits,
    channels: Array.from({ length: channels }, (_, c) => {
      const out = new Float32Array(length);
      let o = 0;
      for (const b of blocks) {
        out.set(b[c], o);
        o += b[c].length;
      }
      return out;
    }),
  };
}

/** Samples as the codec hands them over: little-endian, as many bytes as the bits need. */
function floatsOf(data: Uint8Array, bits: number, count: number): Float32Array {
  const wide = data.byteLength / count;
  const scale = 2 ** (1 - bits);
  const out = new Float32Array(count);
  for (let i = 0, at = 0; i < count; i++, at += wide) {
    // the highest byte has the sign
    let v = (data[at + wide - 1] << 24) >> 24;
    for (let b = wide - 2; b >= 0; b--) v = (v << 8) | data[at + b];
    out[i] = v * scale;
  }
  return out;
}

function joined(pieces: Uint8Array[]): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(pieces.reduce((s, p) => s + p.length, 0));
  let at = 0;
  for (const p of pieces) {
    out.set(p, at);
    at += p.length;
  }
  return out;
}
