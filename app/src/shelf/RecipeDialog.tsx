import { counted, type Values } from '@essim/core';
import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from '@headlessui/react';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { closeRecipe, followInSongs, stopRecipe, useRecipes } from '../exchange/recipes';

/** Values of a step in short: "wander 60". */
const told = (args: Values): string =>
  Object.entries(args)
    .map(([name, v]) => `${name} ${(typeof v === 'object' && v) || String(v).startsWith('data:') ? '…' : String(v)}`)
    .join(', ');

/** A recipe: what it does, in which songs, and what came of it. */
export function RecipeDialog({ songs }: { songs: readonly { id: string; name: string }[] }) {
  const { file, recipe, rows, running } = useRecipes();
  const queries = useQueryClient();
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const chosen = songs.filter(s => !left.has(s.id));
  const follow = async () => {
    await followInSongs(chosen);
    await queries.invalidateQueries({ queryKey: ['songs'] });
  };
  const close = () => {
    setLeft(new Set());
    closeRecipe();
  };
  const toggle = (id: string) =>
    setLeft(now => {
      const next = new Set(now);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  return (
    <Dialog open={!!recipe} onClose={close} className="relative z-30">
      <DialogBackdrop className="fixed inset-0 bg-ink/25" />
      <div className="fixed inset-0 flex items-center justify-center p-6">
        <DialogPanel
          className="flex max-h-full w-full max-w-xl flex-col rounded-xl border border-rule bg-card p-5 shadow-xl"
          data-testid="recipe"
        >
          <DialogTitle className="text-lg font-semibold">Follow a recipe</DialogTitle>
          <p className="mt-1 text-ink-2">
            {file}: {counted(recipe?.length ?? 0, 'step')}. Each becomes an undo step of its song; a song in which one
            cannot be done stays as it is.
          </p>
          <ol className="mt-2 max-h-40 list-decimal overflow-auto rounded-lg border border-rule-soft py-2 pr-3 pl-8">
            {recipe?.map(({ intent, on, args }, i) => (
              <li key={i}>
                {intent.title}
                {told(args) && <span> {told(args)}</span>}
                {on.tracks && <span className="text-ink-2"> · {on.tracks.join(', ')}</span>}
              </li>
            ))}
          </ol>
          <ul className="mt-3 min-h-0 flex-1 divide-y divide-rule-soft overflow-auto" aria-live="polite">
            {rows.length
              ? rows.map(r => (
                  <li key={r.songId} className="flex gap-3 py-1.5" data-testid={`recipe-${r.name}`}>
                    <b className="min-w-0 flex-1 truncate font-semibold">{r.name}</b>
                    <span className={r.status === 'failed' ? 'text-amber' : 'text-ink-2'}>
                      {r.status === 'following'
                        ? `step ${Math.min(r.step + 1, recipe?.length ?? 0)} of ${recipe?.length}`
                        : r.status === 'waiting'
                          ? 'waiting'
                          : `${r.status === 'done' ? 'done' : 'unchanged'} · ${r.told}`}
                    </span>
                  </li>
                ))
              : songs.map(s => (
                  <li key={s.id} className="py-1.5">
                    <label className="flex items-center gap-2">
                      <input type="checkbox" checked={!left.has(s.id)} onChange={() => toggle(s.id)} />
                      <span className="truncate">{s.name}</span>
                    </label>
                  </li>
                ))}
          </ul>
          <div className="mt-4 flex justify-end gap-2">
            {running ? (
              <button className="btn" onClick={stopRecipe}>
                Stop
              </button>
            ) : (
              <button className="btn" onClick={close}>
                Close
              </button>
            )}
            {!rows.length && (
              <button className="btn btn-ink" disabled={!chosen.length} onClick={() => void follow()}>
                Follow in {counted(chosen.length, 'song')}
              </button>
            )}
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
