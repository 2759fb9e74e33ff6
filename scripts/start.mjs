// npm start: installs what is missing, builds, makes the demo song, serves.
import { build, install, makeDemo, run, tsx } from './steps.mjs';

await install();
await Promise.all([build(), makeDemo()]);
const stop = signal => process.on(signal, () => {});
stop('SIGINT');
stop('SIGTERM');
process.exit(await run(tsx, ['server/src/main.ts']));
