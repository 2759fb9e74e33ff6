import { USUAL_SLACK, type Slack } from '@essim/core';
import { create } from 'zustand';
import { act, chooseSpan, editViewOf, useSession, type How } from '../../open-song';
import type { ValueLook } from '../../shell/ValueRow';

/** How far notes may stray: what was asked last, to go on from. */
export const useSlack = create<Slack>(() => USUAL_SLACK);

export const SLACK_VALUES: readonly (ValueLook & { field: keyof Slack })[] = [
  { field: 'cents', name: 'Strays', unit: 'cents', low: 0, high: 100, step: 1, rest: USUAL_SLACK.cents },
  { field: 'ms', name: 'for', unit: 'ms', low: 0, high: 400, mostTyped: 1000, step: 5, rest: USUAL_SLACK.ms },
];

/** Chosen notes that lie together are meant as the stretch they fill: which notes there are is what changes. */
function meanStretch(): void {
  const s = useSession.getState();
  const { notes } = editViewOf(s);
  const chosen = notes.flatMap((n, i) => (s.selection.notes.has(n.key) ? [i] : []));
  if (s.selection.trackId !== s.editTrackId || s.selection.span || !chosen.length) return;
  if (chosen[chosen.length - 1] - chosen[0] + 1 === chosen.length)
    chooseSpan(notes[chosen[0]].start, notes[chosen[chosen.length - 1]].end);
}

/** Cuts the notes in scope anew. */
export function setSlack(field: keyof Slack, value: number | null, how: How): boolean {
  meanStretch();
  useSlack.setState({ [field]: value ?? USUAL_SLACK[field] });
  return act('slack', { ...useSlack.getState() }, how);
}
