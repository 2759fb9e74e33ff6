import type { Likeness, Track } from '@essim/core';
import * as Comlink from 'comlink';
import { useEffect, useState } from 'react';
import { withAligner } from '../jobs/align-client';
import type { ComparedTrack } from '../jobs/align.worker';
import { comparedTrack } from '../exchange/rendering';
import { useSession, viewOf } from '../open-song';

/** How long nothing may change before it is measured, ms. */
const QUIET_MS = 1200;

/** Likeness of two tracks as they are heard; null while it is not known. Measured anew a moment after either changed. */
export function useLikeness(a: Track | null, b: Track | null): Likeness | null {
  const [found, setFound] = useState<{ of: string; likeness: Likeness } | null>(null);
  const ready = useSession(s => [a, b].every(t => t && viewOf(s, t.id).status === 'ready' && !viewOf(s, t.id).partial));
  const lines = useSession(s => (a && b ? [viewOf(s, a.id).line, viewOf(s, b.id).line] : []).map(l => l.length).join());
  const name = a && b ? `${a.id} ${b.id}` : '';
  useEffect(() => {
    if (!a || !b || !ready) return;
    let gone = false;
    const wait = setTimeout(() => {
      void measure(a, b)
        .then(likeness => !gone && setFound({ of: name, likeness }))
        .catch(() => {});
    }, QUIET_MS);
    return () => {
      gone = true;
      clearTimeout(wait);
    };
  }, [a, b, ready, name, lines]);
  return found?.of === name ? found.likeness : null;
}

async function measure(a: Track, b: Track): Promise<Likeness> {
  const [x, y] = await Promise.all([a, b].map(comparedTrack));
  return withAligner(job => job.likeness(handedOver(x), handedOver(y)));
}
const handedOver = (t: ComparedTrack): ComparedTrack =>
  Comlink.transfer(
    t,
    t.sources.flatMap(([, c]) => c.map(x => x.buffer as ArrayBuffer)),
  );
