// node scripts/build-cli.mjs: compiles the command line once, so that it starts at once.
import { buildCli } from './steps.mjs';

process.exit(await buildCli());
