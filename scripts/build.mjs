// npm run build: everything npm start needs, without serving.
import { build, install, makeDemo } from './steps.mjs';

await install();
await Promise.all([build(), makeDemo()]);
