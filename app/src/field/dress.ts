import type { Pen } from './draw/shapes';
import type { Scene, SceneNote } from './scene';

/** What a desk draws in the field besides the voice and its notes. The field knows the desks by nothing else. */
export interface Dress {
  /** Under lines and rails, inside the pitch rows. */
  under?(pen: Pen, s: Scene): void;
  /** Over lines and rails, inside the pitch rows. */
  over?(pen: Pen, s: Scene, visible: readonly SceneNote[]): void;
  /** The desk's own lanes, as its layout lays them. */
  lanes?(pen: Pen, s: Scene): void;
}

/** A desk that shows the voice and nothing else. */
export const PLAIN: Dress = {};
