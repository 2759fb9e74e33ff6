import { NAME_FIELDS, soundsInMix, stemNames, USUAL_PATTERN } from '@essim/core';
import { FORMAT_NAMES, namedSong } from '../../exchange/delivering';
import type { DeliveryFormat } from '../../jobs/deliver';
import { loopSpan, songOf, useSession } from '../../open-song';
import { Tick } from '../../shell/inputs';
import { useDeliver, type Deliver } from './state';

interface OneOfProps<T extends string> {
  label: string;
  value: T;
  options: readonly { is: T; name: string; title?: string; disabled?: boolean }[];
  onChoose: (value: T) => void;
}

/** One of a few, side by side. */
function OneOf<T extends string>({ label, value, options, onChoose }: OneOfProps<T>) {
  return (
    <div className="flex overflow-hidden rounded-lg border border-rule" role="radiogroup" aria-label={label}>
      {options.map(({ is, name, title, disabled }) => (
        <button
          key={is}
          role="radio"
          aria-checked={is === value}
          title={title}
          disabled={disabled}
          className={`flex-1 px-1.5 py-1.5 disabled:text-ink-3 ${is === value ? 'bg-ink font-semibold text-on-ink' : 'bg-card text-ink-2'}`}
          onClick={() => onChoose(is)}
        >
          {name}
        </button>
      ))}
    </div>
  );
}

/** In which form files are written. */
export function Format() {
  const song = useSession(songOf)!;
  const d = useDeliver();
  const loop = useSession(s => {
    const span = loopSpan(s);
    return span ? `${span.from.toFixed(1)} to ${span.to.toFixed(1)} s` : '';
  });
  const first = useSession(s => {
    const sounding = song.tracks.filter(t => soundsInMix(t, song.tracks)).slice(0, 1);
    const pattern = d.pattern.trim() || USUAL_PATTERN;
    return stemNames(sounding, d.container, pattern, namedSong(s, song)).map(name => `like ${name}; `)[0] ?? '';
  });
  const set = (fields: Partial<Deliver>) => useDeliver.setState(fields);
  const flac = d.container === 'flac';
  const only = flac ? 'FLAC holds 16 or 24 bits' : undefined;
  return (
    <section aria-label="Format" className="flex flex-col gap-1.5">
      <h3 className="font-semibold text-ink-2">Format, {song.sampleRate / 1000} kHz</h3>
      <OneOf
        label="Kind of file"
        value={d.container}
        options={[
          { is: 'wav', name: 'WAV' },
          { is: 'flac', name: 'FLAC' },
        ]}
        onChoose={container =>
          set({ container, ...(container === 'flac' && d.format === 'float32' ? { format: 'int24' } : {}) })
        }
      />
      <OneOf
        label="Sample format"
        value={d.format}
        options={(Object.keys(FORMAT_NAMES) as DeliveryFormat[]).map(is => {
          const none = flac && is === 'float32';
          return { is, name: FORMAT_NAMES[is], disabled: none, ...(none ? { title: only } : {}) };
        })}
        onChoose={format => set({ format })}
      />
      <p className="text-[11.5px] text-ink-2">
        {d.format === 'float32'
          ? 'Exactly what is computed; nothing clips.'
          : 'Dithered; samples nobody touched stay bit for bit.'}
      </p>
      <OneOf
        label="How much of the song"
        value={d.range}
        options={[
          { is: 'song', name: 'Whole song' },
          {
            is: 'loop',
            name: d.range === 'loop' && loop ? loop : 'The loop',
            title: 'The stretch dragged in the ruler, else the phrase at the playhead',
          },
        ]}
        onChoose={range => set({ range })}
      />
      <Tick checked={d.asMixed} onSet={asMixed => set({ asMixed })}>
        Stems carry level and pan
      </Tick>
      <p className="text-[11.5px] text-ink-2">
        {d.asMixed ? 'Together they are the mix.' : 'Each as it was sung and edited, at unity.'}
      </p>
      <Tick checked={d.stamped && !flac} disabled={flac} onSet={stamped => set({ stamped })}>
        Stamped with where it begins
      </Tick>
      <label className="flex items-center gap-2">
        <span className="shrink-0">Stem names</span>
        <input
          className="min-w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1"
          value={d.pattern}
          placeholder={USUAL_PATTERN}
          maxLength={120}
          title={`May hold ${NAME_FIELDS.join(', ')}`}
          onChange={e => set({ pattern: e.target.value })}
          onKeyDown={e => e.stopPropagation()}
        />
      </label>
      <p className="truncate text-[11.5px] text-ink-2">
        {first}
        {NAME_FIELDS.join(' ')}
      </p>
    </section>
  );
}
