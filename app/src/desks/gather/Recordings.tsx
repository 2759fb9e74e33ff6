import { CHANNEL_CHOICES, pickedFrom, setTake, type ChannelChoice, type Take, type Track } from '@essim/core';
import { useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { beginImport } from '../../exchange/importing';
import { replaceTake, type Replacement } from '../../exchange/replacing';
import { change } from '../../open-song';
import { sourceFacts } from '../../keeping/sources';

const CHANNEL_NAMES: Record<ChannelChoice, string> = {
  left: 'left only',
  right: 'right only',
  mix: 'both mixed',
  stereo: 'stereo',
  linked: 'two microphones',
};

/** The files behind the track's takes; each can be replaced by a newer version of itself. */
export function Recordings({ track }: { track: Track }) {
  const more = useRef<HTMLInputElement>(null);
  const [replacement, setReplacement] = useState<Replacement | null>(null);
  return (
    <section aria-label="Recordings">
      <h2 className="text-[11px] font-semibold text-ink-2">Recordings of {track.name}</h2>
      <ul className="mt-1">
        {pickedFrom(track).map(take => (
          <Row key={take.id} track={track} take={take} onReplaced={setReplacement} />
        ))}
      </ul>
      {replacement && (
        <div className="card mt-2 border-amber" data-testid="replaced">
          <p>
            <b>{replacement.file}</b> replaced the recording of {replacement.takeName}: {shiftText(replacement)},{' '}
            {Math.round(replacement.found * 100)} % of the sound found again.
          </p>
          {replacement.lost.length > 0 && (
            <>
              <p className="mt-1 text-amber">No longer fits:</p>
              <ul className="max-h-28 overflow-auto">
                {replacement.lost.map((l, i) => (
                  <li key={i} className="tabular-nums">
                    {l.text}, {l.start.toFixed(2)}–{l.end.toFixed(2)} s
                  </li>
                ))}
              </ul>
            </>
          )}
          <button className="btn mt-1.5" onClick={() => setReplacement(null)}>
            Read it
          </button>
        </div>
      )}
      <button className="btn mt-2 w-full" onClick={() => more.current?.click()}>
        Add takes from files
      </button>
      <input
        ref={more}
        type="file"
        multiple
        className="hidden"
        data-testid="more-takes"
        onChange={e => {
          const files = [...(e.target.files ?? [])];
          e.target.value = '';
          void beginImport(files, { kind: 'takes', trackId: track.id });
        }}
      />
    </section>
  );
}

function shiftText(r: Replacement): string {
  const ms = Math.round(r.offsetSeconds * 1000);
  const place = ms === 0 ? 'same place' : `${Math.abs(ms)} ms ${ms > 0 ? 'later' : 'earlier'} in its file`;
  const level =
    Math.abs(r.levelDb) < 0.05
      ? 'same level'
      : `${Math.abs(r.levelDb).toFixed(1)} dB ${r.levelDb > 0 ? 'louder' : 'softer'}`;
  return `${place}, ${level}`;
}

function Row({ track, take, onReplaced }: { track: Track; take: Take; onReplaced: (r: Replacement | null) => void }) {
  const file = useRef<HTMLInputElement>(null);
  const facts = useQuery({
    queryKey: ['source', take.sourceId],
    queryFn: async () => (await sourceFacts(take.sourceId)) ?? null,
  });
  return (
    <li className="flex items-center gap-1.5 py-0.5">
      <span className="min-w-0 flex-1 truncate text-ink-2" title={`${take.name}: ${facts.data?.name ?? ''}`}>
        {facts.data?.name ?? take.name}
        {facts.data?.origin ? ` · ${facts.data.origin}` : ''}
      </span>
      {facts.data?.channelCount === 2 && (
        <select
          className="w-24 rounded border border-rule bg-card px-1"
          aria-label={`Channels of ${take.name}`}
          value={take.channels}
          onChange={e =>
            change(
              `${take.name}: ${CHANNEL_NAMES[e.target.value as ChannelChoice]}`,
              setTake(track.id, take.id, { channels: e.target.value as ChannelChoice }),
            )
          }
        >
          {CHANNEL_CHOICES.map(c => (
            <option key={c} value={c}>
              {CHANNEL_NAMES[c]}
            </option>
          ))}
        </select>
      )}
      <button
        className="pill"
        onClick={() => file.current?.click()}
        title="Put a newer version of the file in its place"
      >
        replace
      </button>
      <input
        ref={file}
        type="file"
        className="hidden"
        data-testid={`replace-${take.name}`}
        onChange={e => {
          const f = e.target.files?.[0];
          e.target.value = '';
          if (f) void replaceTake(track, take, f).then(onReplaced);
        }}
      />
    </li>
  );
}
