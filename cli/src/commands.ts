import { boundsOf, describedIntents } from '@essim/core';

export interface CommandsOptions {
  json?: boolean;
}

/** Every command a recipe may name. */
export function commandsCommand({ json }: CommandsOptions): void {
  const all = describedIntents();
  if (json) {
    process.stdout.write(`${JSON.stringify({ commands: all }, null, 1)}\n`);
    return;
  }
  for (const { name, about, on, args } of all) {
    process.stdout.write(`${name}  (on ${on})  ${about}\n`);
    for (const a of args) process.stdout.write(`    ${a.name}${a.required ? '' : '?'}  ${boundsOf(a)}  ${a.about}\n`);
  }
}
