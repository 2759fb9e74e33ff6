import type { Track } from '@essim/core';
import { setMix } from '../commands/tracks';
import { Faders } from './Fader';

export const LEVEL = {
  field: 'level',
  label: 'Level',
  low: -40,
  high: 12,
  step: 0.5,
  unit: ' dB',
  rest: 0,
} as const;
const MIX = [
  LEVEL,
  {
    field: 'pan',
    label: 'Pan',
    low: -100,
    high: 100,
    step: 1,
    unit: '',
    rest: 0,
    text: (v: number) => (v ? `${Math.abs(v)} ${v < 0 ? 'left' : 'right'}` : 'middle'),
  },
] as const;

/** A track's level and pan; each grip of a fader is one entry of the journal. */
export function LevelAndPan({ track }: { track: Track }) {
  return (
    <Faders
      faders={MIX}
      values={{ level: track.levelDb, pan: Math.round(track.pan * 100) }}
      of={track.id}
      onChange={(field, v, how) => setMix(track, field === 'level' ? { levelDb: v } : { pan: v / 100 }, how)}
    />
  );
}
