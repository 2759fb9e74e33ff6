import { isVocal, NAME_FIELDS, soundsInMix, stemNames, USUAL_PATTERN } from '@essim/core';
import type { DeliveryFormat } from '../../jobs/deliver';
import { Progress } from '../../shell/Progress';
import { saveBundle, stopBundling, useBundling } from '../../exchange/bundles';
import { deliver, FORMAT_NAMES, stopDelivering, useDelivering, type DeliveryKind } from '../../exchange/delivering';
import { writeDown, writeReport } from '../../exchange/writing';
import { editTrackOf, loopSpan, songOf, useParts, useSession } from '../../open-song';
import { Measured } from './Measured';
import { chosenDelivery, useDeliver } from './state';
import { Versions } from './Versions';
import { FirstSteps } from '../FirstSteps';

const RUNNING: Record<DeliveryKind, string> = {
  stems: 'Writing stems',
  mix: 'Writing the mix',
  track: 'Writing the track',
  practice: 'Writing practice mixes',
  measures: 'Measuring the mix and the stems',
};

/** What is handed over, and in which form. */
export function DeliverPanel() {
  const session = useParts('history', 'views', 'editTrackId');
  const song = songOf(session);
  const edited = editTrackOf(session);
  const running = useDelivering();
  const bundling = useBundling();
  if (!song) return null;
  const sounding = song.tracks.filter(t => soundsInMix(t, song.tracks));
  const go = (kind: DeliveryKind) => void deliver({ kind, ...chosenDelivery() });
  return (
    <div className="flex flex-col gap-3.5 p-3.5">
      <FirstSteps
        id="deliver"
        done={false}
        text="Set levels and pans in the middle, then export: stems begin at the same zero and are equally long. A bundle keeps the whole song, edits and all, in one file."
      />
      <section className="card" aria-label="What is delivered">
        <p className="font-semibold">
          {sounding.length} of {song.tracks.length} tracks sound
        </p>
        <p className="mt-1 text-ink-2">
          Every file begins at the song’s start and all are equally long, to the sample. Muted tracks are left out.
        </p>
      </section>
      <Format />
      {running ? (
        <Progress
          title={RUNNING[running.kind]}
          detail={`${running.name}, ${running.done + 1} of ${running.of}`}
          share={running.done / running.of}
          onStop={stopDelivering}
        />
      ) : (
        <div className="flex flex-col gap-1.5">
          <button className="btn btn-ink" onClick={() => go('stems')} disabled={!sounding.length}>
            Export {sounding.length} stems <kbd>S</kbd>
          </button>
          <button className="btn" onClick={() => go('mix')} disabled={!sounding.length}>
            Export the mix <kbd>M</kbd>
          </button>
          <button className="btn" onClick={() => go('track')} disabled={!edited?.segments.length}>
            Export {edited?.name ?? 'the track'} <kbd>E</kbd>
          </button>
        </div>
      )}
      <Measured />
      <section aria-label="Practising and writing down">
        <h3 className="mb-1 font-semibold text-ink-2">For singers</h3>
        <div className="grid grid-cols-2 gap-1.5">
          <button
            className="btn col-span-2"
            disabled={!!running || !sounding.some(isVocal)}
            title="A mix for each voice with that voice in front, in a zip"
            onClick={() => go('practice')}
          >
            Practice mixes <kbd>Shift P</kbd>
          </button>
          <button
            className="btn"
            title="A staff a voice, with words, key and chords"
            onClick={() => writeDown('musicxml')}
          >
            MusicXML
          </button>
          <button
            className="btn"
            title="A track a voice, with words, bent to what is heard"
            onClick={() => writeDown('midi')}
          >
            MIDI
          </button>
        </div>
      </section>
      <section aria-label="For the client">
        <h3 className="mb-1 font-semibold text-ink-2">For the client</h3>
        <button
          className="btn w-full"
          disabled={!!running}
          title="What was changed, by how much, phrase by phrase, with pictures and remarks: a page, a table and data in a zip"
          onClick={() => void writeReport(chosenDelivery())}
        >
          Edit report <kbd>R</kbd>
        </button>
      </section>
      <Versions />
      <section aria-label="Song bundle">
        <h3 className="mb-1 font-semibold text-ink-2">Song bundle</h3>
        <p className="mb-1.5 text-ink-2">
          The whole song in one file: every recording and every edit, opened again from the shelf with the same sound.
        </p>
        {bundling?.saving ? (
          <Progress title={`Saving ${bundling.name}`} share={bundling.share} onStop={stopBundling} />
        ) : (
          <button className="btn w-full" onClick={() => void saveBundle()}>
            Save the bundle <kbd>Ctrl S</kbd>
          </button>
        )}
      </section>
    </div>
  );
}

