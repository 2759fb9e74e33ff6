/** A shared copy of samples, so that the page, the audio thread and workers read them without copying. */
export function shared(samples: Float32Array): Float32Array {
  const out = new Float32Array(new SharedArrayBuffer(samples.byteLength));
  out.set(samples);
  return out;
}
