import { BarGrid, clipSamples, guideNotes, guideOf, panGains, playedMelody, type Clip, type Track } from '@essim/core';
import { shared } from '../shared-memory';
import { hearLevel, isHeard } from './listening';
import { opened, playedClips, player, songOf, soundingTakes, trackOf, useSession, type SessionState } from './state';

/** Sends the player what sounds now. */

const get = useSession.getState;

/** The tone of the reading, as a track of its own and a source for each take. */
const TONE = 'tone';
const toneId = (takeId: string) => `${TONE} ${takeId}`;

/** Melodies played along, each as a track of its own: the edited track's guide, and what was unpicked of a chord. */
export type Melody = 'guide' | 'unpicked';
/** In a cue: the melody guide of the track that is sung. */
export const GUIDE: Melody = 'guide';

/** Sends the player what sounds now. */
export function syncPlayer(): void {
  const open = opened();
  const s = get();
  const song = songOf(s);
  if (!open || !song) return;
  open.player.setSources([
    ...[...open.sounds].map(([id, sound]) => ({ id, ...sound })),
    ...[...open.tones].map(([id, sung]) => ({ id: toneId(id), sung, linked: false })),
    ...[...open.melodies].map(([id, { sound }]) => ({ id, sung: [sound], linked: false })),
  ]);
  const clipsAs = (track: Track, name: (takeId: string) => string) =>
    playedClips(s, track).map(c => ({ sourceId: name(c.takeId), ...clipSamples(c, song.sampleRate) }));
  const edited = trackOf(s, s.editTrackId);
  open.player.setTracks([
    ...song.tracks.map(track => ({ id: track.id, clips: clipsAs(track, id => id) })),
    ...(edited && s.ear !== 'off' ? [{ id: TONE, clips: clipsAs(edited, toneId) }] : []),
    ...[...open.melodies.keys()].map(id => ({
      id,
      clips: [{ sourceId: id, ...clipSamples(wholeClip(id), song.sampleRate) }],
    })),
  ]);
  for (const [takeId, client] of open.clients)
    client.attend(
      open.player.status,
      song.tracks.flatMap(track =>
        playedClips(s, track)
          .filter(c => c.takeId === takeId)
          .map(c => {
            const { from, to, offset } = clipSamples(c, song.sampleRate);
            return { from, to, offset };
          }),
      ),
    );
  applyGains();
}

/** Sends every track's level for the present Hear, mute and solo; while recording, for the cue. */
export function applyGains(): void {
  const s = get();
  const song = songOf(s);
  if (!song || !opened()) return;
  const soloed = song.tracks.some(t => t.solo);
  const gains: Record<string, [number, number]> = {};
  for (const t of song.tracks) {
    const wanted = s.cue ? s.cue.includes(t.id) : t.id === s.audition?.trackId || isHeard(s, t);
    const heard = wanted && !t.mute && (!soloed || t.solo || !!s.cue);
    gains[t.id] = heard ? panGains(t.levelDb + (s.cue ? 0 : song.masterDb + hearLevel(s, t.id)), t.pan) : [0, 0];
  }
  if (s.ear !== 'off' && !s.cue) {
    // the tone on the left, the voice on the right; or the tone alone
    gains[TONE] = s.ear === 'alone' ? [1, 1] : [1, 0];
    const voice = gains[s.editTrackId];
    if (voice) gains[s.editTrackId] = s.ear === 'alone' ? [0, 0] : [0, Math.max(voice[0], voice[1])];
  }
  gains[GUIDE] = guideSounds(s) ? [1, 1] : [0, 0];
  gains.unpicked = s.cue ? [0, 0] : [1, 1];
  opened()!.player.setGains(gains);
}

/** Something heard from the song's start to its end. */
const wholeClip = (takeId: string): Clip => ({
  takeId,
  from: 0,
  to: Infinity,
  shift: 0,
  fadeIn: 0,
  fadeOut: 0,
  levelDb: 0,
});

const guideSounds = (s: SessionState): boolean => (s.cue ? s.cue.includes(GUIDE) : s.guideHeard);

/** Plays the melody guide of the edited track along, as it is now; or no more. */
export function soundGuide(): void {
  const s = get();
  const song = songOf(s);
  const track = trackOf(s, s.editTrackId);
  if (!song || !guideSounds(s)) return;
  const of = track && guideOf(song, track);
  playMelody(GUIDE, of ? { of, notes: guideNotes(of) } : null);
}

/** Plays a melody along as a piano would. @param melody its notes in song time, made anew when `of` is another; null: no more */
export function playMelody(
  id: Melody,
  melody: { of: unknown; notes: Parameters<typeof playedMelody>[0] } | null,
): void {
  const open = opened();
  const s = get();
  const song = songOf(s);
  if (!open || !song || (open.melodies.get(id)?.of ?? null) === (melody?.of ?? null)) return;
  if (melody) {
    const end = Math.max(0, ...melody.notes.map(n => n.end)) + 1;
    const length = Math.ceil(Math.min(end, s.duration + 1) * song.sampleRate);
    const sound = shared(playedMelody(melody.notes, song.sampleRate, length));
    open.melodies.set(id, { of: melody.of, sound });
  } else open.melodies.delete(id);
  syncPlayer();
}

/** Plays the melody guide along, or not. */
export function hearGuide(on: boolean): void {
  useSession.setState({ guideHeard: on });
  soundGuide();
  applyGains();
}

/** Makes the tones of the edited track's takes and sends them to the player. */
export async function soundTones(): Promise<void> {
  const open = opened();
  const s = get();
  const track = trackOf(s, s.editTrackId);
  if (!open || !track) return;
  for (const id of soundingTakes(s, track)) {
    const client = open.clients.get(id);
    if (!client?.prepared) continue;
    const tone = await client.tone().catch(() => null);
    if (!tone || opened()?.id !== open.id) return;
    open.tones.set(id, [tone]);
  }
  syncPlayer();
}

/** Sends the player where the song's beats are. */
export function sendClicks(): void {
  const s = get();
  const tempo = songOf(s)?.tempo;
  if (!tempo) return player()?.setClicks([], [], false);
  const beats = new BarGrid(tempo).beats(-20, s.duration + 20);
  player()?.setClicks(
    beats.map(b => b.seconds),
    beats.map(b => (b.beat === 1 ? 1 : 0)),
    s.clicking,
  );
}
