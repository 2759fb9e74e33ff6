import { Score } from './score';
import { pitchedFrames, soundOfNote, sungTones } from './sung-tones';
import { song, sung, take, track } from './testing';
import type { TakeSound } from './take-sound';

/** Two phrases of two notes; each note louder by 2 dB than the one before it, the second phrase by 10 more. */
const loudness = (k: number) => -40 + 2 * Math.floor(k / 200) + (k >= 600 ? 10 : 0);
function made(withSound = true) {
  const view = sung(60, [2, 2]);
  const frames = view.reading!.f0.length;
  const sound: TakeSound = {
    loudnessDb: Float32Array.from({ length: frames }, (_, k) => loudness(k)),
    colour: {
      envelope: Float32Array.from({ length: (frames / 4) * 16 }, (_, i) => (i % 16) - 8),
      power: new Float32Array((frames / 4) * 31).fill(1),
    },
    clicks: [],
  };
  const takes = { l: withSound ? { ...view, sound: () => sound } : view };
  const lead = track('Lead', [take('l')]);
  return { lead, score: new Score(song([lead]), takes), sound };
}

test('notes are as loud as their pitched frames, beside the middle of their phrase', () => {
  const { lead, score } = made();
  const tones = sungTones(score, lead);
  expect(tones.map(t => Math.round(t.loudDb!))).toEqual([-40, -38, -24, -22]);
  expect(tones.map(t => t.phraseDb)).toEqual([tones[1].loudDb, tones[1].loudDb, tones[3].loudDb, tones[3].loudDb]);
  expect(Array.from(tones[0].colour!)).toEqual(Array.from({ length: 16 }, (_, b) => b - 8));
  // found once
  expect(sungTones(score, lead)).toBe(tones);
});

test('nothing is known of a note nobody has listened to', () => {
  const { lead, score } = made(false);
  expect(sungTones(score, lead)).toEqual(Array(4).fill({ loudDb: null, phraseDb: null, colour: null }));
  expect(soundOfNote(score, score.view('Lead').notes[0])).toBeUndefined();
});

test('of a note those frames count that are pitched, from its onset on', () => {
  const { score } = made();
  const [first] = score.view('Lead').notes;
  score.takes.l!.reading!.f0.fill(0, 100, 120);
  const frames = [...pitchedFrames(score, first)];
  expect([frames[0], frames.at(-1), frames.length]).toEqual([30, 179, 130]);
});
