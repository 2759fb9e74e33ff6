import { isVocal, soundsInMix } from '@essim/core';
import type { DeliveryFormat } from '../../jobs/deliver';
import { Progress } from '../../shell/Progress';
import { saveBundle, stopBundling, useBundling } from '../../exchange/bundles';
import {
  deliver,
  FORMAT_NAMES,
  stopDelivering,
  useDelivering,
  writeDown,
  type DeliveryKind,
} from '../../exchange/delivering';
import { editTrackOf, songOf, useParts } from '../../open-song';
import { useDeliver } from './state';
import { FirstSteps } from '../FirstSteps';

const NAMES: Record<DeliveryKind, string> = {
  stems: 'stems',
  mix: 'the mix',
  track: 'the track',
  practice: 'practice mixes',
};

/** What is handed over, and in which form. */
export function DeliverPanel() {
  const session = useParts('history', 'views', 'editTrackId');
  const song = songOf(session);
  const edited = editTrackOf(session);
  const { format, asMixed } = useDeliver();
  const running = useDelivering();
  const bundling = useBundling();
  if (!song) return null;
  const sounding = song.tracks.filter(t => soundsInMix(t, song.tracks));
  const go = (kind: DeliveryKind) => void deliver({ kind, format, asMixed });
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
      <section aria-label="Format">
        <h3 className="mb-1 font-semibold text-ink-2">Format, WAV at {song.sampleRate / 1000} kHz</h3>
        <div
          className="flex overflow-hidden rounded-lg border border-rule"
          role="radiogroup"
          aria-label="Sample format"
        >
          {(Object.keys(FORMAT_NAMES) as DeliveryFormat[]).map(f => (
            <button
              key={f}
              role="radio"
              aria-checked={format === f}
              className={`flex-1 px-1.5 py-1.5 ${format === f ? 'bg-ink font-semibold text-on-ink' : 'bg-card text-ink-2'}`}
              onClick={() => useDeliver.setState({ format: f })}
            >
              {FORMAT_NAMES[f]}
            </button>
          ))}
        </div>
        <p className="mt-1 text-[11.5px] text-ink-2">
          {format === 'float32'
            ? 'Exactly what is computed; nothing clips.'
            : 'Dithered; samples nobody touched stay bit for bit.'}
        </p>
        <label className="mt-2 flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-(--teal)"
            checked={asMixed}
            onChange={e => useDeliver.setState({ asMixed: e.target.checked })}
          />
          Stems carry level and pan
        </label>
        <p className="text-[11.5px] text-ink-2">
          {asMixed ? 'Together they are the mix.' : 'Each as it was sung and edited, at unity.'}
        </p>
      </section>
      {running ? (
        <Progress
          title={`Writing ${NAMES[running.kind]}`}
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
