import {
  addTrack,
  asDataUrl,
  newPart,
  PartRule,
  setTake,
  setTrack as trackWith,
  together,
  type PartLine,
  type Track,
} from '@essim/core';
import { toast } from 'sonner';
import { newId } from '../keeping/ids';
import {
  act,
  change,
  currentScope,
  editTrack,
  editTrackOf,
  editViewOf,
  isVocal,
  leadOf,
  songOf,
  trackOf,
  useSession,
  type How,
  type SessionState,
} from '../open-song';

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
  const { track, index } = newPart(song, lead, line, chosenPhrases(s), newId());
  if (change(`Make ${track.name}`, addTrack(track, index))) editTrack(track.id);
}

/** Runs a command that makes parts of the track that is meant, over the chosen phrases; the first new one is edited then. */
export function makeParts(name: string, args: Parameters<typeof act>[1], track: Track | undefined): void {
  const s = state();
  if (!track) return void toast('A part is made from a voice: choose one first.', { id: 'part' });
  const before = new Set(songOf(s)!.tracks.map(t => t.id));
  const phrases = chosenPhrases(s);
  const span = phrases?.length ? { start: phrases[0].start, end: phrases[phrases.length - 1].end } : null;
  if (!act(name, args, { target: { tracks: [{ track, parts: [] }], span, broad: true } })) return;
  const made = songOf(state())?.tracks.find(t => !before.has(t.id));
  if (made) editTrack(made.id);
}

/** A part that sings the melody of a MIDI file: that with most notes, where it has several. */
export async function partByFile(file: File, track: Track): Promise<void> {
  const midi = asDataUrl(new Uint8Array(await file.arrayBuffer()));
  makeParts('part-from', { guide: midi }, track);
}

/** Changes a part's rule. */
export function setPart(label: string, track: Track, fields: Partial<PartRule>, how?: How): void {
  if (track.part) change(label, trackWith(track.id, { part: Object.assign(new PartRule(), track.part, fields) }), how);
}

/** Another draw of a part's differences. */
export const drawAgain = (track: Track): void =>
  setPart(`${track.name}: other differences`, track, { seed: (track.part!.seed % 1e6) + 1 });

/** Takes the user's own edits off a part: it is again as its rule says. */
export function asMade(track: Track): void {
  const own = track.takes.filter(t => Object.keys(t.edits).length);
  change(`${track.name} as made`, together(own.map(t => setTake(track.id, t.id, { edits: {} }))));
}
