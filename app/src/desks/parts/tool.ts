import { pointAt } from '../../commands/corrections';
import { noteHandle, groundHandle } from '../../field/choosing';
import { type FieldTool } from '../../field/tool';

/** At the Parts desk notes are only chosen. */
export const partsTool: FieldTool = {
  over: pointAt,
  handles: [noteHandle(), groundHandle],
};
