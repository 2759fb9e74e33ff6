import { essim } from './essim';

const wrong = await essim(process.argv);
if (wrong !== null) {
  process.stderr.write(`essim: ${wrong}\n`);
  process.exit(1);
}
