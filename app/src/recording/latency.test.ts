import { clickSample } from '../player/mixer';
import { latencyOf } from './latency';

const RATE = 48000;
const CLICKS = [12000, 36000, 60000];

function heard(delay: number, gain: number, noise: number): Float32Array {
  let state = 1;
  const x = Float32Array.from({ length: 90000 }, () => {
    state = (state * 16807) % 2147483647;
    return (state / 2147483647 - 0.5) * noise;
  });
  for (const at of CLICKS)
    for (let i = 0; i < 2000; i++) x[at + delay - 5000 + i] += gain * clickSample(i, RATE, false);
  return x;
}

describe('the latency measured from clicks', () => {
  it.each([0, 240, 1680, 9000])('is found to the sample: %d', delay => {
    expect(latencyOf(heard(delay, 0.05, 0.01), 5000, CLICKS, RATE)).toBe(delay);
  });
  it('is found when the cable turns the phase over', () => {
    expect(latencyOf(heard(900, -0.3, 0.01), 5000, CLICKS, RATE)).toBe(900);
  });
  it('is not made up from noise', () => {
    expect(latencyOf(heard(900, 0, 0.05), 5000, CLICKS, RATE)).toBeNull();
    expect(latencyOf(new Float32Array(90000), 5000, CLICKS, RATE)).toBeNull();
  });
});
