import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from '@headlessui/react';
import { useRef, useState } from 'react';
import { toast } from 'sonner';
import { DESKS, type DeskId } from '../desks/desks';
import { download } from '../exchange/download';
import type { Action } from './commands';
import { DESK_HELP } from './desk-help';
import { FileButton } from './FileButton';
import { pressed, shown } from './keys';
import {
  asItCame,
  giveKey,
  mayBeGiven,
  ownerOf,
  readShortcuts,
  shortcutsFile,
  takeKey,
  useShortcuts,
  withOwnKeys,
} from './shortcuts';

interface HelpProps {
  desk: DeskId;
  /** As they came, without keys of the user's own. */
  actions: readonly Action[];
  open: boolean;
  onClose: () => void;
}

/** A page for the desk that is open: what hands do there, every command and its key; keys are changed where they stand. */
export function HelpDialog({ desk, actions, open, onClose }: HelpProps) {
  return (
    <Dialog open={open} onClose={onClose} className="relative z-30">
      <DialogBackdrop className="fixed inset-0 bg-ink/25" />
      <div className="fixed inset-0 flex justify-center p-6 pt-[6vh]">
        <DialogPanel className="flex h-fit max-h-[84vh] w-full max-w-2xl flex-col overflow-hidden rounded-xl border border-rule bg-card shadow-xl">
          {open && <Page desk={desk} actions={actions} onClose={onClose} />}
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function Page({ desk, actions, onClose }: Omit<HelpProps, 'open'>) {
  const { name, about } = DESKS.find(d => d.id === desk) ?? DESKS[2];
  const { own } = useShortcuts();
  const [query, setQuery] = useState('');
  const words = query.toLowerCase().split(/\s+/).filter(Boolean);
  const found = withOwnKeys(actions, own).filter(a =>
    words.every(w => `${a.name} ${a.group} ${a.keys.join(' ')}`.toLowerCase().includes(w)),
  );
  const groups = [...new Set(found.map(a => a.group))];
  const read = (chosen: File) =>
    chosen
      .text()
      .then(readShortcuts)
      .catch((error: unknown) => {
        toast.error(`${chosen.name}: ${error instanceof Error ? error.message : String(error)}.`);
      });
  return (
    <>
      <div className="border-b border-rule px-5 py-4">
        <DialogTitle className="text-[17px] font-semibold tracking-tight">{name}</DialogTitle>
        <p className="mt-0.5 text-ink-2">{about}</p>
        <ul className="mt-2 list-disc pl-5 text-ink-2">
          {DESK_HELP[desk].map(line => (
            <li key={line}>{line}</li>
          ))}
        </ul>
      </div>
      <div className="flex items-center gap-2 border-b border-rule px-5 py-2">
        <input
          className="min-w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1.5"
          aria-label="Search commands and keys"
          placeholder="Search commands and keys"
          value={query}
          onChange={e => setQuery(e.target.value)}
        />
        <button className="pill" onClick={() => download('Essim shortcuts.json', new Blob([shortcutsFile()]))}>
          Write keys to a file
        </button>
        <FileButton className="pill" accept=".json" label="File of shortcuts" onFile={read}>
          Read
        </FileButton>
        <button className="pill" disabled={!Object.keys(own).length} onClick={() => asItCame()}>
          All as they came
        </button>
      </div>
      <div className="overflow-auto px-5 py-2" data-testid="help-commands">
        {groups.map(group => (
          <section key={group} aria-label={group}>
            <h3 className="mt-2 mb-1 text-[11px] font-semibold text-ink-2">{group}</h3>
            <ul>
              {found
                .filter(a => a.group === group)
                .map(a => (
                  <li key={a.id} className="flex items-center gap-3 py-0.5">
                    <span className="flex-1">{a.name}</span>
                    <KeyOf action={a} all={actions} changed={a.id in own} />
                  </li>
                ))}
            </ul>
          </section>
        ))}
        {!found.length && <p className="py-4 text-ink-2">Nothing by that name.</p>}
      </div>
      <div className="flex items-center justify-between border-t border-rule px-5 py-2.5 text-ink-2">
        <p>Click a key and press another to change it. Delete takes it away.</p>
        <button className="btn" onClick={onClose}>
          Close
        </button>
      </div>
    </>
  );
}

/** An action's key: clicked it waits for another. Says whose it is already. */
function KeyOf({ action, all, changed }: { action: Action; all: readonly Action[]; changed: boolean }) {
  const [waiting, setWaiting] = useState(false);
  const [conflict, setConflict] = useState<{ key: string; owner: string } | null>(null);
  const button = useRef<HTMLButtonElement>(null);
  const settled = () => {
    setConflict(null);
    setWaiting(false);
    requestAnimationFrame(() => button.current?.focus());
  };
  const given = (key: string) => {
    giveKey(action.id, key);
    settled();
  };
  if (conflict)
    return (
      <span className="flex items-center gap-1.5 text-[11.5px] text-amber" role="alert">
        {shown(conflict.key)} is “{conflict.owner}”
        <button className="pill" autoFocus onClick={() => given(conflict.key)}>
          Take it
        </button>
        <button className="pill" onClick={settled}>
          Leave it
        </button>
      </span>
    );
  return (
    <span className="flex items-center gap-1.5">
      {changed && (
        <button className="text-[11px] font-semibold text-teal" onClick={() => asItCame(action.id)}>
          as it came
        </button>
      )}
      <button
        ref={button}
        className={`min-w-14 rounded border px-1.5 py-0.5 text-center text-[11.5px] ${waiting ? 'border-teal text-teal' : 'border-rule text-ink-2'}`}
        aria-label={`Key of ${action.name}: ${action.keys.map(shown).join(' or ') || 'none'}`}
        onClick={() => setWaiting(true)}
        onBlur={() => setWaiting(false)}
        onKeyDown={e => {
          if (!waiting) return;
          e.preventDefault();
          e.stopPropagation();
          const key = pressed(e.nativeEvent);
          if (e.key === 'Escape') return setWaiting(false);
          if (e.key === 'Delete' || e.key === 'Backspace') {
            takeKey(action.id);
            return setWaiting(false);
          }
          if (!mayBeGiven(key)) return;
          const owner = ownerOf(all, key, action.id);
          setWaiting(false);
          if (owner) setConflict({ key, owner: owner.name });
          else given(key);
        }}
      >
        {waiting ? 'press…' : action.keys.length ? action.keys.map(shown).join(' · ') : '–'}
      </button>
    </span>
  );
}
