import { create } from 'zustand';
import type { DeliveryFormat } from '../../jobs/deliver';

/** How things are delivered. */
export const useDeliver = create<{ format: DeliveryFormat; asMixed: boolean }>(() => ({
  format: 'int24',
  asMixed: true,
}));
