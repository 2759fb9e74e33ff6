import type { Track } from '@essim/core';
import { Faders } from '../../shell/Fader';
import { Progress } from '../../shell/Progress';
import {
  chosenLeaf,
  freeWord,
  isCurrent,
  lockTie,
  setAlign,
  shownFollower,
  stackOf,
  stopAligning,
  useAligning,
  type Leaf,
} from '../../commands/aligning';
import { usualAlign } from '@essim/core';
import { editTrackOf, isVocal, useParts, useSession, viewOf } from '../../open-song';
import { follow, leadStack } from '../../commands/tracks';
import { FirstSteps } from '../FirstSteps';
import { LikenessCard } from '../Likeness';
import { StackReport } from './Report';
import { StartChoice } from './StartChoice';
import { useAlign } from './state';
import { alignAll, alignShown, keepAsSung, pullChosen, tieChosen } from './tying';

const ms = (s: number) => `${Math.abs(Math.round(s * 1000))} ms`;
const when = (s: number) => (Math.abs(s) < 0.0015 ? 'together' : `${ms(s)} ${s > 0 ? 'late' : 'early'}`);

/** Whom the follower follows, how near, and how it stands. */
export function AlignPanel() {
  const session = useParts('history', 'views', 'takes', 'editTrackId', 'selection');
  const running = useAligning();
  const shown = shownFollower(session);
  const stack = stackOf(session);
  if (!shown || !stack) return <NoStack />;
  const { lead, follower } = shown;
  const found = stack.followers.filter(t => t.found);
  const ready = [lead, follower].every(t => viewOf(session, t.id).status === 'ready');
  const stale = !!follower.found && !isCurrent(lead, follower);
  return (
    <div className="flex flex-col gap-3.5 p-3.5">
      <FirstSteps
        id="align"
        done={!!follower.found}
        text={`${follower.name} follows ${lead.name}. Press Align: its words come to the lead’s, and a leaf for each shows how early or late it was sung. Then listen with its lead (H). Where it went wrong, move a leaf, or drag the word up onto the lead’s.`}
      />
      <WordCard leaf={chosenLeaf(session)} follower={follower} lead={lead} />
      <section aria-label="How it follows">
        <h3 className="mb-1 flex items-baseline justify-between gap-2 font-semibold text-ink-2">
          {follower.name} follows {lead.name}
          <button
            className="shrink-0 text-[11px] font-semibold text-teal"
            title={`${follower.name} leads instead; ${lead.name} and the others follow it`}
            onClick={() => leadStack(follower)}
          >
            Let it lead
          </button>
        </h3>
        <StartChoice follower={follower} />
        <Faders
          faders={FOLLOWS}
          values={follower.align ?? usualAlign}
          of={follower.id}
          onChange={(field, v, how) =>
            setAlign(
              `${follower.name}: ${FOLLOWS.find(f => f.field === field)!.label.toLowerCase()}`,
              follower,
              { [field]: v },
              how,
            )
          }
        />
      </section>
      {running ? (
        <Progress
          title={`Aligning ${running.name}${running.of > 1 ? ` (${running.done + 1} of ${running.of})` : ''}`}
          share={running.share}
          onStop={stopAligning}
        />
      ) : (
        <>
          {stale && (
            <p className="rounded-lg bg-amber-soft px-2.5 py-2 text-amber" role="status">
              The recordings or the comp changed since this was aligned. It stays as it is until you align again.
            </p>
          )}
          <div className="flex gap-1.5">
            <button className="btn btn-ink flex-1" onClick={alignShown} disabled={!ready}>
              {follower.found ? 'Align again' : 'Align'} <kbd>S</kbd>
            </button>
            {stack.followers.length > 1 && (
              <button className="btn flex-1" onClick={alignAll} disabled={!ready}>
                All {stack.followers.length} <kbd>⇧S</kbd>
              </button>
            )}
          </div>
        </>
      )}
      <Tools follower={follower} />
      {follower.found && <StackReport followers={found} confidence={follower.found.confidence} />}
      {follower.found && <LikenessCard a={follower} b={lead} />}
    </div>
  );
}

function NoStack() {
  const session = useParts('history', 'editTrackId');
  const track = editTrackOf(session);
  const others = session.history?.song.tracks.filter(t => t !== track && isVocal(t) && !t.part) ?? [];
  if (track?.part)
    return (
      <div className="p-3.5">
        <section className="card">
          <p className="font-semibold">{track.name} is a part</p>
          <p className="mt-1 text-ink-2">
            It is made from its lead and keeps its timing. Choose a double or harmony that was sung.
          </p>
        </section>
      </div>
    );
  return (
    <div className="p-3.5">
      <section className="card" aria-label="Stack">
        <p className="font-semibold">No stack yet</p>
        <p className="mt-1 text-ink-2">
          {track && isVocal(track) && others.length
            ? `Let ${track.name} lead, and say below who follows it.`
            : 'Bring in a lead and its doubles or harmonies at Gather.'}
        </p>
        {track && isVocal(track) && others.length > 0 && (
          <>
            <button className="btn btn-ink mt-2.5 w-full" onClick={() => leadStack(track)}>
              {track.name} leads all voices
            </button>
            {others.map(t => (
              <button key={t.id} className="btn mt-1.5 w-full" onClick={() => follow(t, track.id)}>
                {t.name} follows {track.name}
              </button>
            ))}
          </>
        )}
      </section>
    </div>
  );
}

