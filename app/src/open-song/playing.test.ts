import { panGains, select } from '@essim/core';
import type { MixerMessage } from '../player/mixer';
import { now, open, song, sung, take, tempo, track, withSound } from '../testing';
import {
  act,
  audition,
  choose,
  editTrack,
  editViewOf,
  endAudition,
  followPhrase,
  hearGuide,
  forgetHearMix,
  look,
  lookBack,
  loopStretch,
  playRound,
  playStretch,
  scrub,
  seek,
  setCue,
  setEar,
  setEdited,
  setHear,
  setHeard,
  setHearLevel,
  spanFromPlayhead,
  stopStretch,
  toggleClick,
  toggleCountIn,
  toggleGrouped,
  toggleLoop,
  togglePlay,
  toggleViewed,
  undo,
  useSession,
} from '.';
import { setOpened, type OpenSong } from './state';
import { applyGains, syncPlayer } from './sounding';
import { setTrack } from '../commands/tracks';

/** Listening: what the session tells the audio thread, message by message. */

const sent: MixerMessage[] = [];
const last = <K extends MixerMessage['kind']>(kind: K) =>
  sent.findLast(m => m.kind === kind) as Extract<MixerMessage, { kind: K }>;

class Node {
  port = { postMessage: (m: MixerMessage) => sent.push(m), onmessage: null };
  connect = (to: unknown) => to;
}
class Context {
  state = 'running';
  currentTime = 10;
  destination = {};
  audioWorklet = { addModule: () => Promise.resolve() };
  close = () => Promise.resolve();
}
Object.assign(globalThis, { AudioContext: Context, AudioWorkletNode: Node });

const s = useSession.getState;
let sound: OpenSong;
const gains = (id: string) => last('gains').gains[id];
const SILENT = [0, 0];

beforeEach(async () => {
  sent.length = 0;
  useSession.setState({ hear: 'backing', countIn: false, edited: true, clicking: false });
  await open(
    song(
      [
        track('lead', [take('l'), take('other')]),
        track('ash', [take('a')], { role: 'double', followsId: 'lead', levelDb: -6, pan: -0.5 }),
        track('piano', [take('p')], { role: 'backing' }),
      ],
      { tempo: tempo(120) },
    ),
    { l: sung(60, [4, 3]), a: sung(60, [4, 3]), other: sung(60, [4, 3]) },
  );
  useSession.setState({ duration: 8 });
  sound = withSound({ l: 8, a: 8, p: 8, other: 8 });
  await sound.player.start();
  applyGains();
});
afterEach(() => {
  endAudition();
  setOpened(null);
});

describe('hearing', () => {
  it('is the edited track with the backing, alone, with its lead, or everything', () => {
    expect([gains('lead'), gains('ash'), gains('piano')]).toEqual([panGains(0, 0), SILENT, panGains(0, 0)]);
    setHear('alone');
    expect([gains('ash'), gains('piano')]).toEqual([SILENT, SILENT]);
    editTrack('ash');
    setHear('lead');
    expect([gains('lead'), gains('ash'), gains('piano')]).toEqual([panGains(0, 0), panGains(-6, -0.5), SILENT]);
    setHear('whole');
    expect(gains('piano')).toEqual(panGains(0, 0));
  });

  it('remembers of each way what is heard and how loud, and forgets it on request', () => {
    setHeard('ash', true);
    setHearLevel('piano', -12);
    expect(gains('ash')).toEqual(panGains(-6, -0.5));
    expect(gains('piano')).toEqual(panGains(-12, 0));
    setHear('alone');
    expect(gains('ash')).toEqual(SILENT);
    setHear('backing');
    expect(gains('piano')).toEqual(panGains(-12, 0));
    forgetHearMix();
    expect([gains('ash'), gains('piano')]).toEqual([SILENT, panGains(0, 0)]);
    // the song's own levels are not touched by it
    expect(now().tracks.map(t => t.levelDb)).toEqual([0, -6, 0]);
  });

  it('leaves muted tracks out, and all but the soloed', () => {
    setHear('whole');
    setTrack('mute', now().tracks[2], { mute: true });
    expect(gains('piano')).toEqual(SILENT);
    setTrack('solo', now().tracks[1], { solo: true });
    expect([gains('lead'), gains('ash')]).toEqual([SILENT, panGains(-6, -0.5)]);
    undo();
    undo();
    expect(gains('piano')).toEqual(panGains(0, 0));
  });

  it('while recording is what the cue names, at the song’s own levels', () => {
    setHearLevel('piano', -12);
    setCue(['piano', 'ash']);
    expect([gains('lead'), gains('ash'), gains('piano')]).toEqual([SILENT, panGains(-6, -0.5), panGains(0, 0)]);
    setCue(null);
    expect(gains('lead')).toEqual(panGains(0, 0));
  });

  it('puts the tone of the reading on the left and the voice on the right, or the tone alone', () => {
    useSession.setState({ ear: 'beside' });
    applyGains();
    expect(gains('tone')).toEqual([1, 0]);
    expect(gains('lead')[0]).toBe(0);
    expect(gains('lead')[1]).toBeGreaterThan(0.5);
    useSession.setState({ ear: 'alone' });
    syncPlayer();
    expect([gains('tone'), gains('lead')]).toEqual([[1, 1], SILENT]);
    expect(last('tracks').tracks.map(t => t.id)).toContain('tone');
    setEar('off');
    expect(last('tracks').tracks.map(t => t.id)).not.toContain('tone');
    expect(gains('tone')).toBeUndefined();
  });

  it('compares as sung with edited', () => {
    setEdited(false);
    expect(last('compare').edited).toBe(false);
    setEdited(true);
    expect(last('compare').edited).toBe(true);
  });
});

