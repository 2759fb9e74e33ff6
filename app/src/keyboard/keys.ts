import { struckString, type Midi } from '@essim/core';
import { create } from 'zustand';
import { player } from '../open-song';
import { isTyping } from './typing';

/**
 * Playing pitches by hand: on the computer's keyboard, on a MIDI keyboard where there is one, or on the keyboard shown. It is a state, for
 * letters then mean pitches; Esc leaves it.
 */

interface Keys {
  on: boolean;
  /** MIDI of the key at the left. */
  from: Midi;
  /** What is held now. */
  held: readonly Midi[];
  /** Name of a MIDI keyboard that is heard. */
  device: string | null;
  /** While the song runs a voice sings what is held: keys make no sound of their own then. */
  sung: boolean;
}
export const useKeys = create<Keys>(() => ({ on: false, from: 48, held: [], device: null, sung: false }));

/** Keys of the computer by their places, from C on upwards: the middle row its white keys, the one above its black ones. */
export const PLACES = [
  'KeyA',
  'KeyW',
  'KeyS',
  'KeyE',
  'KeyD',
  'KeyF',
  'KeyT',
  'KeyG',
  'KeyY',
  'KeyH',
  'KeyU',
  'KeyJ',
  'KeyK',
  'KeyO',
  'KeyL',
  'KeyP',
  'Semicolon',
] as const;

type Listener = (midi: Midi, down: boolean) => void;
const listeners = new Set<Listener>();
/** Is told of every key that goes down or up. @returns what ends it */
export function onKeys(listener: Listener): () => void {
  listeners.add(listener);
  return () => void listeners.delete(listener);
}

const sounds = new Map<Midi, Float32Array>();
function soundKey(midi: Midi): void {
  const p = player();
  if (!p) return;
  let sound = sounds.get(midi);
  if (!sound) sounds.set(midi, (sound = struckString(midi, p.sampleRate, 1.6).map(v => 0.4 * v)));
  void p.sound([sound]).catch(() => {});
}

/** A key goes down or up. */
export function pressKey(midi: Midi, down: boolean): void {
  const { held } = useKeys.getState();
  if (held.includes(midi) === down) return;
  useKeys.setState({ held: down ? [...held, midi].sort((a, b) => a - b) : held.filter(m => m !== midi) });
  if (down && !(useKeys.getState().sung && player()?.playing)) soundKey(midi);
  for (const l of listeners) l(midi, down);
}

function letGo(): void {
  for (const midi of useKeys.getState().held) pressKey(midi, false);
}

/** The lowest key shown, by octaves. */
export function shiftKeys(octaves: number): void {
  letGo();
  useKeys.setState(s => ({ from: Math.max(24, Math.min(84, s.from + 12 * octaves)) }));
}

const midiOfPlace = (code: string): Midi | null => {
  const i = PLACES.indexOf(code as (typeof PLACES)[number]);
  return i < 0 ? null : useKeys.getState().from + i;
};

/** What a MIDI keyboard says: a key that goes down or up, or nothing that is meant here. */
export function keyOfMessage(data: ArrayLike<number>): { midi: Midi; down: boolean } | null {
  const kind = data[0] & 0xf0;
  if (kind !== 0x90 && kind !== 0x80) return null;
  return { midi: data[1], down: kind === 0x90 && data[2] > 0 };
}

async function listenToDevices(): Promise<() => void> {
  if (!('requestMIDIAccess' in navigator)) return () => {};
  try {
    const access = await navigator.requestMIDIAccess();
    const inputs = [...access.inputs.values()];
    const heard = (e: MIDIMessageEvent) => {
      const key = e.data && keyOfMessage(e.data);
      if (key) pressKey(key.midi, key.down);
    };
    for (const input of inputs) input.addEventListener('midimessage', heard);
    useKeys.setState({ device: inputs[0]?.name ?? null });
    return () => inputs.forEach(input => input.removeEventListener('midimessage', heard));
  } catch {
    // no permission: the computer's keys do
    return () => {};
  }
}

let end: (() => void) | null = null;

/** Begins or ends the state. */
export function setKeys(on: boolean): void {
  if (on === useKeys.getState().on) return;
  if (!on) {
    letGo();
    end?.();
    end = null;
    return useKeys.setState({ on: false, device: null });
  }
  const down = (e: KeyboardEvent) => {
    if (e.ctrlKey || e.metaKey || e.altKey || isTyping(e)) return;
    if (e.key === 'Escape') setKeys(false);
    else if (e.code === 'KeyZ') shiftKeys(-1);
    else if (e.code === 'KeyX') shiftKeys(1);
    else {
      const midi = midiOfPlace(e.code);
      if (midi === null) return;
      if (!e.repeat) pressKey(midi, true);
    }
    e.preventDefault();
    e.stopPropagation();
  };
  const up = (e: KeyboardEvent) => {
    const midi = midiOfPlace(e.code);
    if (midi !== null) pressKey(midi, false);
  };
  window.addEventListener('keydown', down, true);
  window.addEventListener('keyup', up, true);
  window.addEventListener('blur', letGo);
  let ended = false;
  let endDevices = () => {};
  void listenToDevices().then(stop => (ended ? stop() : (endDevices = stop)));
  end = () => {
    ended = true;
    endDevices();
    window.removeEventListener('keydown', down, true);
    window.removeEventListener('keyup', up, true);
    window.removeEventListener('blur', letGo);
  };
  useKeys.setState({ on: true });
}
