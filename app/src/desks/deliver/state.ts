import { USUAL_PATTERN } from '@essim/core';
import { create } from 'zustand';
import { persist } from 'zustand/middleware';
import type { DeliveryOptions } from '../../exchange/delivering';
import type { Container, DeliveryFormat } from '../../jobs/deliver';
import { loopSpan, useSession } from '../../open-song';

export interface Deliver {
  format: DeliveryFormat;
  container: Container;
  asMixed: boolean;
  range: 'song' | 'loop';
  pattern: string;
  stamped: boolean;
  /** Of MIDI: bent to what is heard; every note as loud as the next. */
  bends: boolean;
  evenVelocities: boolean;
}

/** How things are delivered; kept by the browser, for it is a habit and no part of a song. */
export const useDeliver = create<Deliver>()(
  persist(
    (): Deliver => ({
      format: 'int24',
      container: 'wav',
      asMixed: true,
      range: 'song',
      pattern: USUAL_PATTERN,
      stamped: true,
      bends: true,
      evenVelocities: false,
    }),
    { name: 'essim.deliver' },
  ),
);

/** Everything that is chosen, for a delivery. */
export function chosenDelivery(): Omit<DeliveryOptions, 'kind'> {
  const { format, container, asMixed, range, pattern, stamped } = useDeliver.getState();
  return {
    format,
    container,
    asMixed,
    stamped,
    pattern: pattern.trim() || USUAL_PATTERN,
    range: range === 'loop' ? loopSpan(useSession.getState()) : null,
  };
}
