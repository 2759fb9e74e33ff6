import type { Span, StretchKind } from '@essim/core';
import { create } from 'zustand';
import type { Cause } from '../../store/corrections';

/** What is looked at on the Listen desk. */
interface ListenState {
  /** A stretch chosen in the lane of unpitched sounds, song time. */
  span: (Span & { kind: StretchKind | null }) | null;
  /** Cuts shown before they are made. */
  preview: Cause | null;
  /** Id of the doubt that was gone to. */
  doubt: string | null;
}

export const useListen = create<ListenState>(() => ({ span: null, preview: null, doubt: null }));
