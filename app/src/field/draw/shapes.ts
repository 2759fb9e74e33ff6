/** Small drawing helpers shared by the layers of the field. */
export type Pen = CanvasRenderingContext2D;

export function line(pen: Pen, x0: number, y0: number, x1: number, y1: number): void {
  pen.beginPath();
  pen.moveTo(x0, y0);
  pen.lineTo(x1, y1);
  pen.stroke();
}

export function box(pen: Pen, x: number, y: number, w: number, h: number, radius: number): void {
  pen.beginPath();
  pen.roundRect(x, y, Math.max(0.5, w), h, radius);
}

export const font = (size: number, weight = 500): string =>
  `${weight} ${size}px "Instrument Sans Variable", system-ui, sans-serif`;

/** Text cut to a width with an ellipsis. */
export function fitted(pen: Pen, text: string, width: number): string {
  if (pen.measureText(text).width <= width) return text;
  let n = text.length;
  while (n > 0 && pen.measureText(`${text.slice(0, n)}…`).width > width) n--;
  return n > 0 ? `${text.slice(0, n)}…` : '';
}

/** A colour with an alpha of 0..1. */
export const fade = (colour: string, alpha: number): string =>
  `color-mix(in srgb, ${colour} ${Math.round(alpha * 100)}%, transparent)`;
