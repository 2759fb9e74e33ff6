import { USUAL_SLACK, type Slack } from '@essim/core';
import { create } from 'zustand';
import { act, type How } from '../../open-song';
import type { ValueLook } from './ValueRow';

/** How far notes may stray: what was asked last, to go on from. */
export const useSlack = create<Slack>(() => USUAL_SLACK);

export const SLACK_VALUES: readonly (ValueLook & { field: keyof Slack })[] = [
  { field: 'cents', name: 'Strays', unit: 'cents', low: 0, high: 100, step: 1, rest: USUAL_SLACK.cents },
  { field: 'ms', name: 'for', unit: 'ms', low: 0, high: 400, mostTyped: 1000, step: 5, rest: USUAL_SLACK.ms },
];

/** Cuts the notes in scope anew. */
export function setSlack(field: keyof Slack, value: number | null, how: How): boolean {
  useSlack.setState({ [field]: value ?? USUAL_SLACK[field] });
  return act('slack', { ...useSlack.getState() }, how);
}
