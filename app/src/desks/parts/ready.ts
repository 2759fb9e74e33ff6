import { guideFrom, placedClips, setTrack, type Midi, type Seconds, type Track } from '@essim/core';
import { liveSpan, player, songOf, trackOf, useSession, viewOf } from '../../open-song';
import type { HeldStretch } from '../../player/held-voice';
import { useSource } from './state';

/** Words of parts about the playhead, made ready to be sung at once at any pitch when a key goes down. */

/** So much of the song about the playhead is made ready, and made anew when so little of it is left. */
const READY = { before: 0.5, after: 24, left: 10 } as const;
const EACH_MS = 400;

const state = useSession.getState;

/** The pitch that a part's words are made ready at: the middle of what its lead sings, so that keys are near. */
function usualPitch(track: Track): Midi {
  const pitches = viewOf(state(), track.part?.fromId ?? track.id)
    .notes.map(n => n.sung)
    .sort((a, b) => a - b);
  return Math.round(pitches[pitches.length >> 1] ?? 60);
}

/** A part's words about a moment; null where it is bent in time, or nothing is there. */
async function stretchAt(track: Track, at: Seconds): Promise<HeldStretch | null> {
  const s = state();
  const song = songOf(s);
  const rate = player()?.sampleRate;
  if (!song || !rate) return null;
  const midi = usualPitch(track);
  // as if its guide were this one pitch from end to end
  const guide = guideFrom('held', [{ start: 0, end: s.duration + 1, midi }]);
  const asked = setTrack(track.id, { guide })(song);
  const own = asked.tracks.find(t => t.id === track.id)!;
  const clip = placedClips(asked, own).find(c => c.to > at && c.from < at + READY.after);
  if (!clip || clip.place.bent) return null;
  const [from, to] = [Math.max(clip.from, at - READY.before), Math.min(clip.to, at + READY.after)];
  const shown = { ...s, draft: { ...s.draft, song: asked } } as typeof s;
  const note = await liveSpan(shown, clip.takeId, clip.place.toTake(from), clip.place.toTake(to), own);
  const offset = Math.round(clip.place.shift * rate);
  return note && { note, midi, offset, formantCents: 100 * (track.part?.formant ?? 0) };
}

/**
 * Keeps what tracks sing about the playhead ready while the song plays.
 * @param tracksNow those that sing now @param resting whether nothing is held, so that nothing that sounds is cut off @returns what ends it
 */
export function keepReady(tracksNow: () => readonly Track[], resting: () => boolean): () => void {
  let ready: { from: Seconds; to: Seconds; of: readonly unknown[] } | null = null;
  const look = async () => {
    const p = player();
    const tracks = tracksNow();
    if (!p?.playing || !tracks.length || !resting()) return;
    const at = p.position;
    // what is sung is taken from the lead: what is played meanwhile changes nothing
    const of = tracks.flatMap(t => [t.part, trackOf(state(), t.part?.fromId ?? '')]);
    const same = ready?.of.length === of.length && ready.of.every((v, i) => v === of[i]);
    if (ready && same && at >= ready.from && at < ready.to - READY.left) return;
    ready = { from: at - READY.before, to: at + READY.after, of };
    const found = await Promise.all(tracks.map(async t => [t.id, await stretchAt(t, at)] as const));
    // a key that went down meanwhile sings what there was; the next rest takes this up
    if (!resting()) return void (ready = null);
    const stretches = Object.fromEntries(found.flatMap(([id, stretch]) => (stretch ? [[id, stretch]] : [])));
    player()?.setHeld(stretches);
    useSource.setState({ wordsReady: Object.keys(stretches).length > 0 });
  };
  const timer = setInterval(() => void look(), EACH_MS);
  return () => {
    clearInterval(timer);
    player()?.setHeld({});
    useSource.setState({ wordsReady: false });
  };
}
