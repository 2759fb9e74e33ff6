import { setPhrase, type Phrase, type Remark } from '@essim/core';
import { useState } from 'react';
import { clock } from '../../field/draw/ground';
import { newId } from '../../keeping/ids';
import { player, seek } from '../../open-song';
import { setPhrases } from '../../commands/tracks';

const AUTHOR_KEY = 'essim.author';

/** What the client and the editor have to say about a phrase. */
export function Remarks({ index, phrase }: { index: number; phrase: Phrase }) {
  const [text, setText] = useState('');
  const [from, setFrom] = useState<Remark['from']>('client');
  const [author, setAuthor] = useState(() => localStorage.getItem(AUTHOR_KEY) ?? '');
  const put = (label: string, remarks: Remark[]) => setPhrases(label, list => setPhrase(list, index, { remarks }));
  const add = () => {
    if (!text.trim()) return;
    localStorage.setItem(AUTHOR_KEY, author);
    const at = player()?.position ?? phrase.start;
    const seconds = at >= phrase.start - 0.5 && at < phrase.end + 0.5 ? Math.round(at * 100) / 100 : phrase.start;
    const remark: Remark = { id: newId(), text: text.trim(), from, author: author.trim(), seconds };
    put(`Remark on phrase ${index + 1}`, [...phrase.remarks, remark]);
    setText('');
  };
  return (
    <section aria-label="Remarks">
      <h2 className="text-[11px] font-semibold text-ink-2">Remarks</h2>
      <ul className="mt-1 space-y-1">
        {phrase.remarks.map(r => (
          <li key={r.id} className={`rounded-lg px-2 py-1 ${r.done ? 'text-ink-2 line-through' : 'bg-amber-soft'}`}>
            <span className="flex items-baseline gap-1.5 text-[11px]">
              <button className="underline-offset-2 hover:underline" onClick={() => seek(r.seconds ?? phrase.start)}>
                {clock(r.seconds ?? phrase.start)}
              </button>
              <span className="flex-1">
                {r.from}
                {r.author ? `, ${r.author}` : ''}
              </span>
              <button
                className="underline-offset-2 hover:underline"
                onClick={() =>
                  put(
                    r.done ? 'Remark open again' : 'Remark done',
                    phrase.remarks.map(q => (q === r ? { ...q, done: !q.done } : q)),
                  )
                }
              >
                {r.done ? 'open' : 'done'}
              </button>
              <button
                aria-label="Delete the remark"
                onClick={() =>
                  put(
                    'Delete a remark',
                    phrase.remarks.filter(q => q !== r),
                  )
                }
              >
                ×
              </button>
            </span>
            {r.text}
          </li>
        ))}
      </ul>
      <form
        className="mt-1.5 flex flex-col gap-1"
        onSubmit={e => {
          e.preventDefault();
          add();
        }}
        onKeyDown={e => e.stopPropagation()}
      >
        <input
          className="rounded-lg border border-rule bg-card px-2 py-1"
          placeholder="What should be done here"
          aria-label="New remark"
          maxLength={2000}
          value={text}
          onChange={e => setText(e.target.value)}
        />
        <span className="flex gap-1">
          <select
            className="rounded-lg border border-rule bg-card px-1 py-1"
            aria-label="Whose remark"
            value={from}
            onChange={e => setFrom(e.target.value as Remark['from'])}
          >
            <option value="client">client</option>
            <option value="editor">editor</option>
          </select>
          <input
            className="min-w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1"
            placeholder="name"
            aria-label="Author of the remark"
            maxLength={100}
            value={author}
            onChange={e => setAuthor(e.target.value)}
          />
          <button className="btn" disabled={!text.trim()}>
            Add
          </button>
        </span>
      </form>
    </section>
  );
}
