import { useImperativeHandle, useRef, type Ref } from 'react';
import { player } from '../open-song';
import type { Scene } from './scene';
import { stripX, xOf, type Layout } from './viewport';

export interface PlayheadHandle {
  /** Puts it where the song is, over the field and the strip. */
  place(scene: Scene | null, layout: Layout): void;
}

/** Half the width of the playhead's flag, px. */
const FLAG = 6;

/** Where the song is. Elements that are only moved: the field under them is not drawn again for it, frame after frame. */
export function Playhead({ ref }: { ref: Ref<PlayheadHandle> }) {
  const field = useRef<HTMLDivElement>(null);
  const strip = useRef<HTMLDivElement>(null);
  useImperativeHandle(ref, () => ({
    place(scene, l) {
      const [over, small] = [field.current, strip.current];
      if (!over || !small || !scene) return;
      const t = player()?.position ?? 0;
      const x = Math.round(xOf(scene.view, l, t));
      over.style.top = `${l.ruler.bottom - 10}px`;
      over.style.transform = `translateX(${x - FLAG}px)`;
      over.style.visibility = x >= l.ladder - 1 && x <= l.width ? 'visible' : 'hidden';
      small.style.top = `${l.strip.top + 2}px`;
      small.style.height = `${l.strip.bottom - l.strip.top - 4}px`;
      small.style.transform = `translateX(${stripX(l, scene.duration, t).toFixed(1)}px)`;
    },
  }));
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden" aria-hidden="true">
      <div ref={field} className="invisible absolute bottom-0 left-0 w-3">
        <svg className="absolute top-0 left-0" width={2 * FLAG} height={9}>
          <path d={`M0 0H${2 * FLAG}L${FLAG} 9Z`} fill="var(--rose)" />
        </svg>
        <div className="absolute top-1 bottom-0 left-[5px] w-[1.5px] bg-rose" />
      </div>
      <div ref={strip} className="absolute left-0 w-px bg-rose" />
    </div>
  );
}
