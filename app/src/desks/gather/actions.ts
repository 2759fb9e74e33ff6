import { phraseSpan, pickedFrom, type Take } from '@essim/core';
import { toast } from 'sonner';
import type { Action } from '../../shell/commands';
import { audition, editTrackOf, editViewOf, useSession } from '../../open-song';
import { cutsIn, reshaped } from './cells';
import { pickPart, pickPhrase } from './edits';
import { toggleRecording } from './RecordBar';
import { tap } from './setup/tap';
import { chooseCell, useGather } from './state';

const state = useSession.getState;

/** Moves the chosen cell by phrases or by takes. */
function step(phrases: number, takes: number): void {
  const track = editTrackOf(state());
  const count = editViewOf(state()).phrases.length;
  if (!track || !count) return;
  const { phrase, takeId } = useGather.getState();
  const list = pickedFrom(track);
  const at = list.findIndex(t => t.id === takeId);
  const take = list[Math.max(0, Math.min(list.length - 1, at < 0 ? 0 : at + takes))] as Take | undefined;
  chooseCell(Math.max(0, Math.min(count - 1, phrase + phrases)), take?.id ?? null);
}

function record(): void {
  const track = editTrackOf(state());
  if (!track || track.role === 'backing') return;
  if (useGather.getState().recordOpen) toggleRecording(track);
  else useGather.setState({ recordOpen: true });
}

function hearCell(): void {
  const track = editTrackOf(state());
  const { phrase, takeId } = useGather.getState();
  const p = editViewOf(state()).phrases[phrase];
  if (track && takeId && p) void audition(track.id, takeId, p.start - 0.25, p.end + 0.2);
}

function takeCell(): void {
  const { phrase, takeId, stretch } = useGather.getState();
  if (!takeId) return;
  if (stretch) pickPart(stretch.from, stretch.to, takeId);
  else pickPhrase(phrase, takeId);
  useGather.setState({ stretch: null });
}

/** Makes a stretch of the chosen cell, syllable by syllable. */
function reshape(side: 'from' | 'to', by: 1 | -1): void {
  const s = state();
  const { phrase, takeId, stretch } = useGather.getState();
  const { phrases } = editViewOf(s);
  const take = editTrackOf(s)?.takes.find(t => t.id === takeId);
  const view = takeId ? s.takes[takeId] : undefined;
  if (!take || !view?.reading || !phrases[phrase])
    return void toast('Choose a cell first: a phrase of a take.', { id: 'cell' });
  const cuts = cutsIn(view, take.offsetSeconds, phrases[phrase], phraseSpan(phrases, phrase));
  useGather.setState({ stretch: reshaped(cuts, stretch, side, by) });
}

/** Actions of the Gather desk. */
export const GATHER_ACTIONS: Action[] = [
  { id: 'record', name: 'Record a take, or stop recording', keys: ['R'], group: 'Gather', run: record },
  { id: 'tap', name: 'Tap the tempo', keys: ['T'], group: 'Gather', run: at => tap(at) },
  { id: 'cell-right', name: 'Cell of the next phrase', keys: ['ArrowRight'], group: 'Gather', run: () => step(1, 0) },
  { id: 'cell-left', name: 'Cell of the phrase before', keys: ['ArrowLeft'], group: 'Gather', run: () => step(-1, 0) },
  { id: 'cell-down', name: 'Cell of the next take', keys: ['ArrowDown'], group: 'Gather', run: () => step(0, 1) },
  { id: 'cell-up', name: 'Cell of the take before', keys: ['ArrowUp'], group: 'Gather', run: () => step(0, -1) },
  {
    id: 'stretch-longer',
    name: 'A syllable more of the cell',
    keys: ['Shift+ArrowRight'],
    group: 'Gather',
    run: () => reshape('to', 1),
  },
  {
    id: 'stretch-shorter',
    name: 'A syllable less of the cell',
    keys: ['Shift+ArrowLeft'],
    group: 'Gather',
    run: () => reshape('to', -1),
  },
  {
    id: 'stretch-later',
    name: 'The stretch of the cell begins a syllable later',
    keys: ['Alt+ArrowRight'],
    group: 'Gather',
    run: () => reshape('from', 1),
  },
  {
    id: 'stretch-earlier',
    name: 'The stretch of the cell begins a syllable earlier',
    keys: ['Alt+ArrowLeft'],
    group: 'Gather',
    run: () => reshape('from', -1),
  },
  {
    id: 'cell-pick',
    name: 'Take the chosen cell, or the stretch of it, into the comp',
    keys: ['Enter'],
    group: 'Gather',
    run: takeCell,
  },
  { id: 'cell-hear', name: 'Hear the chosen cell', keys: ['Y'], group: 'Gather', run: hearCell },
  {
    id: 'words',
    name: 'Paste the words',
    keys: ['Ctrl+Shift+W'],
    group: 'Gather',
    run: () => useGather.setState({ wordsOpen: true }),
  },
];
