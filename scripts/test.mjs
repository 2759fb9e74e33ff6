// npm test: installs what is missing, then types, lint, layers, unit tests, end-to-end tests. The last line says what passed.
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build, chromium, install, makeDemo, root } from './steps.mjs';

const bin = name => join(root, 'node_modules/.bin', name);
const results = { passed: 0, failed: 0 };

/** Runs a command; its output is shown at the end if it fails, or as it comes when live. */
function attempt(command, args, { live = false, env = {} } = {}) {
  return new Promise(resolve => {
    const child = spawn(command, args, {
      cwd: root,
      env: { ...process.env, FORCE_COLOR: '0', ...env },
      stdio: ['ignore', live ? 'inherit' : 'pipe', live ? 'inherit' : 'pipe'],
    });
    let output = '';
    child.stdout?.on('data', d => (output += d));
    child.stderr?.on('data', d => (output += d));
    child.on('error', error => resolve({ code: 1, output: String(error) }));
    child.on('close', code => resolve({ code: code ?? 1, output }));
  });
}

async function check(name, command, ...args) {
  const { code, output } = await attempt(bin(command), args);
  console.log(`${code ? 'FAIL' : 'ok  '} ${name}`);
  if (code) console.log(output);
  results[code ? 'failed' : 'passed']++;
}

/** Runs a Jest project and adds its counts; a run that tells no counts is one failure. */
async function jest(name, ...args) {
  const folder = mkdtempSync(join(tmpdir(), 'essim-test-'));
  const file = join(folder, 'result.json');
  const { code } = await attempt(bin('jest'), [...args, '--json', `--outputFile=${file}`], {
    live: true,
    env: { NODE_NO_WARNINGS: '1' },
  });
  try {
    const { numPassedTests, numFailedTests, numRuntimeErrorTestSuites } = JSON.parse(readFileSync(file, 'utf8'));
    results.passed += numPassedTests;
    results.failed += numFailedTests + numRuntimeErrorTestSuites;
    if (code && !numFailedTests && !numRuntimeErrorTestSuites) results.failed++;
    if (!numPassedTests && !numFailedTests) results.failed++;
  } catch {
    console.log(`${name} did not run to its end`);
    results.failed++;
  }
  rmSync(folder, { recursive: true, force: true });
}

await install();
await Promise.all([build(), makeDemo()]);
await Promise.all([
  check('types', 'tsc', '-p', 'tsconfig.json').then(() =>
    check('types of the core, without any platform', 'tsc', '-p', 'core/tsconfig.json'),
  ),
  check('lint', 'eslint', '.', '--max-warnings', '0').then(() =>
    check('format', 'prettier', '--check', '.', '--log-level', 'warn'),
  ),
]);
await check(
  'layers',
  'depcruise',
  '--config',
  '.dependency-cruiser.cjs',
  'core',
  'app',
  'server',
  'cli',
  'demo',
  'bench',
  'e2e',
  '--output-type',
  'err',
);
await jest('unit tests');
const browser = chromium();
if (browser) {
  process.env.CHROMIUM = browser;
  await jest('end-to-end tests', '--config', 'e2e/jest.config.cjs');
} else results.failed++;
console.log(`${results.passed} passed, ${results.failed} failed`);
process.exit(results.failed ? 1 : 0);
