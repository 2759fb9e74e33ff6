/** What all lanes share. */

export const NAMES_WIDTH = 96;
export const LANE = 'grid items-stretch gap-2';
export const laneStyle = { gridTemplateColumns: `${NAMES_WIDTH}px 1fr` };
/** The names stay in sight when the phrases are scrolled. */
export const NAMES = 'sticky left-0 z-10 min-w-0 bg-paper';
/** Heard before a phrase begins, s. */
export const HEAR_BEFORE = 0.25;

/** Indices of the phrases worth drawing: those in sight and a little around. */
export interface Sight {
  first: number;
  last: number;
}
