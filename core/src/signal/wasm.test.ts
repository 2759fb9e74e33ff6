import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';

test('the machine code that ships is what its sources compile to', () => {
  const root = join(__dirname, '../../..');
  const compiled = execFileSync(process.execPath, ['scripts/wasm.mjs', '--print'], { cwd: root, encoding: 'utf8' });
  const ships = ['transform', 'single'].map(name => readFileSync(join(__dirname, `${name}-code.ts`), 'utf8'));
  expect(compiled).toBe(ships.join(''));
});
