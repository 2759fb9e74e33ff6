import {
  alignmentStamp,
  counterpartsOf,
  AlignRule,
  FoundAlignment,
  heardMap,
  meetingsWithLead,
  SAME_WORD,
  setTrack as trackWith,
  TieMark,
  together,
  trackView,
  usualAlign,
  withAsSung,
  withTie,
  wordOver,
  type Alignment,
  type Change,
  type Offset,
  type Song,
  type Track,
} from '@essim/core';
import * as Comlink from 'comlink';
import { toast } from 'sonner';
import { recordingOf } from './recording-of';
import { create } from 'zustand';
import { forgetAligned, withAligner } from '../jobs/align-client';
import type { SungTrack } from '../jobs/align.worker';
import {
  change,
  editTrackOf,
  isVocal,
  opened,
  scoreOf,
  songOf,
  trackOf,
  useSession,
  viewOf,
  type How,
  type SessionState,
} from '../open-song';
import { setTrack } from './tracks';

/** Aligning followers with their leads, and what is said about it by hand. */

const state = useSession.getState;

/** What runs now. */
export const useAligning = create<{ trackId: string; name: string; share: number; of: number; done: number } | null>(
  () => null,
);
const stopFlag = new Int32Array(new SharedArrayBuffer(4));
export const stopAligning = (): void => void Atomics.store(stopFlag, 0, 1);

/** Followers of a track, in the song's order; parts follow by themselves. */
export const followersOf = (song: Song, leadId: string): Track[] =>
  song.tracks.filter(t => t.followsId === leadId && isVocal(t) && !t.part);

/** The stack the edited track belongs to: its lead, and who follows. */
export function stackOf(s: SessionState): { lead: Track; followers: Track[] } | null {
  const song = songOf(s);
  const track = editTrackOf(s);
  if (!song || !track || !isVocal(track)) return null;
  const lead = track.followsId ? trackOf(s, track.followsId) : track;
  return lead ? { lead, followers: followersOf(song, lead.id) } : null;
}

/** The follower the Align desk shows: the edited track, else the first of its followers. */
export function shownFollower(s: SessionState): { lead: Track; follower: Track } | null {
  const stack = stackOf(s);
  const follower = stack?.followers.find(t => t.id === s.editTrackId) ?? stack?.followers[0];
  return stack && follower ? { lead: stack.lead, follower } : null;
}

/** Whether the kept alignment is of what is sung now. */
export const isCurrent = (lead: Track, follower: Track): boolean =>
  follower.found?.stamp === alignmentStamp(lead, follower, (follower.align ?? usualAlign).ties);

/** A track as it is sung, in the song's time, ready to be posted. @throws Error when something of it cannot be had; Stopped */
async function sungTrack(track: Track): Promise<SungTrack> {
  const recorded = await recordingOf(track, () => Atomics.load(stopFlag, 0) === 1);
  const s = state();
  // as sung: a track that follows is looked at before it was bent
  const { reading } = trackView(songOf(s)!, { ...track, followsId: null }, s.takes);
  if (!reading) throw new Error(`${track.name} is still being read`);
  return { ...recorded, f0: reading.f0 };
}

const foundFrom = (a: Alignment, stamp: string): FoundAlignment =>
  Object.assign(new FoundAlignment(), {
    stamp,
    points: a.map.flatMap(p => [p.from, p.to]),
    apart: a.apart,
    rests: a.rests,
    confidence: a.confidence,
  });

