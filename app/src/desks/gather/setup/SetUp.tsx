import { songOf, useSession } from '../../../open-song';
import { setUpFromBacking } from '../edits';
import { KeyCard } from './KeyCard';
import { TimeCard } from './TimeCard';
import { VoiceCard } from './VoiceCard';

/** Key, time and voice: what is set before anything is tuned. */
export function SetUp() {
  const backing = useSession(s => s.backing);
  const song = useSession(songOf);
  const fresh = song && !song.tempo && !song.key && !song.chords.length && backing;
  return (
    <>
      {fresh && (
        <div className="card mt-4 flex flex-wrap items-center gap-3 border-teal">
          <p className="flex-1">
            The backing has been listened to
            {backing.tempo ? `: ${backing.tempo.bpm} bpm, ${backing.tempo.beatsPerBar} beats a bar` : ''}. Nothing is
            set yet.
          </p>
          <button className="btn btn-ink" onClick={setUpFromBacking} data-testid="set-up">
            Set up from the backing
          </button>
        </div>
      )}
      <div className="mt-4 grid grid-cols-3 gap-3 max-[1100px]:grid-cols-2">
        <KeyCard />
        <TimeCard />
        <VoiceCard />
      </div>
    </>
  );
}
