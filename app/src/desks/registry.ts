import { alignDesk } from './align/desk';
import { deliverDesk } from './deliver/desk';
import type { Desk } from './desk';
import type { DeskId } from './desks';
import { gatherDesk } from './gather/desk';
import { listenDesk } from './listen/desk';
import { partsDesk } from './parts/desk';
import { timeDesk } from './time/desk';
import { toneDesk } from './tone/desk';
import { tuneDesk } from './tune/desk';

/** The desks; a new one is entered here and in their list, and nowhere else. */
export const OPEN_DESKS: Record<DeskId, Desk> = {
  gather: gatherDesk,
  listen: listenDesk,
  tune: tuneDesk,
  time: timeDesk,
  tone: toneDesk,
  align: alignDesk,
  parts: partsDesk,
  deliver: deliverDesk,
};
