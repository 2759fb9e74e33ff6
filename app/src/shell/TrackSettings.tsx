import { COLOURS, ROLES, type Role, type Song } from '@essim/core';
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { Ellipsis } from 'lucide-react';
import { memo, type ReactNode } from 'react';
import { trackColour } from '../field/palette';
import { songOf, useSession } from '../open-song';
import { deleteTrack, duplicateTrack, follow, moveTrack, setMix, setTrack } from '../commands/tracks';
import { LevelAndPan } from './LevelAndPan';
import { TextInput } from './inputs';
import { RangeChoice } from './RangeChoice';

/** Everything about a track as a whole, behind the dots of its row. */
export const TrackSettings = memo(function TrackSettings({ id, name }: { id: string; name: string }) {
  return (
    <Popover className="flex">
      <PopoverButton className="pill icon" aria-label={`Settings of ${name}`} title="Name, role, level and more">
        <Ellipsis size={13} />
      </PopoverButton>
      <PopoverPanel
        anchor="right start"
        className="z-30 w-72 rounded-xl border border-rule bg-card p-3.5 shadow-xl focus:outline-none [--anchor-gap:6px]"
      >
        {({ close }) => <Settings id={id} close={close} />}
      </PopoverPanel>
    </Popover>
  );
});

function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <label className="grid grid-cols-[74px_1fr] items-center gap-2 py-1">
      <span className="text-ink-2">{label}</span>
      {children}
    </label>
  );
}

const input = 'min-w-0 rounded-lg border border-rule bg-card px-2 py-1';

function Settings({ id, close }: { id: string; close: () => void }) {
  const song = useSession(songOf);
  const index = song?.tracks.findIndex(t => t.id === id) ?? -1;
  return index < 0 ? null : <SettingsOf song={song!} index={index} close={close} />;
}

function SettingsOf({ song, index, close }: { song: Song; index: number; close: () => void }) {
  const track = song.tracks[index];
  const set = (label: string, fields: Parameters<typeof setTrack>[2]) => setTrack(label, track, fields);
  return (
    <section aria-label={`Settings of ${track.name}`}>
      <Row label="Name">
        <TextInput label="Name" value={track.name} onSet={name => set(`Rename ${track.name}`, { name })} />
      </Row>
      <Row label="Role">
        <select
          className={input}
          value={track.role}
          onChange={e => set(`${track.name}: ${e.target.value}`, { role: e.target.value as Role })}
        >
          {ROLES.map(r => (
            <option key={r}>{r}</option>
          ))}
        </select>
      </Row>
      {track.role !== 'backing' && (
        <>
          <Row label="Follows">
            <select
              className={input}
              value={track.followsId ?? ''}
              onChange={e => follow(track, e.target.value || null)}
            >
              <option value="">nobody</option>
              {song.tracks
                .filter(t => t.id !== track.id && t.role !== 'backing')
                .map(t => (
                  <option key={t.id} value={t.id}>
                    {t.name}
                  </option>
                ))}
            </select>
          </Row>
          <Row label="Range">
            <RangeChoice track={track} />
          </Row>
        </>
      )}
      <div className="flex items-center gap-2 py-1.5" role="radiogroup" aria-label="Colour">
        <span className="w-[74px] text-ink-2">Colour</span>
        {COLOURS.map(c => (
          <button
            key={c}
            role="radio"
            aria-checked={trackColour(track) === c}
            aria-label={c}
            title={c}
            className="size-6 rounded-full border-2 border-card outline-ink aria-checked:outline-2"
            style={{ background: `var(--${c})` }}
            onClick={() => set(`${track.name}: ${c}`, { colour: c })}
          />
        ))}
      </div>
      <LevelAndPan track={track} />
      <div className="mt-1.5 flex gap-1.5">
        <button
          className={`btn flex-1 ${track.mute ? 'btn-on' : ''}`}
          aria-pressed={track.mute}
          onClick={() => setMix(track, { mute: !track.mute })}
        >
          Mute
        </button>
        <button
          className={`btn flex-1 ${track.solo ? 'btn-on' : ''}`}
          aria-pressed={track.solo}
          onClick={() => setMix(track, { solo: !track.solo })}
        >
          Solo
        </button>
        <button className="btn" onClick={() => moveTrack(track.id, index - 1)} disabled={!index} aria-label="Move up">
          ↑
        </button>
        <button
          className="btn"
          onClick={() => moveTrack(track.id, index + 1)}
          disabled={index + 1 === song.tracks.length}
          aria-label="Move down"
        >
          ↓
        </button>
      </div>
      <div className="mt-2 flex gap-1.5 border-t border-rule-soft pt-2.5">
        <button
          className="btn flex-1"
          onClick={() => {
            close();
            duplicateTrack(track);
          }}
        >
          Duplicate
        </button>
        <button
          className="btn flex-1"
          onClick={() => {
            close();
            deleteTrack(track);
          }}
        >
          Delete
        </button>
      </div>
    </section>
  );
}
