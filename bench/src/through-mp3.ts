import { Mp3Encoder } from '@breezystack/lamejs';
import { MPEGDecoder } from 'mpg123-decoder';

/** To 96 kb/s and back; what the two together delay is taken off. */
export async function throughMp3(x: Float32Array, rate: number): Promise<Float32Array> {
  const encoder = new Mp3Encoder(1, rate, 96);
  const ints = Int16Array.from(x, v => Math.max(-32767, Math.min(32767, Math.round(v * 32767))));
  const parts: Uint8Array[] = [];
  for (let i = 0; i < ints.length; i += 1152) parts.push(encoder.encodeBuffer(ints.subarray(i, i + 1152)));
  parts.push(encoder.flush());
  const bytes = new Uint8Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    bytes.set(p, at);
    at += p.length;
  }
  const decoder = new MPEGDecoder({ enableGapless: false });
  await decoder.ready;
  const [y] = decoder.decode(bytes).channelData;
  decoder.free();
  let best = 0;
  let match = -Infinity;
  for (let lag = 0; lag < 4000; lag++) {
    let sum = 0;
    for (let i = 2 * rate; i < 3 * rate; i += 3) sum += x[i] * y[i + lag];
    if (sum > match) [match, best] = [sum, lag];
  }
  return Float32Array.from(x, (_, i) => y[i + best] ?? 0);
}
