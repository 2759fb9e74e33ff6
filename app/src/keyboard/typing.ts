/** Whether keys go into a field that is typed into, so that they mean nothing else; a fader is none. */
export const isTyping = (e: KeyboardEvent): boolean =>
  (e.target as HTMLElement).matches('input:not([type="range"]), textarea');
