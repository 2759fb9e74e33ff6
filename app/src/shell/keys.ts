const NAMES: Record<string, string> = { ArrowUp: '↑', ArrowDown: '↓', ArrowLeft: '←', ArrowRight: '→', Escape: 'Esc' };

/** Name of a key press as actions write it: "Ctrl+Shift+Z". */
export function pressed(e: KeyboardEvent): string {
  const key = e.key === ' ' ? 'Space' : e.key.length === 1 ? e.key.toUpperCase() : e.key;
  const shifted = e.shiftKey && (key.length > 1 || /[a-z]/i.test(e.key));
  return `${e.ctrlKey || e.metaKey ? 'Ctrl+' : ''}${e.altKey ? 'Alt+' : ''}${shifted ? 'Shift+' : ''}${key}`;
}

/** Keys as shown to people. */
export const shown = (keys: string): string =>
  keys
    .split(/\+(?=.)/)
    .map(k => NAMES[k] ?? k)
    .join(' ');
