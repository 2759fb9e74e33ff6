import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';

test('the machine code that ships is what its source compiles to', () => {
  const root = join(__dirname, '../../..');
  const compiled = execFileSync(process.execPath, ['scripts/wasm.mjs', '--print'], { cwd: root, encoding: 'utf8' });
  expect(compiled).toBe(readFileSync(join(__dirname, 'transform-code.ts'), 'utf8'));
});
