// npm run bench: accuracy, sound and speed on the made-up singer.
import { install, makeDemo, run, tsx } from './steps.mjs';

await install();
await makeDemo();
process.exit(await run(tsx, ['bench/src/main.ts', ...process.argv.slice(2)]));
