import { essim } from './essim';

void essim(process.argv).then(wrong => {
  if (wrong === null) return;
  process.stderr.write(`essim: ${wrong}\n`);
  process.exitCode = 1;
});
