/** Names of key presses, without a page. */
import { pressed, shown } from './keys';

const press = (
  key: string,
  mods: Partial<{ ctrlKey: boolean; shiftKey: boolean; altKey: boolean; metaKey: boolean }> = {},
) =>
  pressed({ code: '', key, ctrlKey: false, shiftKey: false, altKey: false, metaKey: false, ...mods } as KeyboardEvent);

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

  it('are taken by their place where what they write says nothing', () => {
    const at = (code: string, key: string, mods = {}) =>
      pressed({ code, key, ctrlKey: false, shiftKey: false, altKey: false, metaKey: false, ...mods } as KeyboardEvent);
    expect(at('Digit3', '#', { altKey: true, shiftKey: true })).toBe('Alt+Shift+3');
    expect(at('Digit2', 'é')).toBe('2');
    expect(at('Digit2', '2', { shiftKey: true })).toBe('2');
    expect(at('Digit7', '/', { shiftKey: true })).toBe('/');
    expect(at('BracketLeft', 'ü')).toBe('[');
    expect(at('BracketLeft', '[')).toBe('[');
  });

  it('are shown in short', () => {
    expect(shown('Ctrl+ArrowUp')).toBe('Ctrl ↑');
    expect(shown('Escape')).toBe('Esc');
    expect(shown('+')).toBe('+');
    expect(shown('Ctrl+Shift+Z')).toBe('Ctrl Shift Z');
  });
});
