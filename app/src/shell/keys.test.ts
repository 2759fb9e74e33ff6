/** Names of key presses, without a page. */
import { pressed, shown } from './keys';

const press = (
  key: string,
  mods: Partial<{ ctrlKey: boolean; shiftKey: boolean; altKey: boolean; metaKey: boolean }> = {},
) => pressed({ key, ctrlKey: false, shiftKey: false, altKey: false, metaKey: false, ...mods } as KeyboardEvent);

describe('keys', () => {
  it('are named as actions write them', () => {
    expect(press('s')).toBe('S');
    expect(press(' ')).toBe('Space');
    expect(press('z', { ctrlKey: true })).toBe('Ctrl+Z');
    expect(press('Z', { ctrlKey: true, shiftKey: true })).toBe('Ctrl+Shift+Z');
    expect(press('z', { metaKey: true })).toBe('Ctrl+Z');
    expect(press('ArrowUp', { shiftKey: true })).toBe('Shift+ArrowUp');
    expect(press('+', { shiftKey: true })).toBe('+');
  });

  it('are shown in short', () => {
    expect(shown('Ctrl+ArrowUp')).toBe('Ctrl ↑');
    expect(shown('Escape')).toBe('Esc');
    expect(shown('+')).toBe('+');
    expect(shown('Ctrl+Shift+Z')).toBe('Ctrl Shift Z');
  });
});
