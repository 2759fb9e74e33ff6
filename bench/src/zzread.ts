import { readFileSync } from 'node:fs';
import FFT from 'fft.js';
import { readTake, readWav } from '@essim/core';
const w = readWav(new Uint8Array(readFileSync(process.argv[2])));
const fft = new FFT(2048);
const input = Float64Array.from({ length: 4096 }, (_, i) => Math.sin(i * 0.37));
const output = new Float64Array(4096);
const yard = () => {
  const t = performance.now();
  for (let i = 0; i < 1000; i++) fft.transform(output, input);
  return (performance.now() - t) / 100;
};
const x = w.channels[0];
const len = x.length / w.sampleRate;
readTake(x, w.sampleRate);
readTake(x, w.sampleRate);
yard();
yard();
const out: number[][] = [];
for (let i = 0; i < Number(process.argv[3] ?? 15); i++) {
  const y0 = yard();
  const t = performance.now();
  readTake(x, w.sampleRate);
  const s = (performance.now() - t) / 1000;
  const y1 = yard();
  out.push([len / s, (y0 + y1) / 2, ((len / s) * ((y0 + y1) / 2)) / 0.75]);
}
const col = (j: number) => out.map(o => o[j]).sort((a, b) => a - b);
console.log(
  'speed best',
  col(0).at(-1)!.toFixed(1),
  'yard best',
  col(1)[0].toFixed(2),
  'scaled median',
  col(2)[out.length >> 1].toFixed(1),
  'scaled of bests',
  ((col(0).at(-1)! * col(1)[0]) / 0.75).toFixed(1),
);
