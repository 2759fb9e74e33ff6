import { isVocal, soundsInMix } from '@essim/core';
import { Progress } from '../../shell/Progress';
import { saveBundle, stopBundling, useBundling, useWithHistory } from '../../exchange/bundles';
import { deliver, stopDelivering, useDelivering, type DeliveryKind } from '../../exchange/delivering';
import { writeDown, writeLines, writeReport } from '../../exchange/writing';
import { editTrackOf, songOf, useParts } from '../../open-song';
import { Format } from './Format';
import { Measured } from './Measured';
import { Tick } from '../../shell/inputs';
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
  const midi = useDeliver();
  const withHistory = useWithHistory(s => s.on);
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
            onClick={() => writeDown('musicxml', midi)}
          >
            MusicXML
          </button>
          <button
            className="btn"
            title="A track a voice, with words and the tempo; slips under 50 ms are left out"
            onClick={() => writeDown('midi', midi)}
          >
            MIDI
          </button>
          <button
            className="btn col-span-2"
            title="What is heard and what was sung, a row every 5 ms, a table a voice"
            onClick={() => void writeLines()}
          >
            Pitch lines as CSV
          </button>
        </div>
        <div className="mt-1.5 flex flex-col gap-1">
          <Tick checked={midi.bends} onSet={bends => useDeliver.setState({ bends })}>
            MIDI is bent to what is heard
          </Tick>
          <Tick checked={midi.evenVelocities} onSet={evenVelocities => useDeliver.setState({ evenVelocities })}>
            Every note of it as loud as the next
          </Tick>
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
          <>
            <button className="btn w-full" onClick={() => void saveBundle()}>
              Save the bundle <kbd>Ctrl S</kbd>
            </button>
            <div className="mt-1.5">
              <Tick checked={withHistory} onSet={on => useWithHistory.setState({ on })}>
                With its undo history
              </Tick>
            </div>
          </>
        )}
      </section>
    </div>
  );
}
