import {
  addToMix,
  analyseVoice,
  degreeOf,
  likenessOf,
  splitTake,
  noteFacts,
  panGains,
  parsePart,
  partEdits,
  partTarget,
  placedInMix,
  planTake,
  quantile,
  readTake,
  renderAll,
  scaleOfKey,
  scattered,
  usualDifferences,
} from '@essim/core';
import type { Performance } from '@essim/demo';

const KEY = { tonic: 2, mode: 'major' as const };
const INTERVALS = ['+3rd', '-3rd', '-6th', '+8ve', '-8ve'];

/** Parts of a lead, read again: in the key, at their targets, and how alike they are to it. */
export function scoreParts({ samples, truth }: Performance) {
  const rate = truth.sampleRate;
  const reading = readTake(samples, rate);
  const movements = splitTake(reading);
  const facts = noteFacts(movements);
  const analysis = analyseVoice([samples], rate, reading.f0, reading.hop);
  const scale = scaleOfKey(KEY);
  return INTERVALS.flatMap(part =>
    ['plain', 'as made'].map(how => {
      const line = parsePart(part);
      const edits = partEdits(facts, {}, {}, n => ({ midi: partTarget(n, line, scale) }));
      const { scatter, formant } = usualDifferences(line);
      const amount = how === 'plain' ? 0 : scatter;
      const drawn = scattered(facts, { time: amount, pitch: amount, seed: 5 }, reading.hop, reading.f0.length);
      const plan = planTake(movements, edits, amount ? { ...drawn, formant } : {});
      const [y] = renderAll(analysis, plan.voice);
      const again = readTake(y, rate);
      const targets = facts.map(n => edits[n.key].target!);
      // pitch frame by frame in the bodies of notes, against the line that was planned
      const off: number[] = [];
      for (const n of movements.notes) {
        if (n.bodyEnd - n.bodyStart < 50) continue;
        for (let k = n.bodyStart + 8; k < n.bodyEnd - 8; k++) {
          const heard = again.f0[Math.round(drawn.time.forward(k * reading.hop) / reading.hop)];
          if (heard > 0) off.push(1200 * Math.log2(heard / 440) + 6900 - plan.line[k]);
        }
      }
      const { whole, hollow } = likenessOf(samples, y, rate);
      return {
        part,
        how,
        'in key %': (100 * targets.filter(m => degreeOf(m, KEY)).length) / targets.length,
        'off plan, median c': quantile(off.map(Math.abs), 0.5),
        'off plan, mean c': off.reduce((s, v) => s + v, 0) / off.length,
        likeness: whole,
        'hollow places': hollow.length,
      };
    }),
  );
}

/** Stems at unity and as mixed, against the mix: what is left, dB full scale. */
export function scoreStems(tracks: Float32Array[]) {
  const length = Math.max(...tracks.map(t => t.length));
  return [
    { how: 'at unity', levels: tracks.map((): [number, number] => [0, 0]) },
    { how: 'with levels and pans', levels: tracks.map((_, i): [number, number] => [-3 * i, (i % 3) * 0.4 - 0.4]) },
  ].map(({ how, levels }) => {
    const mix = [new Float32Array(length), new Float32Array(length)];
    const sum = [new Float64Array(length), new Float64Array(length)];
    tracks.forEach((x, i) => {
      const stem = placedInMix([x], panGains(...levels[i]));
      addToMix(mix, stem);
      sum.forEach((y, c) => stem[Math.min(c, stem.length - 1)].forEach((v, k) => (y[k] += v)));
    });
    let most = 0;
    mix.forEach((y, c) => y.forEach((v, k) => (most = Math.max(most, Math.abs(v - sum[c][k])))));
    return { how, 'left over, dB': 20 * Math.log10(most + 1e-12) };
  });
}
