import { readTake } from '@essim/core';
import { singVocal } from '@essim/demo';
import { scoreWholeTake } from './tuning';
for (const n of ['lead', 'harmony'] as const) {
  const v = singVocal(n);
  console.table(await scoreWholeTake(n, readTake(v.samples, v.truth.sampleRate)));
}
