import { assembleRounds } from './assemble';

const piece = (round: number, position: number, from: number, count: number) => ({
  round,
  position,
  samples: Float32Array.from({ length: count }, (_, i) => from + i),
});

describe('rounds of a recording', () => {
  it('are joined from their pieces, moved back by the latency and continued by it', () => {
    const rounds = assembleRounds(
      [piece(0, 900, 0, 500), piece(0, 1400, 500, 600), piece(1, 1000, 1100, 1000)],
      100,
      1000,
    );
    expect(rounds.map(r => [r.position, r.samples.length])).toEqual([
      [800, 1200],
      [900, 1000],
    ]);
    expect([...rounds[0].samples]).toEqual(Array.from({ length: 1200 }, (_, i) => i));
  });

  it('drop what is too short to be a take', () => {
    expect(assembleRounds([piece(0, 0, 0, 1000), piece(1, 0, 0, 50)], 0, 1000)).toHaveLength(1);
    expect(assembleRounds([], 0, 1000)).toEqual([]);
  });
});
