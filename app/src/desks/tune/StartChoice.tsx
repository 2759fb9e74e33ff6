import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { ChevronDown } from 'lucide-react';
import { beginWith, firmerWhenShort, STARTS } from './starts';

const item = 'flex w-full flex-col rounded px-2 py-1 text-left data-focus:bg-teal-soft';

/** Where to start from: how much of everything is corrected. */
export function StartChoice({ disabled }: { disabled: boolean }) {
  return (
    <Menu>
      <MenuButton className="btn" disabled={disabled}>
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
      </MenuItems>
    </Menu>
  );
}
