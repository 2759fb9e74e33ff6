import { counted, wholeAt, WholeTakeRecord, type Track } from '@essim/core';
import { act, editTrackOf, useSession, type How, type SessionState } from '../../open-song';
import type { ValueLook } from '../../shell/ValueRow';

/** Tuning a take as a whole, as the panel shows and sets it. */

type Field = 'settleMs' | 'aim' | 'glideMs' | 'vibrato' | 'slackCents' | 'slackMs';
export interface WholeValue extends ValueLook {
  field: Field;
}

export const WHOLE_VALUES: readonly WholeValue[] = [
  { field: 'settleMs', name: 'Settles in', unit: 'ms', low: 0, high: 600, step: 5, rest: 60 },
  { field: 'aim', name: 'Aim', unit: '%', low: 0, high: 100, step: 1, rest: 100 },
  { field: 'glideMs', name: 'Glide', unit: 'ms', low: 0, high: 400, mostTyped: 1000, step: 5, rest: null },
  { field: 'vibrato', name: 'Vibrato', unit: '%', low: 0, high: 200, step: 1, rest: 100 },
  { field: 'slackCents', name: 'Slack', unit: 'cents', low: 0, high: 100, step: 1, rest: 20 },
  { field: 'slackMs', name: 'for', unit: 'ms', low: 0, high: 400, mostTyped: 1000, step: 5, rest: 80 },
];

/** The stretch that is meant; null: the whole track. Song s. */
export const wholeSpan = (s: SessionState): { start: number; end: number } | null =>
  s.selection.trackId === s.editTrackId ? s.selection.span : null;

/** How the stretch that is meant is tuned as a whole, if it is. */
export function wholeNow(s: SessionState): WholeTakeRecord | undefined {
  const track = editTrackOf(s);
  const span = wholeSpan(s);
  return track && (wholeAt(track, span?.start ?? 0) ?? (span ? undefined : track.whole[0]));
}

export const setWhole = (field: Field, value: number | null, how: How): boolean =>
  act('whole-take', { [field]: value }, how);
export const wholeOn = (): boolean => act('whole-take', {}, { label: 'Whole take' });
export const wholeOff = (): boolean => act('whole-take', { off: true });
export const intoNotes = (): boolean => act('into-notes');
export const drawTo = (to: 'key' | 'guide'): boolean => act('whole-take', { to });

/** Switches it on or off for what is meant. */
export const toggleWhole = (): boolean => (wholeNow(useSession.getState()) ? wholeOff() : wholeOn());

/** "settles in 60 ms" */
export function wholeSummary(track: Track | undefined): string {
  const { whole } = track ?? { whole: [] };
  if (!whole.length) return 'off';
  if (whole.length > 1) return counted(whole.length, 'stretch', 'stretches');
  return `settles in ${whole[0].settleMs} ms`;
}
