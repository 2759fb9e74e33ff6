import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { ChevronDown, X } from 'lucide-react';
import { memo, useState } from 'react';
import { hearHeld } from '../../commands/hard';
import { act, useParts } from '../../open-song';
import { forgetStart, keepStart, ownStarts, valuesOf } from './own-starts';
import { beginWith, firmerWhenShort, STARTS } from './starts';

const item = 'flex w-full flex-col rounded px-2 py-1 text-left data-focus:bg-teal-soft';

/** Where to start from: how much of everything is corrected. The user's own among them. */
export const StartChoice = memo(function StartChoice({ disabled }: { disabled: boolean }) {
  const [name, setName] = useState('');
  return (
    <div className="flex gap-1.5">
      <Menu>
        <MenuButton className="btn min-w-0 flex-1 !px-2" disabled={disabled}>
          Starting points <ChevronDown size={13} aria-hidden />
        </MenuButton>
        <MenuItems
          anchor="bottom end"
          className="z-20 w-64 rounded-lg border border-rule bg-card p-1 shadow-lg focus:outline-none"
        >
          {STARTS.map(s => (
            <MenuItem key={s.id}>
              <button className={item} onClick={() => beginWith(s)}>
                {s.name}
                <span className="text-[11.5px] text-ink-2">{s.about}</span>
              </button>
            </MenuItem>
          ))}
          <MenuItem>
            <button className={`${item} border-t border-rule-soft`} onClick={firmerWhenShort}>
              Short notes firmer
              <span className="text-[11.5px] text-ink-2">Aim 100 % up to 150 ms, down to 70 % from 600 ms on</span>
            </button>
          </MenuItem>
          <OwnStarts />
          <form
            className="mt-1 flex gap-1 border-t border-rule-soft px-1 pt-1.5"
            onSubmit={e => {
              e.preventDefault();
              if (keepStart(name)) setName('');
            }}
            onKeyDown={e => e.key !== 'Escape' && e.stopPropagation()}
          >
            <input
              className="min-w-0 flex-1 rounded border border-rule bg-card px-1.5"
              placeholder="Keep these values as …"
              aria-label="Name of a starting point"
              value={name}
              maxLength={60}
              onChange={e => setName(e.target.value)}
            />
            <button className="btn !px-2 !py-0.5" disabled={!name.trim()}>
              Keep
            </button>
          </form>
        </MenuItems>
      </Menu>
      <button
        className="btn shrink-0 !px-2"
        disabled={disabled}
        onPointerDown={e => {
          e.currentTarget.setPointerCapture(e.pointerId);
          hearHeld('hard');
        }}
        onPointerUp={() => hearHeld(null)}
        onPointerCancel={() => hearHeld(null)}
        title="Held, every note sounds straight on its step; Alt V: what is chosen as it was sung. Nothing is changed"
      >
        Hard <kbd>V</kbd>
      </button>
    </div>
  );
});

/** The user's own; looked up when the menu is open. */
function OwnStarts() {
  return ownStarts(useParts('history')).map((s, i) => (
    <MenuItem key={s.name}>
      <span className={`flex items-center ${i ? '' : 'border-t border-rule-soft'}`}>
        <button className={item} onClick={() => act('shape', valuesOf(s), { label: `Start: ${s.name}` })}>
          {s.name}
          <span className="text-[11.5px] text-ink-2">
            Aim {s.aim} %, Wander {s.wander} %, Vibrato {s.vibrato} %
          </span>
        </button>
        <button className="pill icon" aria-label={`Forget ${s.name}`} onClick={() => forgetStart(s.name)}>
          <X size={12} />
        </button>
      </span>
    </MenuItem>
  ));
}
