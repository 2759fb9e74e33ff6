/** What part of the song the field shows: song seconds to the right, MIDI pitch upwards. */
export interface Viewport {
  from: number;
  to: number;
  /** Pitch at the lower and upper edge of the field. */
  low: number;
  high: number;
}

/** Heights on the canvas, CSS pixels. */
export interface Band {
  top: number;
  bottom: number;
}

/** Where things lie on the canvas, CSS pixels. */
export interface Layout {
  width: number;
  height: number;
  /** Right edge of the pitch ladder. */
  ladder: number;
  strip: Band;
  ruler: Band;
  field: Band;
  noises: Band;
  level: Band;
  /** A desk's own lanes, by name. */
  own: Readonly<Record<string, Band>>;
}

/** Half the height of a note's rail, px. */
export const RAIL_HALF = 8.5;
export const SHORTEST_VIEW = 0.2;
const LEAST_ROWS = 5;
const MOST_ROWS = 60;
export const LOWEST = 24;
export const HIGHEST = 100;

export function layoutFor(width: number, height: number): Layout {
  const strip = { top: 0, bottom: 52 };
  const ruler = { top: 52, bottom: 78 };
  const level = { top: height - 52, bottom: height };
  const noises = { top: height - 98, bottom: height - 52 };
  return { width, height, ladder: 52, strip, ruler, field: { top: 78, bottom: height - 98 }, noises, level, own: {} };
}

export const xOf = (v: Viewport, l: Layout, t: number): number =>
  l.ladder + ((t - v.from) / (v.to - v.from)) * (l.width - l.ladder);
export const timeAt = (v: Viewport, l: Layout, x: number): number =>
  v.from + ((x - l.ladder) / (l.width - l.ladder)) * (v.to - v.from);
export const yOf = (v: Viewport, l: Layout, midi: number): number =>
  l.field.bottom - ((midi - v.low) / (v.high - v.low)) * (l.field.bottom - l.field.top);
export const pitchAt = (v: Viewport, l: Layout, y: number): number =>
  v.low + ((l.field.bottom - y) / (l.field.bottom - l.field.top)) * (v.high - v.low);
/** Song strip: the whole song over the field's width. */
export const stripX = (l: Layout, duration: number, t: number): number =>
  l.ladder + (t / duration) * (l.width - l.ladder - 8);
export const stripTime = (l: Layout, duration: number, x: number): number =>
  ((x - l.ladder) / (l.width - l.ladder - 8)) * duration;

/** Keeps a view inside the song and within sensible zoom. */
export function bounded(v: Viewport, duration: number): Viewport {
  const margin = 1;
  let length = Math.max(SHORTEST_VIEW, Math.min(v.to - v.from, duration + 2 * margin));
  if (!Number.isFinite(length)) length = duration;
  const from = Math.max(-margin, Math.min(v.from, duration + margin - length));
  const rows = Math.max(LEAST_ROWS, Math.min(MOST_ROWS, v.high - v.low));
  const low = Math.max(LOWEST, Math.min(v.low, HIGHEST - rows));
  return { from, to: from + length, low, high: low + rows };
}

export const panBy = (v: Viewport, seconds: number, semitones: number, duration: number): Viewport =>
  bounded({ from: v.from + seconds, to: v.to + seconds, low: v.low + semitones, high: v.high + semitones }, duration);

/** Zooms time about a moment; factor below 1 comes nearer. */
export const zoomTime = (v: Viewport, factor: number, about: number, duration: number): Viewport => {
  const length = Math.max(SHORTEST_VIEW, (v.to - v.from) * factor);
  const share = (about - v.from) / (v.to - v.from);
  return bounded({ ...v, from: about - share * length, to: about + (1 - share) * length }, duration);
};

export const zoomPitch = (v: Viewport, factor: number, about: number, duration: number): Viewport => {
  const rows = Math.max(LEAST_ROWS, Math.min(MOST_ROWS, (v.high - v.low) * factor));
  const share = (about - v.low) / (v.high - v.low);
  return bounded({ ...v, low: about - share * rows, high: about + (1 - share) * rows }, duration);
};

export const wholeSong = (duration: number, v: Viewport): Viewport => ({ ...v, from: 0, to: duration });
