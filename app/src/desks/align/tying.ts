import { select, wholeNote } from '@essim/core';
import { toast } from 'sonner';
import {
  alignTracks,
  chosenLeaf,
  chosenLeaves,
  freeWord,
  leavesOf,
  shownFollower,
  stackOf,
  tieWords,
  toggleAsSung,
} from '../../commands/aligning';
import { act, choose, useSession, viewOf } from '../../open-song';
import { useAlign } from './state';

/** What the Align desk's keys do. */

const state = useSession.getState;

/** Onsets of the lead's syllables, song s. */
function leadOnsets(): number[] {
  const shown = shownFollower(state());
  return shown ? viewOf(state(), shown.lead.id).syllables.map(n => n.onset) : [];
}

export const nearestOnset = (t: number): number | null =>
  leadOnsets().reduce<number | null>(
    (best, o) => (best === null || Math.abs(o - t) < Math.abs(best - t) ? o : best),
    null,
  );

/** Begins to tie the chosen syllable; again: it is done. */
export function tieChosen(): void {
  const { tying } = useAlign.getState();
  if (tying) return finishTie();
  const leaf = chosenLeaf(state());
  if (!leaf) return void toast('Choose a syllable of the follower first.', { id: 'tie' });
  const lead = nearestOnset(leaf.sung === null ? leaf.at : leaf.at - leaf.sung);
  if (lead === null) return;
  useAlign.setState({ tying: { key: leaf.key, lead } });
}

/** Means the lead's next or previous syllable instead. */
export function stepTie(by: 1 | -1): boolean {
  const { tying } = useAlign.getState();
  if (!tying) return false;
  const onsets = leadOnsets();
  const i = onsets.findIndex(o => Math.abs(o - tying.lead) < 1e-6) + by;
  if (onsets[i] !== undefined) useAlign.setState({ tying: { ...tying, lead: onsets[i] } });
  return true;
}

export function finishTie(lead = useAlign.getState().tying?.lead): void {
  const { tying } = useAlign.getState();
  const shown = shownFollower(state());
  const leaves = shown ? leavesOf(state(), shown.follower) : [];
  const leaf = leaves.find(l => l.key === tying?.key);
  useAlign.setState({ tying: null });
  if (!shown || !leaf || lead === undefined) return;
  // others that are chosen too lie as far from where they were found
  const by = lead - (leaf.at - (leaf.sung ?? 0));
  const others = chosenLeaves(state()).filter(l => l.key !== leaf.key && l.sung !== null);
  const pairs = others.flatMap(l => {
    const onset = nearestOnset(l.at - l.sung! + by);
    return onset === null ? [] : [{ leaf: l, heard: onset }];
  });
  void tieWords(shown.follower, [{ leaf, heard: lead }, ...pairs]);
}

export const cancelTie = (): void => useAlign.setState({ tying: null });

/** Leaves the chosen syllables, or the chosen stretch, as they were sung; again: they follow. */
export function keepAsSung(): void {
  const s = state();
  const shown = shownFollower(s);
  if (!shown) return;
  const { span, notes } = s.selection;
  const leaves = leavesOf(s, shown.follower).filter(
    l => notes.has(l.key) || (span && l.start < span.end && l.end > span.start),
  );
  if (!leaves.length) return void toast('Choose syllables, or draw a stretch with Alt, first.', { id: 'tie' });
  toggleAsSung(
    shown.follower,
    Math.min(...leaves.map(l => l.sungStart)) - 0.03,
    Math.max(...leaves.map(l => l.sungEnd)) + 0.02,
  );
}

/** Pulls where the chosen syllables begin and end, or their pitch, to the lead's. */
export function pullChosen(what: 'borders' | 'pitch'): void {
  const s = state();
  const follower = shownFollower(s)?.follower;
  if (!follower) return;
  const { notes, span, trackId } = s.selection;
  const chosen = (n: { key: string; start: number; end: number }) =>
    notes.has(n.key) || (!!span && n.start < span.end && n.end > span.start);
  const parts = trackId === follower.id ? viewOf(s, follower.id).syllables.filter(chosen).map(wholeNote) : [];
  if (!parts.length) return void toast('Choose syllables of the follower first.', { id: 'tie' });
  act('pull', { what }, { target: { tracks: [{ track: follower, parts }], span: null, broad: false } });
}

/** Forgets what was said by hand about the chosen syllable. */
export function freeChosen(): void {
  const shown = shownFollower(state());
  const leaf = chosenLeaf(state());
  if (shown && leaf) void freeWord(shown.follower, leaf);
}

export function alignShown(): void {
  const stack = stackOf(state());
  const shown = shownFollower(state());
  if (!stack || !shown)
    return void toast('No track follows this one yet. Say whom a track follows in the panel.', { id: 'align' });
  void alignTracks(stack.lead.id === state().editTrackId ? stack.followers : [shown.follower]);
}

export function alignAll(): void {
  const stack = stackOf(state());
  if (stack) void alignTracks(stack.followers);
}

export const chooseLeaf = (trackId: string, key: string): void => choose(select(trackId, [key]));
