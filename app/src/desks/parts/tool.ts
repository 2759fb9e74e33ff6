import { pointAt } from '../../commands/corrections';
import { chooseDrag, pressNothing, pressNote, releaseNote } from '../../field/choosing';
import type { SceneNote } from '../../field/scene';
import { handle, type FieldTool } from '../../field/tool';

/** At the Parts desk notes are only chosen. */
export const partsTool: FieldTool = {
  over: pointAt,
  handles: [
    handle<SceneNote>({
      hit: p => (p.area === 'field' ? p.note : null),
      cursor: () => 'pointer',
      press: pressNote,
      click: releaseNote,
    }),
    handle<true>({ hit: p => (p.area === 'field' ? true : null), grab: chooseDrag, click: pressNothing }),
  ],
};
