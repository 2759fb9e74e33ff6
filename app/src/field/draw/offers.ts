import { noteName, type Key, type Midi } from '@essim/core';
import type { Palette } from '../palette';
import type { Scene } from '../scene';
import { RAIL_HALF, xOf, yOf } from '../viewport';
import { fade, font, type Pen } from './shapes';

/** A small rail where a note could go: pointed at it is heard, clicked it is taken. */
export interface RailOffer {
  from: number;
  to: number;
  pitch: Midi;
}

const WIDTH = 64;
const HALF = RAIL_HALF - 2;

type Place = Pick<Scene, 'view' | 'layout'>;
function boxOf({ view, layout }: Place, { from, to, pitch }: RailOffer) {
  const x = xOf(view, layout, from);
  return { x, width: Math.max(WIDTH, xOf(view, layout, to) - x), y: yOf(view, layout, pitch) };
}

/** @param tone their outline @param ground what they are filled with */
export function drawRailOffers(
  pen: Pen,
  scene: Scene,
  offers: readonly RailOffer[],
  tone: keyof Palette,
  ground: keyof Palette,
  keyAt: (seconds: number) => Key | null,
): void {
  const { palette } = scene;
  pen.font = font(10.5, 700);
  pen.textBaseline = 'middle';
  pen.textAlign = 'left';
  for (const offer of offers) {
    const { x, width, y } = boxOf(scene, offer);
    pen.fillStyle = fade(palette[ground], 0.9);
    pen.fillRect(x, y - HALF, width, 2 * HALF);
    pen.strokeStyle = palette[tone];
    pen.setLineDash([4, 3]);
    pen.strokeRect(x + 0.5, y - HALF + 0.5, width - 1, 2 * HALF - 1);
    pen.setLineDash([]);
    pen.fillStyle = palette[tone];
    pen.fillText(noteName(offer.pitch, keyAt(offer.from)), x + 5, y + 0.5);
  }
}

/** The offer at a place of the canvas. */
export const offerAt = <O extends RailOffer>(scene: Place, offers: readonly O[], x: number, y: number): O | null =>
  offers.find(o => {
    const box = boxOf(scene, o);
    return x >= box.x && x <= box.x + box.width && Math.abs(y - box.y) <= HALF;
  }) ?? null;
