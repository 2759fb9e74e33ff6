import type { ChannelChoice } from './document';

/** The channels a take uses of its recording; one-channel recordings are what they are. */
export function chosenChannels(channels: Float32Array[], choice: ChannelChoice): Float32Array[] {
  if (channels.length < 2) return channels;
  if (choice === 'left') return [channels[0]];
  if (choice === 'right') return [channels[1]];
  if (choice === 'mix') return [channels[0].map((v, i) => (v + channels[1][i]) / 2)];
  return channels;
}
