import { floatsOf, type Samples } from '../signal/samples';
import type { ChannelChoice } from './document';

/** The channels a take uses of its recording; one-channel recordings are what they are. */
export function chosenChannels<Held extends Samples>(channels: Held[], choice: ChannelChoice): (Held | Float32Array)[] {
  if (channels.length < 2) return channels;
  if (choice === 'left') return [channels[0]];
  if (choice === 'right') return [channels[1]];
  if (choice !== 'mix') return channels;
  const [left, right] = channels.map(c => floatsOf(c));
  return [left.map((v, i) => (v + right[i]) / 2)];
}
