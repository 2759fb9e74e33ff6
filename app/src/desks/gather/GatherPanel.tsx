import { joinBetween, mergePhrases, setPhrase, splitPhrase, type Phrase, type Word } from '@essim/core';
import { useDeferredValue } from 'react';
import { phraseText } from '../../field/scene';
import { TextInput } from '../../shell/inputs';
import { audition, editTrackOf, editViewOf, player, useSession } from '../../open-song';
import { setPhrases } from '../../commands/tracks';
import { cellsOf, explained, type PhraseCells } from './cells';
import { borrow, loansFor, nudge, pickPhrase, setFade, setWord } from './edits';
import { Recordings } from './Recordings';
import { Remarks } from './Remarks';
import { StepCharts } from './StepCharts';
import { useGather } from './state';
import { FirstSteps } from '../FirstSteps';

const title = 'text-[11px] font-semibold text-ink-2';

/** What is chosen on the Gather desk, in words and numbers. */
export function GatherPanel() {
  const view = useSession(editViewOf);
  const track = useSession(editTrackOf);
  const { phrase: index } = useGather();
  const cells = useSession(cellsOf);
  const phrase = view.phrases[index];
  // charts take as long to draw as all else here together: the phrases come first
  const charted = useDeferredValue(!!track && track.role !== 'backing' && view.notes.length > 0, false);
  if (!track) return <p className="p-3.5 text-ink-2">Drop files to begin.</p>;
  return (
    <div className="flex flex-col gap-4 p-3.5">
      <FirstSteps
        id="gather"
        done={track.segments.length > 1}
        text="Takes stand above each other, phrase by phrase: click the better cell, or let Essim suggest a comp. Drop files anywhere here; R records. Key and tempo are below, estimated until you say otherwise."
      />
      {phrase && track.role !== 'backing' && (
        <>
          <CellCard index={index} phrase={phrase} cells={cells} />
          <Words phrase={phrase} />
          <Remarks index={index} phrase={phrase} />
        </>
      )}
      {charted && <StepCharts />}
      {track.segments.length > 1 && <Joins />}
      <Recordings track={track} />
    </div>
  );
}

function CellCard({ index, phrase, cells }: { index: number; phrase: Phrase; cells: readonly PhraseCells[] }) {
  const track = useSession(editTrackOf)!;
  const view = useSession(editViewOf);
  const { takeId } = useGather();
  const take = track.takes.find(t => t.id === takeId);
  const scores = cells[index]?.cells ?? [];
  const score = scores.find(s => s.takeId === takeId);
  const best = scores.length > 1 ? scores.reduce((a, b) => (b.merit > a.merit ? b : a)) : null;
  const bestName = track.takes.find(t => t.id === best?.takeId)?.name;
  const plain = phraseText(phrase, view.words) || `Phrase ${index + 1}`;
  const heard = track.segments.findLast(g => g.at <= (phrase.start + phrase.end) / 2)?.takeId;
  return (
    <section aria-label="Cell">
      <h2 className={title}>
        {take ? `${take.name}, phrase` : 'Phrase'} {index + 1}
      </h2>
      <div className="card mt-1.5">
        <TextInput
          key={phrase.id}
          className="w-full rounded border border-transparent bg-transparent text-[15px] font-semibold hover:border-rule"
          label="Name of the phrase"
          value={phrase.name || plain}
          mayBeEmpty
          onSet={name =>
            setPhrases(`Name of phrase ${index + 1}`, list =>
              setPhrase(list, index, { name: name === plain ? '' : name }),
            )
          }
        />
        {score && <p className="mt-1 text-ink-2">{explained(score, cells[index].by)}</p>}
        {bestName && (
          <p className="mt-1 text-ink-2">
            {best!.takeId === takeId ? `The best of ${scores.length} in sum.` : `${bestName} scores best in sum.`}
          </p>
        )}
        <div className="mt-2 flex gap-1.5">
          {take && (
            <button
              className="btn flex-1"
              onClick={() => void audition(track.id, take.id, phrase.start - 0.25, phrase.end + 0.2)}
            >
              Hear
            </button>
          )}
          {take && heard !== take.id && (
            <button className="btn btn-ink flex-1" onClick={() => pickPhrase(index, take.id)} disabled={!score}>
              Take it
            </button>
          )}
        </div>
        <div className="mt-1.5 flex gap-1.5">
          <button
            className="btn flex-1"
            title="Cuts the phrase at the playhead (Ctrl Shift P)"
            onClick={() =>
              setPhrases(`Split phrase ${index + 1}`, list => splitPhrase(list, index, player()?.position ?? 0))
            }
          >
            Split
          </button>
          <button
            className="btn flex-1"
            disabled={index + 1 >= view.phrases.length}
            onClick={() => setPhrases(`Join phrase ${index + 1} to the next`, list => mergePhrases(list, index))}
          >
            Join to next
          </button>
        </div>
      </div>
    </section>
  );
}

