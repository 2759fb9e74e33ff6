import type { Seconds } from '../units';
import { strokeAt } from './strokes';
import type { NoteEdit } from './document';

/** An edit at other times: all that it holds goes along. */
export const editAt = <E extends NoteEdit>(edit: E, time: (t: Seconds) => Seconds): E => {
  const at = <S extends { start: Seconds; end: Seconds }>(s: S): S => ({
    ...s,
    start: time(s.start),
    end: time(s.end),
  });
  const { centre, parts, drawn } = edit;
  return {
    ...at(edit),
    ...(centre ? { centre: at(centre) } : {}),
    ...(parts ? { parts: parts.map(at) } : {}),
    ...(drawn ? { drawn: drawn.map(s => strokeAt(s, time)) } : {}),
  };
};
