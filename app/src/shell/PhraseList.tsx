import { counted, setPhrase } from '@essim/core';
import { Check, MessageSquare } from 'lucide-react';
import { phraseText } from '../field/scene';
import { editViewOf, useSession, type SessionState } from '../open-song';
import { setPhrases } from '../commands/tracks';
import { goToPhrase } from './commands';

/** Index of the phrase in the middle of what is looked at; -1 for none. */
function phraseInView(s: SessionState): number {
  const middle = (s.view.from + s.view.to) / 2;
  return editViewOf(s).phrases.findIndex(p => middle >= p.start - 0.4 && middle < p.end + 0.4);
}

/** The edited track's phrases: words, remarks, a tick for what is checked. */
export function PhraseList() {
  const view = useSession(editViewOf);
  const { edits } = view;
  const hereIndex = useSession(phraseInView);
  const checked = view.phrases.filter(p => p.checked).length;
  return (
    <>
      <div className="side-title flex items-center gap-2">
        <h2>Phrases</h2>
        {view.phrases.length > 0 && (
          <span className="ml-auto font-normal tabular-nums">
            {Math.round((100 * checked) / view.phrases.length)} % checked
          </span>
        )}
      </div>
      {view.status === 'reading' && !view.phrases.length && (
        <p className="px-3.5 text-ink-2">They appear when the take is read.</p>
      )}
      {view.status === 'ready' && !view.phrases.length && (
        <p className="px-3.5 text-ink-2">No sung notes were found in this take.</p>
      )}
      <ol className="min-h-0 flex-1 overflow-auto">
        {view.phrases.map((p, i) => {
          const words = p.name || phraseText(p, view.words);
          const inside = view.syllables.filter(n => n.start >= p.start - 0.01 && n.end <= p.end + 0.01);
          const notes = inside.filter(n => !n.spoken);
          const touched = notes.filter(n => edits[n.key]?.target !== undefined).length;
          const here = i === hereIndex;
          const remarks = p.remarks.filter(r => !r.done).length;
          return (
            <li key={p.id} className={`flex items-center pr-3 ${here ? 'bg-teal-soft' : 'hover:bg-rule-soft'}`}>
              <button
                className={`flex min-w-0 flex-1 items-center gap-2 py-[5px] pr-1.5 pl-3 text-left ${here ? 'text-ink' : 'text-ink-2'}`}
                onClick={() => goToPhrase(i)}
                aria-current={here || undefined}
              >
                <b className="w-4 font-semibold text-ink-2">{i + 1}</b>
                <span className="flex-1 truncate">
                  {words ||
                    (notes.length ? counted(notes.length, 'note') : `${counted(inside.length, 'syllable')}, spoken`)}
                </span>
                {remarks > 0 && (
                  <span
                    className="flex items-center gap-0.5 text-[11px] text-amber"
                    title={`${remarks} open ${remarks === 1 ? 'remark' : 'remarks'}`}
                  >
                    <MessageSquare size={11} aria-hidden /> {remarks}
                  </span>
                )}
                <span
                  className="text-[11px] text-ink-2 tabular-nums"
                  title={`${touched} of ${notes.length} notes have a target`}
                >
                  {touched ? `${touched}/${notes.length}` : ''}
                </span>
              </button>
              <button
                className={`grid size-[17px] shrink-0 place-items-center rounded-full border ${p.checked ? 'border-teal bg-teal text-on-ink' : 'border-ink-3 text-transparent'}`}
                role="checkbox"
                aria-checked={p.checked}
                aria-label={`Phrase ${i + 1} checked`}
                title={p.checked ? 'Checked' : 'To do'}
                onClick={() =>
                  setPhrases(`Phrase ${i + 1} ${p.checked ? 'to do' : 'checked'}`, list =>
                    setPhrase(list, i, { checked: !p.checked }),
                  )
                }
              >
                <Check size={11} strokeWidth={3} aria-hidden />
              </button>
            </li>
          );
        })}
      </ol>
    </>
  );
}
