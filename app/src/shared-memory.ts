import { isFloats, type Reading, type Samples } from '@essim/core';

/** Samples in shared memory, so that the page, the audio thread and workers read them without copying; a copy unless they are there. */
export function shared<Held extends Samples>(samples: Held): Held {
  const { buffer, byteLength } = samples;
  if (buffer instanceof SharedArrayBuffer && byteLength === buffer.byteLength) return samples;
  const memory = new SharedArrayBuffer(byteLength);
  const out = isFloats(samples) ? new Float32Array(memory) : new Int32Array(memory);
  out.set(samples);
  return out as Samples as Held;
}

/** The same reading with each of its arrays made anew. */
const remade = (reading: Reading, floats: (x: Float32Array) => Float32Array, counts: (x: Uint8Array) => Uint8Array) => {
  const { f0, levelDb, colour, vowelsDb, candidates: c } = reading;
  return {
    ...reading,
    f0: floats(f0),
    levelDb: floats(levelDb),
    colour: floats(colour),
    vowelsDb: floats(vowelsDb),
    candidates: {
      count: counts(c.count),
      hz: floats(c.hz),
      periodicity: floats(c.periodicity),
      harmonicity: floats(c.harmonicity),
    },
  };
};

/** A reading whose arrays the page and the take's worker have in common: ten minutes are 6 MB. */
export const sharedReading = (reading: Reading): Reading =>
  remade(reading, shared, x => {
    const out = new Uint8Array(new SharedArrayBuffer(x.length));
    out.set(x);
    return out;
  });

/** The same in memory of its own, as a database takes it. */
export const ownReading = (reading: Reading): Reading =>
  remade(
    reading,
    x => x.slice(),
    x => x.slice(),
  );
