import type { Track } from '@essim/core';
import { useRef } from 'react';
import { setTrack } from '../store/track-edits';
import { Fader } from './Fader';

/** A track's level and pan; each grip of a fader is one entry of the journal. */
export function LevelAndPan({ track }: { track: Track }) {
  const gesture = useRef(0);
  const grab = () => gesture.current++;
  return (
    <>
      <Fader
        label="Level"
        value={track.levelDb}
        low={-40}
        high={12}
        step={0.5}
        unit=" dB"
        rest={0}
        onGrab={grab}
        onChange={v => setTrack(`${track.name}: level`, track, { levelDb: v }, `level ${track.id} ${gesture.current}`)}
      />
      <Fader
        label="Pan"
        value={Math.round(track.pan * 100)}
        low={-100}
        high={100}
        step={1}
        rest={0}
        unit=""
        text={v => (v ? `${Math.abs(v)} ${v < 0 ? 'left' : 'right'}` : 'middle')}
        onGrab={grab}
        onChange={v => setTrack(`${track.name}: pan`, track, { pan: v / 100 }, `pan ${track.id} ${gesture.current}`)}
      />
    </>
  );
}
