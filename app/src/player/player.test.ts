import type { MixerMessage } from './mixer';
import { Player } from './player';
import type { LiveNote } from './held-voice';

/** The browser's sound, as far as the player asks for it: worklets may fail to load. */
const told: { name: string; message: MixerMessage | { kind: string } }[] = [];
let missing = 0;
let contexts = 0;
class FakeContext {
  state = 'running';
  currentTime = 2;
  destination = {};
  closed = false;
  audioWorklet = {
    addModule: () =>
      missing > 0 ? (missing--, Promise.reject(new Error('the worklet could not be loaded'))) : Promise.resolve(),
  };
  constructor() {
    contexts++;
  }
  close() {
    this.closed = true;
    return Promise.resolve();
  }
}
class FakeNode {
  port = { postMessage: (message: MixerMessage) => void told.push({ name: this.name, message }), onmessage: null };
  constructor(
    _: FakeContext,
    readonly name: string,
  ) {}
  connect() {}
}
Object.assign(globalThis, { AudioContext: FakeContext, AudioWorkletNode: FakeNode });

const note = { from: 0, to: 10 } as unknown as LiveNote;
const wish = { offsetCents: 0, formantCents: 0, levelDb: 0 };
const kinds = (name: string) => told.filter(t => t.name === name).map(t => t.message.kind);

beforeEach(() => {
  told.length = missing = contexts = 0;
});

it('keeps what it was told before there was sound, and tells it in order', async () => {
  const player = new Player(48000);
  player.compare(true);
  player.loop({ from: 1, to: 2 });
  expect(contexts).toBe(0);
  await player.play(3);
  expect(told.map(t => t.message)).toEqual([
    { kind: 'compare', edited: true },
    { kind: 'loop', from: 48000, to: 96000 },
    { kind: 'play', at: 144000, countIn: 0, frame: 0 },
  ]);
  expect([player.playing, player.position]).toEqual([true, 3]);
});

it('says that there is no sound when the worklet cannot be loaded, and tries anew the next time', async () => {
  const player = new Player(48000);
  missing = 1;
  await expect(player.play(1)).rejects.toThrow('there is no sound: the worklet could not be loaded');
  expect(player.playing).toBe(false);
  await player.play(1);
  expect(contexts).toBe(2);
  expect(kinds('essim-mixer')).toEqual(['play']);
  expect(player.playing).toBe(true);
});

it('sings a note again after the voice could not be loaded once', async () => {
  const player = new Player(48000);
  await player.start();
  missing = 1;
  await expect(player.sing(note, wish)).rejects.toThrow('could not be loaded');
  // what is still asked of the note that never began goes nowhere, and hurts nobody
  player.moveSung(wish);
  player.endSinging();
  await player.sing(note, wish);
  player.moveSung({ ...wish, offsetCents: 200 });
  player.endSinging();
  await new Promise(done => setTimeout(done));
  expect(kinds('essim-voice')).toEqual(['begin', 'ask', 'end']);
});

it('begins later on the audio clock when a moment is wanted, as for recording', async () => {
  const player = new Player(48000);
  expect(await player.play(0, 1.5, 0.25)).toBeCloseTo(2.25, 9);
  expect(told.at(-1)!.message).toEqual({ kind: 'play', at: 0, countIn: 72000, frame: 108000 });
});
