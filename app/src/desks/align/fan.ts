import { select, wordOver, type Track } from '@essim/core';
import { fade, fitted, font, type Pen } from '../../field/draw/shapes';
import type { Dress } from '../../field/dress';
import { trackColour } from '../../field/palette';
import type { Scene } from '../../field/scene';
import { handle, type FieldPointer } from '../../field/tool';
import { xOf, yOf } from '../../field/viewport';
import { stackOf } from '../../commands/aligning';
import { choose, editTrack, useSession, viewOf, type SessionState } from '../../open-song';
import { useAlign } from './state';

/** Notes of a stack that coincide, spread apart like a hand of cards, to be seen and picked. */

const HEIGHT = 13;
const APART = 15;

interface Card {
  track: Track;
  key: string;
  x: number;
  width: number;
  y: number;
  text: string;
  chosen: boolean;
}

/** Cards of what is in view, those of each track in a row of its own about where the notes lie. */
function cards(s: SessionState, { view: v, layout: l }: Pick<Scene, 'view' | 'layout'>): Card[] {
  const stack = stackOf(s);
  if (!stack) return [];
  const tracks = [stack.lead, ...stack.followers];
  return tracks.flatMap((track, i) => {
    const view = viewOf(s, track.id);
    return view.notes.flatMap((n): Card[] => {
      if (n.end < v.from || n.start > v.to) return [];
      const x = xOf(v, l, n.start);
      const y = yOf(v, l, view.edits[n.key]?.target ?? n.sung) + (i - (tracks.length - 1) / 2) * APART;
      return [
        {
          track,
          key: n.key,
          x,
          width: Math.max(10, xOf(v, l, n.end) - x),
          y,
          text: wordOver(view.words, n)?.text ?? '',
          chosen: s.selection.trackId === track.id && s.selection.notes.has(n.key),
        },
      ];
    });
  });
}

function drawFan(pen: Pen, scene: Scene): void {
  const { palette, layout: l } = scene;
  pen.fillStyle = fade(palette.paper, 0.72);
  pen.fillRect(l.ladder, l.field.top, l.width - l.ladder, l.field.bottom - l.field.top);
  pen.font = font(10.5, 600);
  pen.textBaseline = 'middle';
  pen.textAlign = 'left';
  for (const c of cards(useSession.getState(), scene)) {
    const colour = palette[trackColour(c.track)];
    pen.beginPath();
    pen.roundRect(c.x, c.y - HEIGHT / 2, c.width, HEIGHT, 4);
    pen.fillStyle = fade(colour, c.chosen ? 0.9 : 0.28);
    pen.fill();
    pen.lineWidth = c.chosen ? 2 : 1;
    pen.strokeStyle = c.chosen ? palette.ink : colour;
    pen.stroke();
    pen.fillStyle = c.chosen ? palette.paper : palette.ink;
    pen.fillText(fitted(pen, c.text, c.width - 8), c.x + 4, c.y + 0.5);
  }
}

const fans = new WeakMap<Dress, Dress>();
/** A desk's dress with the fan over it; the same for the same dress. */
export function withFan(dress: Dress): Dress {
  let fan = fans.get(dress);
  if (!fan)
    fans.set(
      dress,
      (fan = {
        ...dress,
        over(pen, s, visible) {
          dress.over?.(pen, s, visible);
          drawFan(pen, s);
        },
      }),
    );
  return fan;
}

function cardAt(p: FieldPointer): Card | null {
  if (!useAlign.getState().fan || p.area !== 'field' || !p.scene) return null;
  return (
    cards(useSession.getState(), p.scene).findLast(
      c => p.x >= c.x && p.x <= c.x + c.width && Math.abs(p.y - c.y) <= HEIGHT / 2 + 1,
    ) ?? null
  );
}

/** A card that is picked: its track is edited, its note chosen. */
export const fanHandle = handle<Card>({
  hit: cardAt,
  cursor: () => 'pointer',
  click(_, { track, key }) {
    editTrack(track.id);
    choose(select(track.id, [key]));
  },
});

export const toggleFan = (): void => useAlign.setState(s => ({ fan: !s.fan }));
