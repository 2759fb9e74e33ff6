import { create } from 'zustand';
import type { Cause } from '../../commands/corrections';

/** What is looked at on the Listen desk. */
interface ListenState {
  /** Cuts shown before they are made. */
  preview: Cause | null;
  /** Id of the doubt that was gone to. */
  doubt: string | null;
}

export const useListen = create<ListenState>(() => ({ preview: null, doubt: null }));
