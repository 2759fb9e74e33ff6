import { pointAt } from '../../commands/corrections';
import { noteHandle, groundHandle } from '../../field/choosing';
import type { FieldTool } from '../../field/tool';
import { choirHandles, overWays } from './choir';

/** At the Parts desk notes are chosen, compasses dragged and other ways taken; notes are moved at Tune. */
export const partsTool: FieldTool = {
  over(p) {
    overWays(p);
    pointAt(p);
  },
  handles: [...choirHandles, noteHandle(), groundHandle],
};
