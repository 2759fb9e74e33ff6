import type { Group, Layers } from './separate';

/**
 * Most samples of layers a shelf holds; those asked for longest ago are made again when they are needed. About 16 MB: 40 s of one channel,
 * twice what the app keeps rendered of a take about its playhead, so that what is rendered again needs no layers anew; of takes that
 * play together each needs a phrase.
 */
const KEPT_SAMPLES = 4e6;

const sizeOf = (all: readonly Layers[]) => all.reduce((sum, l) => sum + l.pulses.length + l.breath.length, 0);

/** Where layers are kept that were needed last: of one take, or of all takes of a thread. */
export class LayerShelf {
  private readonly layersOf = new Map<Group, Layers[]>();
  private kept = 0;

  /** Layers of a group, one a channel, made where they are not there. */
  get(group: Group, make: () => Layers[]): Layers[] {
    const known = this.layersOf.get(group);
    const all = known ?? make();
    // the one asked for last is dropped last
    this.drop(group);
    this.layersOf.set(group, all);
    this.kept += sizeOf(all);
    for (const old of this.layersOf.keys()) {
      if (this.kept <= KEPT_SAMPLES || old === group) break;
      this.drop(old);
    }
    return all;
  }

  /** Nobody will ask for them soon. */
  drop(group: Group): void {
    const all = this.layersOf.get(group);
    if (!all) return;
    this.kept -= sizeOf(all);
    this.layersOf.delete(group);
  }
}
