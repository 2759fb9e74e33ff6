import { isLate, slotOf, TILE, tileMemory, TileWriter } from './tiles';
import { urgencies } from './urgency';

describe('tiles', () => {
  it('keep a slot from being written to while a fade may still read it', () => {
    let now = 0;
    const writer = new TileWriter(tileMemory(2 * TILE, 1), () => now);
    const first = writer.take()!;
    writer.publish(0, first);
    const second = writer.take()!;
    writer.publish(0, second);
    const others: number[] = [];
    for (let slot = writer.take(); slot !== null; slot = writer.take()) others.push(slot);
    expect(others).toHaveLength(6);
    expect(others).not.toContain(first);
    now = 500;
    expect(writer.take()).toBe(first);
  });

  it('keep the last rendering of a tile that became late, and give it up when nothing is asked any more', () => {
    const writer = new TileWriter(tileMemory(TILE, 1));
    const slot = writer.take()!;
    writer.publish(0, slot);
    writer.markLate(0);
    expect([slotOf(writer.state(0)), isLate(writer.state(0))]).toEqual([slot, true]);
    writer.asSung(0);
    expect([slotOf(writer.state(0)), isLate(writer.state(0))]).toEqual([-1, false]);
  });

  it('of a long take are not all kept', () => {
    const memory = tileMemory(48000 * 600, 2);
    expect(memory.table.length).toBeGreaterThan(800);
    expect(memory.pool.reduce((s, p) => s + p.byteLength, 0)).toBeLessThan(50e6);
  });
});

describe('what is needed soonest', () => {
  const heard = [{ offset: 0, from: 0, to: 10 * TILE }];
  const order = (w: Float64Array) => [...w.keys()].sort((a, b) => w[a] - w[b]);

  it('is under the playhead, then ahead of it, then behind', () => {
    const w = urgencies(10, heard, 4.5 * TILE, null);
    expect(order(w).slice(0, 4)).toEqual([4, 5, 6, 3]);
    expect(order(w)[9]).toBe(0);
  });

  it('comes round again in a loop', () => {
    const w = urgencies(10, heard, 6.5 * TILE, { from: 2 * TILE, to: 7 * TILE });
    expect(order(w).slice(0, 3)).toEqual([6, 2, 7]);
    expect(w[3]).toBeLessThan(w[9]);
  });

  it('is counted in the song, whatever a clip takes from where', () => {
    const moved = [
      { offset: 3 * TILE, from: 3 * TILE, to: 5 * TILE },
      { offset: -4 * TILE, from: 0, to: 2 * TILE },
    ];
    const w = urgencies(10, moved, 0, null);
    expect(order(w).slice(0, 4)).toEqual([4, 5, 0, 1]);
    // what no clip takes is rendered last of all
    expect(w[8]).toBeGreaterThan(1e11);
  });
});