/** Aligns followers with their leads, one after the other, as one step. */
export async function alignTracks(followers: readonly Track[], label?: string): Promise<void> {
  if (useAligning.getState() || !followers.length) return;
  const open = opened();
  Atomics.store(stopFlag, 0, 0);
  const found: { track: Track; rule: AlignRule; alignment: FoundAlignment }[] = [];
  try {
    for (const [i, follower] of followers.entries()) {
      const s = state();
      const lead = follower.followsId && trackOf(s, follower.followsId);
      if (!lead) continue;
      const progress = { trackId: follower.id, name: follower.name, of: followers.length, done: i };
      useAligning.setState({ ...progress, share: 0 }, true);
      const rule = follower.align ?? usualAlign;
      const stamp = alignmentStamp(lead, follower, rule.ties);
      const ties = rule.ties.map(t => ({ follower: t.follower, lead: t.lead }));
      const [sungLead, sungFollower] = await Promise.all([sungTrack(lead), sungTrack(follower)]);
      if (opened() !== open) return;
      const result = await withAligner(job =>
        job.align(
          sungLead,
          sungFollower,
          songOf(s)!.sampleRate,
          ties,
          stopFlag,
          Comlink.proxy(share => useAligning.setState({ ...progress, share }, true)),
        ),
      );
      if (opened() !== open) return;
      found.push({ track: follower, rule, alignment: foundFrom(result, stamp) });
    }
    // a follower deleted meanwhile is left out
    const there = found.filter(f => trackOf(state(), f.track.id));
    const changes = there.map((f): Change => trackWith(f.track.id, { found: f.alignment, align: f.rule }));
    const usual = there.length === 1 ? `Align ${there[0].track.name}` : `Align ${there.length} followers`;
    if (there.length) change(label ?? usual, together(changes));
  } catch (error) {
    const stopped = error instanceof Error && error.name === 'Stopped';
    if (stopped) toast('Stopped; nothing was changed.', { id: 'align' });
    else
      toast.error(`Not aligned: ${error instanceof Error ? error.message : String(error)}. Nothing was changed.`, {
        id: 'align',
      });
  } finally {
    useAligning.setState(null, true);
    // what a whole stack was looked at for is done; of one follower, a tie may come next
    if (followers.length > 1) forgetAligned();
  }
}

/** Changes how a follower follows. */
export function setAlign(label: string, follower: Track, fields: Partial<AlignRule>, how?: How): void {
  const align = Object.assign(new AlignRule(), follower.align ?? usualAlign, fields);
  setTrack(label, follower, { align }, how);
}

/** A syllable in the offset lane. Song time as heard. */
export interface Leaf extends Offset {
  key: string;
  word: string;
  start: number;
  end: number;
  /** As sung, song time. */
  sungStart: number;
  sungEnd: number;
  tied: 'tied' | 'locked' | null;
  moved: boolean;
  /** Inside a stretch left as sung. */
  kept: boolean;
}

const leaves = new WeakMap<object, { of: unknown[]; leaves: Leaf[] }>();

/** Every syllable of a follower, by how early or late it is. */
export function leavesOf(s: SessionState, follower: Track): Leaf[] {
  const view = viewOf(s, follower.id);
  if (!follower.found) return [];
  const song = songOf(s)!;
  const bent = heardMap(song, follower);
  const of = [follower.found, follower.align, meetingsWithLead(song, follower), bent];
  const known = leaves.get(view);
  if (known && known.of.every((v, i) => v === of[i])) return known.leaves;
  const beside = counterpartsOf(scoreOf(s), follower);
  if (!beside) return [];
  const rule = follower.align ?? usualAlign;
  const made = view.syllables.map((n, i): Leaf => {
    const { start, end, onset } = beside.syllables[i];
    const near = (t: number) => Math.abs(t - onset) < SAME_WORD;
    const tie = rule.ties.find(t => near(t.follower));
    return {
      ...beside.offsets[i],
      key: n.key,
      word: wordOver(view.words, n)?.text ?? '',
      start: n.start,
      end: n.end,
      sungStart: start,
      sungEnd: end,
      tied: tie ? (tie.locked ? 'locked' : 'tied') : null,
      moved: rule.moved.some(m => near(m.at)),
      kept: rule.asSung.some(a => (start + end) / 2 >= a.start && (start + end) / 2 < a.end),
    };
  });
  leaves.set(view, { of, leaves: made });
  return made;
}
/** The chosen leaves of the shown follower. */
export function chosenLeaves(s: SessionState): Leaf[] {
  const shown = shownFollower(s);
  if (!shown || s.selection.trackId !== shown.follower.id) return [];
  return leavesOf(s, shown.follower).filter(l => s.selection.notes.has(l.key));
}

