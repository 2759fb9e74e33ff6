import { counted, setPhrase } from '@essim/core';
import { Check, MessageSquare } from 'lucide-react';
import { memo, useMemo } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { phraseText } from '../field/scene';
import { editTrackOf, editViewOf, useBeside, type SessionState } from '../open-song';
import { setPhrases } from '../commands/tracks';
import { goToPhrase } from './commands';

/** Index of the phrase in the middle of what is looked at; -1 for none. */
function phraseInView(s: SessionState): number {
  const middle = (s.view.from + s.view.to) / 2;
  return editViewOf(s).phrases.findIndex(p => middle >= p.start - 0.4 && middle < p.end + 0.4);
}

interface ShownPhrase {
  index: number;
  /** Its words, or what there is in it. */
  text: string;
  /** Notes in it, and how many of them have a target. */
  notes: number;
  touched: number;
  /** Remarks that are not done. */
  remarks: number;
  checked: boolean;
  /** In the middle of what is looked at. */
  here: boolean;
}

/** The edited track's phrases: words, remarks, a tick for what is checked. */
export const PhraseList = memo(function PhraseList() {
  const { phrases, syllables, words, edits, status } = useBeside(
    useShallow(s => {
      const { phrases, syllables, words, edits, status } = editViewOf(s);
      return { phrases, syllables, words, edits, status };
    }),
  );
  const hereIndex = useBeside(phraseInView);
  const empty = useBeside(s => editTrackOf(s)?.takes.length === 0);
  /** What is in each: the same while notes are dragged. */
  const inside = useMemo(
    () =>
      phrases.map(p => {
        const all = syllables.filter(n => n.start >= p.start - 0.01 && n.end <= p.end + 0.01);
        const notes = all.filter(n => !n.spoken).map(n => n.key);
        const without = notes.length ? counted(notes.length, 'note') : `${counted(all.length, 'syllable')}, spoken`;
        return { notes, text: p.name || phraseText(p, words) || without };
      }),
    [phrases, syllables, words],
  );
  const checked = phrases.filter(p => p.checked).length;
  return (
    <>
      <div className="side-title flex items-center gap-2">
        <h2>Phrases</h2>
        {phrases.length > 0 && (
          <span className="ml-auto font-normal tabular-nums">
            {Math.round((100 * checked) / phrases.length)} % checked
          </span>
        )}
      </div>
      {empty && (
        <p className="px-3.5 text-ink-2">No takes yet: record one at Gather with R, or drop files on the track.</p>
      )}
      {status === 'reading' && !phrases.length && (
        <p className="px-3.5 text-ink-2">They appear when the take is read.</p>
      )}
      {status === 'ready' && !phrases.length && (
        <p className="px-3.5 text-ink-2">No sung notes were found in this take.</p>
      )}
      <ol className="min-h-0 flex-1 overflow-auto">
        {phrases.map((p, i) => (
          <PhraseRow
            key={p.id}
            index={i}
            text={inside[i].text}
            notes={inside[i].notes.length}
            touched={inside[i].notes.filter(key => edits[key]?.target !== undefined).length}
            remarks={p.remarks.filter(r => !r.done).length}
            checked={p.checked}
            here={i === hereIndex}
          />
        ))}
      </ol>
    </>
  );
});

const PhraseRow = memo(function PhraseRow({ index, text, notes, touched, remarks, checked, here }: ShownPhrase) {
  return (
    <li className={`flex items-center pr-3 ${here ? 'bg-teal-soft' : 'hover:bg-rule-soft'}`}>
      <button
        className={`flex min-w-0 flex-1 items-center gap-2 py-[5px] pr-1.5 pl-3 text-left ${here ? 'text-ink' : 'text-ink-2'}`}
        onClick={() => goToPhrase(index)}
        aria-current={here || undefined}
      >
        <b className="w-4 font-semibold text-ink-2">{index + 1}</b>
        <span className="flex-1 truncate">{text}</span>
        {remarks > 0 && (
          <span
            className="flex items-center gap-0.5 text-[11px] text-amber"
            title={`${remarks} open ${remarks === 1 ? 'remark' : 'remarks'}`}
          >
            <MessageSquare size={11} aria-hidden /> {remarks}
          </span>
        )}
        <span className="text-[11px] text-ink-2 tabular-nums" title={`${touched} of ${notes} notes have a target`}>
          {touched ? `${touched}/${notes}` : ''}
        </span>
      </button>
      <button
        className={`grid size-[17px] shrink-0 place-items-center rounded-full border ${checked ? 'border-teal bg-teal text-on-ink' : 'border-ink-3 text-transparent'}`}
        role="checkbox"
        aria-checked={checked}
        aria-label={`Phrase ${index + 1} checked`}
        title={checked ? 'Checked' : 'To do'}
        onClick={() =>
          setPhrases(`Phrase ${index + 1} ${checked ? 'to do' : 'checked'}`, list =>
            setPhrase(list, index, { checked: !checked }),
          )
        }
      >
        <Check size={11} strokeWidth={3} aria-hidden />
      </button>
    </li>
  );
});
