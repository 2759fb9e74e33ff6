import { useEffect, useRef } from 'react';
import { closeMenu, useMenu } from '../field/menu';
import type { Action } from './commands';
import { shown } from './keys';

/** What everybody's notes and the song can have done to them, beside what the desk lists. */
const ON_NOTE = ['play', 'sound', 'alike-name', 'zoom-selection', 'none'];
const ELSEWHERE = ['play', 'loop', 'all', 'zoom-phrase', 'zoom-song', 'zoom-back'];

interface FieldMenuProps {
  actions: readonly Action[];
  /** What the desk offers on a note, by the ids of its actions. */
  own: readonly string[];
}

/** The commands for what lies where the other button was pressed. */
export function FieldMenu({ actions, own }: FieldMenuProps) {
  const open = useMenu(s => s.open);
  const list = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (open) list.current?.querySelector('button')?.focus();
  }, [open]);
  useEffect(() => closeMenu, []);
  if (!open) return null;
  const ids = open.onNote ? [...own, ...ON_NOTE] : ELSEWHERE;
  const found = ids.flatMap(id => actions.find(a => a.id === id) ?? []);
  const step = (by: number) => {
    const buttons = [...(list.current?.querySelectorAll('button') ?? [])];
    const at = buttons.indexOf(document.activeElement as HTMLButtonElement);
    buttons[(at + by + buttons.length) % buttons.length]?.focus();
  };
  const height = 30 * found.length + 10;
  const left = Math.min(open.x, window.innerWidth - 330);
  const top = Math.max(4, Math.min(open.y, window.innerHeight - height - 8));
  return (
    <div
      className="fixed inset-0 z-30"
      onPointerDown={e => e.target === e.currentTarget && closeMenu()}
      onContextMenu={e => e.preventDefault()}
    >
      <div
        ref={list}
        role="menu"
        aria-label="What can be done here"
        className="absolute w-80 rounded-lg border border-rule bg-card p-1 shadow-lg"
        style={{ left, top }}
        onKeyDown={e => {
          const keys: Record<string, () => void> = {
            ArrowDown: () => step(1),
            ArrowUp: () => step(-1),
            Escape: closeMenu,
            Tab: closeMenu,
          };
          e.stopPropagation();
          if (!keys[e.key]) return;
          e.preventDefault();
          keys[e.key]();
        }}
      >
        {found.map(a => (
          <button
            key={a.id}
            role="menuitem"
            className="flex w-full items-center gap-2 rounded px-2 py-1 text-left hover:bg-teal-soft focus:bg-teal-soft focus:outline-none"
            onClick={() => {
              closeMenu();
              a.run();
            }}
          >
            <span className="truncate">{a.name}</span>
            {a.keys[0] && <kbd className="ml-auto">{shown(a.keys[0])}</kbd>}
          </button>
        ))}
      </div>
    </div>
  );
}