/** The phrase's words: each can be moved, changed, or sung by another place. */
function Words({ phrase }: { phrase: Phrase }) {
  const view = useSession(editViewOf);
  const { word } = useGather();
  const list = view.words
    .map((w, i) => ({ w, i }))
    .filter(({ w }) => (w.start + w.end) / 2 >= phrase.start - 0.2 && (w.start + w.end) / 2 < phrase.end + 0.2);
  if (!list.length) return null;
  const chosen = list.find(({ i }) => i === word)?.w;
  return (
    <section aria-label="Words">
      <h2 className={title}>Words</h2>
      <div className="mt-1 flex flex-wrap gap-1">
        {list.map(({ w, i }) => (
          <button
            key={i}
            className="pill"
            aria-pressed={i === word}
            onClick={() => useGather.setState({ word: i === word ? -1 : i })}
          >
            {w.text}
          </button>
        ))}
      </div>
      {chosen && <OneWord word={chosen} />}
    </section>
  );
}

function OneWord({ word }: { word: Word }) {
  const track = useSession(editTrackOf)!;
  const loans = loansFor(word);
  return (
    <div className="card mt-2">
      <div className="flex items-center gap-1.5">
        <button className="btn" onClick={() => nudge(word, -1)} aria-label="A note earlier" title="A note earlier">
          ◂
        </button>
        <TextInput
          className="min-w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1"
          label="The word"
          value={word.text}
          longest={100}
          mayBeEmpty
          onSet={text => setWord(word, text)}
        />
        <button className="btn" onClick={() => nudge(word, 1)} aria-label="A note later" title="A note later">
          ▸
        </button>
      </div>
      {loans.length > 0 && (
        <>
          <p className="mt-2 text-[11.5px] text-ink-2">
            Borrow it from another place, crossfaded and matched in level:
          </p>
          <ul className="mt-1 max-h-36 overflow-auto">
            {loans.map(l => (
              <li key={`${l.take.id} ${l.word.start}`} className="flex items-center gap-1.5 py-0.5">
                <span className="min-w-0 flex-1 truncate">
                  “{l.word.text}”{' '}
                  <span className="text-ink-2">
                    {l.take.name}, {l.at.toFixed(1)} s
                  </span>
                </span>
                <span
                  className={`text-[11px] tabular-nums ${Math.abs(l.ratio - 1) > 0.25 ? 'text-amber' : 'text-ink-2'}`}
                  title="Its length over this one’s"
                >
                  {Math.round(l.ratio * 100)} %
                </span>
                <button
                  className="pill"
                  onClick={() => void audition(track.id, l.take.id, l.at - 0.05, l.at + (l.word.end - l.word.start))}
                >
                  hear
                </button>
                <button className="pill" onClick={() => borrow(word, l)}>
                  use
                </button>
              </li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}

/** Where takes meet, in words, with the length of each crossfade. */
function Joins() {
  const track = useSession(editTrackOf)!;
  const { phrases } = useSession(editViewOf);
  const name = (id: string) => track.takes.find(t => t.id === id)?.name ?? '';
  const place = (at: number) => {
    const inside = phrases.findIndex(p => at > p.start && at < p.end);
    if (inside >= 0) return `in phrase ${inside + 1}`;
    const next = phrases.findIndex(p => p.start >= at);
    if (next <= 0) return next === 0 ? 'before phrase 1' : 'after the last phrase';
    const middle = joinBetween(phrases[next - 1], phrases[next]);
    return `${next} → ${next + 1}${Math.abs(middle - at) < 0.02 ? ' in the rest' : ''}`;
  };
  return (
    <section aria-label="Joins">
      <h2 className={title}>Joins</h2>
      <ul className="mt-1">
        {track.segments.slice(1).map((g, k) => (
          <li key={k} className="flex items-center gap-1.5 py-0.5">
            <span className="min-w-0 flex-1 truncate" title={`${name(track.segments[k].takeId)} → ${name(g.takeId)}`}>
              {place(g.at)}
              {g.shiftSeconds !== undefined && ' · borrowed'}
            </span>
            <input
              className="w-14 rounded border border-rule bg-card px-1 text-right tabular-nums"
              type="number"
              min={0}
              max={500}
              step={2}
              aria-label={`Crossfade of join ${k + 1} in ms`}
              value={g.fadeMs}
              onKeyDown={e => e.stopPropagation()}
              onChange={e => setFade(track, k + 1, Math.max(0, Math.min(500, Number(e.target.value) || 0)))}
            />
            <span className="text-ink-2">ms</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