describe('playing', () => {
  it('begins at the playhead and stops', async () => {
    seek(2.5);
    await togglePlay();
    expect(last('play')).toMatchObject({ at: 2.5 * 48000, countIn: 0 });
    expect([s().playing, sound.player.playing]).toEqual([true, true]);
    await togglePlay();
    expect(last('stop')).toBeDefined();
    expect([s().playing, sound.player.playing]).toEqual([false, false]);
  });

  it('goes no further than the song', () => {
    seek(99);
    expect(sound.player.position).toBe(8);
    seek(-3);
    expect(sound.player.position).toBe(0);
    scrub(99);
    expect(sound.player.position).toBe(8);
  });

  it('counts a bar in when it is asked to', async () => {
    toggleCountIn();
    seek(4);
    await togglePlay();
    // a bar of four beats at 120 is two seconds
    expect(last('play').countIn).toBe(2 * 48000);
  });

  it('clicks on the beats, the first of a bar louder', () => {
    toggleClick();
    const { at, accents, on } = last('clicks');
    expect(on).toBe(true);
    const zero = at.indexOf(0);
    expect(accents[zero]).toBe(1);
    expect(at[zero + 1] - at[zero]).toBe(24000);
    expect(accents.slice(zero, zero + 5)).toEqual([1, 0, 0, 0, 1]);
    toggleClick();
    expect(last('clicks').on).toBe(false);
  });

  it('loops the phrase at the playhead, and begins inside it', async () => {
    seek(6.5);
    toggleLoop();
    const second = editViewOf(s()).phrases[1];
    const { from, to } = last('loop');
    expect(from).toBe(Math.round((second.start - 0.35) * 48000));
    // no further than the song
    expect(second.end + 0.35).toBeGreaterThan(8);
    expect(to).toBe(8 * 48000);
    seek(1);
    const note = editViewOf(s()).notes[5];
    choose(select('lead', [note.key]));
    await togglePlay();
    // from what is chosen, which lies in it
    expect(last('play').at).toBe(Math.round(note.start * 48000));
    await togglePlay();
    seek(1);
    await togglePlay(true);
    expect(last('play').at).toBe(from);
    toggleLoop();
    expect(last('loop')).toMatchObject({ from: 0, to: 0 });
  });

  it('loops a stretch of its own, until looping ends', () => {
    loopStretch(4, 2.5);
    expect(s()).toMatchObject({ looping: true, loopRange: { from: 2.5, to: 4 } });
    expect(last('loop')).toMatchObject({ from: 2.5 * 48000, to: 4 * 48000 });
    // a twitch is no stretch
    loopStretch(1, 1.05);
    expect(s().loopRange).toEqual({ from: 2.5, to: 4 });
    toggleLoop();
    expect(s()).toMatchObject({ looping: false, loopRange: null });
  });

  it('knows the phrase it is in', () => {
    seek(1);
    expect(s().phraseAt).toBe(0);
    seek(6.5);
    expect(s().phraseAt).toBe(1);
  });
});

