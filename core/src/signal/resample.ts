const BLOCK_SECONDS = 20;
const MARGIN_SECONDS = 0.1;

const gcd = (a: number, b: number): number => (b ? gcd(b, a % b) : a);

/**
 * Converts a channel to another rate, block by block so that it can tell its progress: each block is converted with a margin on both
 * sides, which is cut off again. Blocks begin where both rates have a sample. (A converter is used once: its state outlives a call.)
 */
export async function resample(
  x: Float32Array,
  from: number,
  to: number,
  onProgress: (share: number) => void = () => {},
): Promise<Float32Array> {
  if (from === to) return x;
  // it brings its machine code with it: large, and most files never ask for it
  const { ConverterType, create } = await import('@alexanderolsen/libsamplerate-js');
  const step = from / gcd(from, to);
  const perStep = to / gcd(from, to);
  const block = Math.max(1, Math.round((BLOCK_SECONDS * from) / step)) * step;
  const margin = Math.ceil((MARGIN_SECONDS * from) / step) * step;
  const out = new Float32Array(Math.round((x.length * to) / from));
  for (let at = 0; at < x.length; at += block) {
    const first = Math.max(0, at - margin);
    // zeros after the end let the filter's tail out
    const piece = new Float32Array(at + block + margin - first);
    piece.set(x.subarray(first, Math.min(x.length, at + block + margin)));
    const converter = await create(1, from, to, { converterType: ConverterType.SRC_SINC_MEDIUM_QUALITY });
    const y = converter.full(piece);
    converter.destroy();
    const skip = ((at - first) / step) * perStep;
    const target = (at / step) * perStep;
    const count = Math.min((block / step) * perStep, out.length - target, y.length - skip);
    if (count > 0) out.set(y.subarray(skip, skip + count), target);
    onProgress(Math.min(1, (at + block) / x.length));
  }
  return out;
}