function WordCard({ leaf, follower, lead }: { leaf: Leaf | null; follower: Track; lead: Track }) {
  if (!leaf)
    return (
      <section className="card" aria-label="Selection">
        <p className="font-semibold">{follower.found ? 'No syllable chosen' : `${follower.name} is as it was sung`}</p>
        <p className="mt-1 text-ink-2">
          {follower.found
            ? 'Click a leaf, or step through them with the arrows.'
            : `It is not aligned with ${lead.name} yet.`}
        </p>
      </section>
    );
  const about = [
    leaf.sung === null ? 'no counterpart: left as sung' : `sung ${when(leaf.sung)}`,
    leaf.kept ? 'left as sung' : null,
    leaf.moved ? 'moved by hand' : leaf.tied ? `tied by hand${leaf.tied === 'locked' ? ', locked' : ''}` : null,
    Math.abs(leaf.stretch - 1) > 0.005 ? `stretched ${leaf.stretch.toFixed(2)}×` : null,
  ].filter(Boolean);
  return (
    <section className="card" aria-label="Selection">
      <div className="flex items-baseline justify-between gap-2">
        <b className="truncate text-xl tracking-tight">{leaf.word ? `“${leaf.word}”` : 'a syllable'}</b>
        <span className="font-semibold text-ink-2 tabular-nums">
          {leaf.now === null ? 'only here' : when(leaf.now)}
        </span>
      </div>
      <p className="mt-1 text-ink-2 tabular-nums">{about.join(' · ')}</p>
      {(leaf.tied || leaf.moved || leaf.kept) && (
        <div className="mt-2 flex gap-1.5">
          {leaf.tied && (
            <button className="btn flex-1" onClick={() => lockTie(follower, leaf, leaf.tied !== 'locked')}>
              {leaf.tied === 'locked' ? 'Unlock' : 'Lock'}
            </button>
          )}
          <button className="btn flex-1" onClick={() => void freeWord(follower, leaf)}>
            As found <kbd>Del</kbd>
          </button>
        </div>
      )}
    </section>
  );
}

const FOLLOWS = [
  { field: 'closeness', label: 'Closeness', low: 0, high: 100, step: 1, unit: ' %', rest: 100 },
  { field: 'lean', label: 'Pitch lean', low: 0, high: 100, step: 1, unit: ' %', rest: 0 },
  { field: 'levelLean', label: 'Level lean', low: 0, high: 100, step: 1, unit: ' %', rest: 0 },
  {
    field: 'bending',
    label: 'Bending',
    low: 1.1,
    high: 2.5,
    step: 0.1,
    unit: '×',
    rest: 1.6,
    text: (v: number) => `${v.toFixed(1)}×`,
  },
  { field: 'scatterTime', label: 'Scatter', low: 0, high: 200, step: 1, unit: ' %', rest: 0 },
  { field: 'scatterPitch', label: 'In pitch', low: 0, high: 200, step: 1, unit: ' %', rest: 0 },
] as const;

function Tools({ follower }: { follower: Track }) {
  const tying = useAlign(s => s.tying);
  const chosen = useSession(
    s => s.selection.trackId === follower.id && (s.selection.notes.size > 0 || !!s.selection.span),
  );
  if (tying)
    return (
      <p className="rounded-lg bg-teal-soft px-2.5 py-2" role="status">
        Tying: ← → choose the lead’s word, or click it. <kbd>Enter</kbd> ties, <kbd>Esc</kbd> does not.
      </p>
    );
  return (
    <div className="grid grid-cols-2 gap-1.5">
      <button className="btn flex-1" onClick={tieChosen} disabled={!chosen || !follower.found}>
        Tie <kbd>T</kbd>
      </button>
      <button className="btn flex-1" onClick={keepAsSung} disabled={!chosen || !follower.found}>
        As sung <kbd>U</kbd>
      </button>
      <button
        className="btn flex-1"
        title="Where the chosen syllables begin and end, to the lead’s"
        onClick={() => pullChosen('borders')}
        disabled={!chosen || !follower.found}
      >
        Borders <kbd>E</kbd>
      </button>
      <button
        className="btn flex-1"
        title="The pitch of the chosen syllables to the lead’s; a harmony keeps its interval"
        onClick={() => pullChosen('pitch')}
        disabled={!chosen || !follower.found}
      >
        Pitch <kbd>R</kbd>
      </button>
    </div>
  );
}
