import {
  Combobox,
  ComboboxInput,
  ComboboxOption,
  ComboboxOptions,
  Dialog,
  DialogBackdrop,
  DialogPanel,
} from '@headlessui/react';
import { useState } from 'react';
import type { Action } from './commands';
import { shown } from './keys';

interface CommandListProps {
  actions: Action[];
  /** Of other desks: found by searching only. */
  elsewhere: Action[];
  open: boolean;
  onClose: () => void;
}

/** Every action, searchable, with its key. */
export function CommandList({ actions, elsewhere, open, onClose }: CommandListProps) {
  const [query, setQuery] = useState('');
  const words = query.toLowerCase().split(/\s+/).filter(Boolean);
  const all = words.length ? [...actions, ...elsewhere] : actions;
  const found = all.filter(a => words.every(w => `${a.name} ${a.group}`.toLowerCase().includes(w)));
  const close = () => {
    setQuery('');
    onClose();
  };
  return (
    <Dialog open={open} onClose={close} className="relative z-30">
      <DialogBackdrop className="fixed inset-0 bg-ink/25" />
      <div className="fixed inset-0 flex justify-center p-6 pt-[12vh]">
        <DialogPanel className="h-fit w-full max-w-lg overflow-hidden rounded-xl border border-rule bg-card shadow-xl">
          <Combobox
            immediate
            onChange={(a: Action | null) => {
              if (!a) return;
              close();
              setTimeout(a.run);
            }}
          >
            <ComboboxInput
              autoFocus
              aria-label="Search the commands"
              placeholder="What do you want to do?"
              className="w-full border-b border-rule bg-transparent px-4 py-3 text-[15px] outline-none focus-visible:outline-none placeholder:text-ink-3"
              onChange={e => setQuery(e.target.value)}
              onKeyDown={e => e.key === 'Escape' && close()}
            />
            <ComboboxOptions static className="max-h-[52vh] overflow-auto p-1.5">
              {found.map(a => (
                <ComboboxOption
                  key={a.id}
                  value={a}
                  className="flex items-center gap-3 rounded-lg px-3 py-1.5 data-focus:bg-teal-soft"
                >
                  <span className="w-16 shrink-0 text-[11px] text-ink-2">{a.group}</span>
                  <span className="flex-1">{a.name}</span>
                  {a.keys.length > 0 && <kbd>{shown(a.keys[0])}</kbd>}
                </ComboboxOption>
              ))}
              {!found.length && <p className="px-3 py-4 text-ink-2">Nothing by that name.</p>}
            </ComboboxOptions>
          </Combobox>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
