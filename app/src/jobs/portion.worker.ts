import * as Comlink from 'comlink';
import { ReadingPortion, type PortionSpan, type Range, type Samples, type SungSpan } from '@essim/core';

/** A portion of a take, read in a thread of its own. What it answers is its own frames alone, handed over without a copy. */
export class PortionJob {
  private portion: ReadingPortion | null = null;

  open(channels: Samples[], sampleRate: number, range: Range, span: PortionSpan): void {
    this.portion = new ReadingPortion(channels, sampleRate, range, span);
  }
  levels(): Float32Array {
    return handed(this.portion!.levels().slice());
  }
  look(gate: number, loud: number): ReturnType<ReadingPortion['look']> {
    const { candidates: c, bands, colour } = this.portion!.look(gate, loud);
    const look = {
      candidates: {
        count: c.count.slice(),
        hz: c.hz.slice(),
        periodicity: c.periodicity.slice(),
        harmonicity: c.harmonicity.slice(),
      },
      bands: { ...bands, power: bands.power.slice() },
      colour: colour.slice(),
    };
    return Comlink.transfer(look, [
      ...Object.values(look.candidates).map(a => a.buffer),
      look.bands.power.buffer,
      look.colour.buffer,
    ]);
  }
  refine(path: Int8Array): Float32Array {
    return handed(this.portion!.refine(path).slice());
  }
  onsets(notes: readonly SungSpan[], f0: Float32Array): number[] {
    return this.portion!.onsets(notes, f0);
  }
}

const handed = (x: Float32Array): Float32Array => Comlink.transfer(x, [x.buffer]);

Comlink.expose(new PortionJob());
