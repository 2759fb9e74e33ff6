import {
  AddTrack,
  partName,
  PartRule,
  SetNoteEdits,
  Together,
  Track,
  usualDifferences,
  type PartLine,
} from '@essim/core';
import { toast } from 'sonner';
import { newId } from './ids';
import {
  currentScope,
  editTrack,
  editTrackOf,
  editViewOf,
  isVocal,
  leadOf,
  run,
  songOf,
  trackOf,
  useSession,
  type SessionState,
} from './session';
import { setTrack } from './track-edits';

/** Parts made from a lead. */

const state = useSession.getState;

/** The track a new part would be made from: the edited one, a part's own lead, else the song's lead. */
export function sourceForParts(s: SessionState): Track | undefined {
  const song = songOf(s);
  const track = editTrackOf(s);
  if (!song) return undefined;
  if (track?.part) return trackOf(s, track.part.fromId);
  return track && isVocal(track) ? track : leadOf(song);
}

/** Stretches that are chosen, as whole phrases; null when nothing is chosen. */
export function chosenPhrases(s: SessionState): { start: number; end: number }[] | null {
  const { kind, parts } = currentScope(s);
  if (kind !== 'selection' && kind !== 'span') return null;
  const { phrases } = editViewOf(s);
  const chosen = phrases.filter(p => parts.some(q => q.start < p.end && q.end > p.start));
  // what lies before and after belongs to the phrase: its breath, its last consonant
  return chosen.map(p => ({ start: Math.max(0, p.start - 0.25), end: p.end + 0.25 }));
}

/** Adds a part below its lead, made of the whole track or of the chosen phrases. */
export function addPart(line: PartLine): void {
  const s = state();
  const song = songOf(s);
  const lead = sourceForParts(s);
  if (!song || !lead) return void toast('A part is made from a voice: choose one first.', { id: 'part' });
  const spans = chosenPhrases(s);
  const base = partName(line);
  let name = base;
  for (let i = 2; song.tracks.some(t => t.name === name); i++) name = `${base} ${i}`;
  const high = line.amount > 0;
  const { scatter, formant } = usualDifferences(line);
  const track: Track = Object.assign(new Track(), {
    id: newId(),
    name,
    role: 'part',
    colour: high ? 'rose' : 'blue',
    levelDb: -5,
    pan: high ? 0.3 : -0.3,
    part: Object.assign(new PartRule(), {
      fromId: lead.id,
      ...line,
      spans,
      seed: 1 + song.tracks.filter(t => t.part).length,
      scatterTime: scatter,
      scatterPitch: scatter,
      formant,
    }),
  });
  run(
    new AddTrack(
      `Make ${name}`,
      track,
      song.tracks.indexOf(lead) + 1 + song.tracks.filter(t => t.part?.fromId === lead.id).length,
    ),
  );
  editTrack(track.id);
}

/** Changes a part's rule; steps of one gesture are one entry. */
export function setPart(label: string, track: Track, fields: Partial<PartRule>, gesture?: string): void {
  if (track.part) setTrack(label, track, { part: Object.assign(new PartRule(), track.part, fields) }, gesture);
}

/** Another draw of a part's differences. */
export const drawAgain = (track: Track): void =>
  setPart(`${track.name}: other differences`, track, { seed: (track.part!.seed % 1e6) + 1 });

/** Takes the user's own edits off a part: it is again as its rule says. */
export function asMade(track: Track): void {
  const label = `${track.name} as made`;
  const commands = track.takes
    .filter(t => Object.keys(t.edits).length)
    .map(t => new SetNoteEdits(label, track.id, t.id, Object.fromEntries(Object.keys(t.edits).map(k => [k, null]))));
  if (commands.length) run(new Together(label, commands));
}