describe('a stretch', () => {
  it('is played once and stops at its end', async () => {
    await playStretch(2, 3);
    expect([last('play').at, s().playing]).toEqual([2 * 48000, true]);
    sound.player.seek(2.9);
    followPhrase();
    expect(s().playing).toBe(true);
    sound.player.seek(3.01);
    followPhrase();
    expect(s().playing).toBe(false);
  });

  it('that is taken over by playing on does not stop it', async () => {
    await playStretch(2, 3);
    await togglePlay();
    await togglePlay();
    stopStretch();
    expect(s().playing).toBe(true);
  });

  it('goes round while a gesture lasts, and gives the loop back that there was', async () => {
    loopStretch(4, 5);
    const end = playRound(1, 2);
    await Promise.resolve();
    expect(last('loop')).toMatchObject({ from: 48000, to: 2 * 48000 });
    expect(s().playing).toBe(true);
    end();
    expect(last('loop')).toMatchObject({ from: 4 * 48000, to: 5 * 48000 });
    expect(s().playing).toBe(false);
  });

  it('is not begun while the song plays', async () => {
    await togglePlay();
    const before = sent.length;
    playRound(1, 2)();
    expect([s().playing, sent.length]).toEqual([true, before]);
  });
});

describe('a melody guide', () => {
  const notes = (...midi: number[]) => midi.map((m, i) => [i, i + 0.8, m] as const);

  it('is heard as a track of its own when that is asked, and goes along with its changes', () => {
    act('guide', { notes: notes(60, 62) });
    expect(gains('guide')).toEqual(SILENT);
    hearGuide(true);
    expect(gains('guide')).toEqual([1, 1]);
    const sources = () => last('sources').sources.filter(q => q.id === 'guide');
    const [first] = sources();
    expect(first.sung[0].some(v => Math.abs(v) > 0.1)).toBe(true);
    act('guide', { notes: notes(60, 62, 64) });
    expect(sources()[0].sung[0].length).toBeGreaterThan(first.sung[0].length);
    act('guide', { none: true });
    expect(sources()).toEqual([]);
    hearGuide(false);
  });
});

describe('an audition', () => {
  it('plays a stretch of a take in its track’s place, then stops and is over', async () => {
    await audition('lead', 'other', 2, 3);
    expect(last('play').at).toBe(2 * 48000);
    expect(
      last('tracks')
        .tracks.find(t => t.id === 'lead')!
        .clips.map(c => c.sourceId),
    ).toEqual(['other']);
    sound.player.seek(3.01);
    followPhrase();
    expect(s().playing).toBe(false);
    expect(s().audition).toBeNull();
    expect(
      last('tracks')
        .tracks.find(t => t.id === 'lead')!
        .clips.map(c => c.sourceId),
    ).toEqual(['l']);
  });

  it('asked for again stops at once', async () => {
    await audition('lead', 'other', 2, 3);
    await audition('lead', 'other', 2, 3);
    expect([s().playing, s().audition]).toEqual([false, null]);
  });
});

describe('looking', () => {
  it('goes back to what was seen before, as far as it was remembered', () => {
    const [a, b, c] = [1, 2, 3].map(from => ({ from, to: from + 5, low: 50, high: 70 }));
    look(a);
    look(b, true);
    look(c);
    lookBack();
    expect(s().view).toEqual(a);
    lookBack();
    expect(s().view).toEqual(a);
  });

  it('takes viewed tracks along only as a group', () => {
    toggleViewed('ash');
    expect(s().viewedTrackIds).toEqual(['ash']);
    toggleGrouped();
    expect(s().grouped).toBe(true);
    // the edited track is not its own companion
    editTrack('ash');
    expect(s().viewedTrackIds).toEqual([]);
    toggleViewed('nowhere');
    expect(s().viewedTrackIds).toEqual([]);
  });

  it('chooses a stretch from playhead to playhead, whichever end comes first', () => {
    seek(2);
    spanFromPlayhead('start');
    expect(s().selection.span).toEqual({ start: 2, end: 8 });
    seek(3);
    spanFromPlayhead('end');
    expect(s().selection.span).toEqual({ start: 2, end: 3 });
    seek(5);
    spanFromPlayhead('start');
    expect(s().selection.span).toEqual({ start: 5, end: 8 });
    seek(1);
    spanFromPlayhead('end');
    expect(s().selection.span).toEqual({ start: 0, end: 1 });
  });
});
