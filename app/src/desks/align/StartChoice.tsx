import { usualAlign, type Track } from '@essim/core';
import { useState } from 'react';
import { toast } from 'sonner';
import { setAlign } from '../../commands/aligning';
import { forgetStart, keepStart, ownStarts, startOf, STARTS, valuesOf } from './starts';

/** Where a follower's faders begin: for doubles, harmonies, loose, close, or one of the user's own. */
export function StartChoice({ follower }: { follower: Track }) {
  const [own, setOwn] = useState(ownStarts);
  const [naming, setNaming] = useState<string | null>(null);
  const rule = follower.align ?? usualAlign;
  const all = [...STARTS, ...own];
  const now = startOf(rule, all);
  const isOwn = !!now && own.includes(now);
  const save = () => {
    if (!naming?.trim()) return setNaming(null);
    if (!keepStart(naming, rule)) toast('This browser keeps nothing, so it could not be saved.', { id: 'start' });
    setOwn(ownStarts());
    setNaming(null);
  };
  return (
    <div className="mb-1 flex items-center gap-1.5">
      {naming === null ? (
        <>
          <select
            className="min-w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1"
            aria-label="Starting point"
            value={now?.name ?? ''}
            onChange={e => {
              const start = all.find(s => s.name === e.target.value);
              if (start) setAlign(`${follower.name} follows: ${start.name.toLowerCase()}`, follower, valuesOf(start));
            }}
          >
            {!now && <option value="">its own way</option>}
            {all.map(s => (
              <option key={s.name} value={s.name}>
                {s.name}
              </option>
            ))}
          </select>
          {isOwn ? (
            <button
              className="pill"
              onClick={() => {
                forgetStart(now.name);
                setOwn(ownStarts());
              }}
            >
              Forget
            </button>
          ) : (
            <button className="pill" disabled={!!now} onClick={() => setNaming('')}>
              Keep…
            </button>
          )}
        </>
      ) : (
        <input
          className="min-w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1"
          aria-label="Name of the starting point"
          placeholder="Its name, then Enter"
          autoFocus
          value={naming}
          onChange={e => setNaming(e.target.value)}
          onKeyDown={e => {
            e.stopPropagation();
            if (e.key === 'Enter') save();
            if (e.key === 'Escape') setNaming(null);
          }}
          onBlur={save}
        />
      )}
    </div>
  );
}