const choice = (on: boolean) =>
  `flex-1 px-1.5 py-1.5 ${on ? 'bg-ink font-semibold text-on-ink' : 'bg-card text-ink-2'}`;
const choices = 'flex overflow-hidden rounded-lg border border-rule';

/** In which form files are written. */
function Format() {
  const song = useSession(songOf)!;
  const d = useDeliver();
  const loop = useSession(s => {
    const span = loopSpan(s);
    return span ? `${span.from.toFixed(1)} to ${span.to.toFixed(1)} s` : '';
  });
  const set = useDeliver.setState;
  const flac = d.container === 'flac';
  const [first] = stemNames(
    song.tracks.filter(t => soundsInMix(t, song.tracks)).slice(0, 1),
    d.container,
    d.pattern.trim() || USUAL_PATTERN,
    { name: song.name, tempo: song.tempo ? `${song.tempo.bpm} bpm` : '' },
  ) as (string | undefined)[];
  return (
    <section aria-label="Format" className="flex flex-col gap-1.5">
      <h3 className="font-semibold text-ink-2">Format, {song.sampleRate / 1000} kHz</h3>
      <div className={choices} role="radiogroup" aria-label="Kind of file">
        {(['wav', 'flac'] as const).map(c => (
          <button
            key={c}
            role="radio"
            aria-checked={d.container === c}
            className={choice(d.container === c)}
            onClick={() =>
              set({ container: c, ...(c === 'flac' && d.format === 'float32' ? { format: 'int24' } : {}) })
            }
          >
            {c.toUpperCase()}
          </button>
        ))}
      </div>
      <div className={choices} role="radiogroup" aria-label="Sample format">
        {(Object.keys(FORMAT_NAMES) as DeliveryFormat[]).map(f => (
          <button
            key={f}
            role="radio"
            aria-checked={d.format === f}
            disabled={flac && f === 'float32'}
            title={flac && f === 'float32' ? 'FLAC holds 16 or 24 bits' : undefined}
            className={`${choice(d.format === f)} disabled:text-ink-3`}
            onClick={() => set({ format: f })}
          >
            {FORMAT_NAMES[f]}
          </button>
        ))}
      </div>
      <p className="text-[11.5px] text-ink-2">
        {d.format === 'float32'
          ? 'Exactly what is computed; nothing clips.'
          : 'Dithered; samples nobody touched stay bit for bit.'}
      </p>
      <div className={choices} role="radiogroup" aria-label="How much of the song">
        <button
          role="radio"
          aria-checked={d.range === 'song'}
          className={choice(d.range === 'song')}
          onClick={() => set({ range: 'song' })}
        >
          Whole song
        </button>
        <button
          role="radio"
          aria-checked={d.range === 'loop'}
          className={choice(d.range === 'loop')}
          title="The stretch dragged in the ruler, else the phrase at the playhead"
          onClick={() => set({ range: 'loop' })}
        >
          {d.range === 'loop' && loop ? loop : 'The loop'}
        </button>
      </div>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="accent-(--teal)"
          checked={d.asMixed}
          onChange={e => set({ asMixed: e.target.checked })}
        />
        Stems carry level and pan
      </label>
      <p className="text-[11.5px] text-ink-2">
        {d.asMixed ? 'Together they are the mix.' : 'Each as it was sung and edited, at unity.'}
      </p>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="accent-(--teal)"
          checked={d.stamped && !flac}
          disabled={flac}
          onChange={e => set({ stamped: e.target.checked })}
        />
        Stamped with where it begins
      </label>
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
        {first ? `like ${first}` : ''}; {NAME_FIELDS.join(' ')}
      </p>
    </section>
  );
}