/** The first of them. */
export const chosenLeaf = (s: SessionState): Leaf | null => chosenLeaves(s)[0] ?? null;

/** Moves words by hand: where the onset of each is heard, song time. */
export function moveWords(follower: Track, moves: readonly { leaf: Leaf; to: number }[], how?: How): void {
  const away = (at: number) => moves.every(m => Math.abs(at - m.leaf.at) > SAME_WORD);
  const kept = (follower.align ?? usualAlign).moved.filter(m => away(m.at));
  const [first] = moves;
  setAlign(
    moves.length === 1 ? `Move “${first.leaf.word || 'a syllable'}”` : `Move ${moves.length} syllables`,
    follower,
    {
      moved: [...kept, ...moves.map(m => ({ at: m.leaf.at, to: Math.max(0, m.to) }))].sort((x, y) => x.at - y.at),
    },
    how,
  );
}

/** Ties syllables of the follower, each to a moment of the lead as heard, and aligns their neighbourhood anew. */
export async function tieWords(
  follower: Track,
  pairs: readonly { leaf: Leaf; heard: number }[],
  locked = false,
): Promise<void> {
  const song = songOf(state());
  const stackLead = song && trackOf(state(), follower.followsId ?? '');
  const bent = song && stackLead ? heardMap(song, stackLead) : null;
  let align = follower.align ?? usualAlign;
  for (const { leaf, heard } of pairs) {
    // a locked tie is met where it is heard; another is found in what the lead sang
    const lead = bent && !locked ? bent.backward(heard) : heard;
    align = withTie(align, Object.assign(new TieMark(), { follower: leaf.at, lead, ...(locked ? { locked } : {}) }));
  }
  const [first] = pairs;
  const label = pairs.length === 1 ? `Tie “${first.leaf.word || 'a syllable'}”` : `Tie ${pairs.length} syllables`;
  await alignTracks([{ ...follower, align }], label);
}

/** Locks or unlocks the tie of a syllable. */
export function lockTie(follower: Track, leaf: Leaf, locked: boolean): void {
  const ties = (follower.align ?? usualAlign).ties.map(t =>
    Math.abs(t.follower - leaf.at) < SAME_WORD ? Object.assign(new TieMark(), t, { locked }) : t,
  );
  setAlign(`${locked ? 'Lock' : 'Unlock'} the tie of “${leaf.word || 'a syllable'}”`, follower, { ties });
}

/** Takes what was said by hand about a syllable back; a tie taken back is aligned anew. */
export async function freeWord(follower: Track, leaf: Leaf): Promise<void> {
  const rule = follower.align ?? usualAlign;
  const away = (t: number) => Math.abs(t - leaf.at) > SAME_WORD;
  const align = Object.assign(new AlignRule(), rule, {
    ties: rule.ties.filter(t => away(t.follower)),
    moved: rule.moved.filter(m => away(m.at)),
    asSung: rule.asSung.filter(a => leaf.at < a.start - 0.05 || leaf.at > a.end + 0.05),
  });
  const label = `“${leaf.word || 'a syllable'}” as found`;
  if (align.ties.length !== rule.ties.length) await alignTracks([{ ...follower, align }], label);
  else setTrack(label, follower, { align });
}

/** Leaves a stretch as it was sung, or gives it back; song time as sung. */
export function toggleAsSung(follower: Track, start: number, end: number): void {
  const rule = follower.align ?? usualAlign;
  const inside = rule.asSung.some(a => a.start < end && a.end > start);
  if (inside) setAlign('Follow again', follower, { asSung: rule.asSung.filter(a => a.end <= start || a.start >= end) });
  else setAlign('Leave as sung', follower, withAsSung(rule, start, end));
}
