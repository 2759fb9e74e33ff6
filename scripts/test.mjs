// npm test: installs what is missing, then types, lint, layers, unit tests, end-to-end tests. The last line says what passed.
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build, chromium, install, makeDemo, root } from './steps.mjs';

const bin = name => join(root, 'node_modules/.bin', name);
/** The compiler that checks types; the layer check stands on an older one, and both call their command alike. */
const tsc = join(root, 'node_modules/typescript-native/bin/tsc');
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

const began = Date.now();
/** Tells what is done, and how long after the beginning. */
const tell = what => console.log(`${what} (after ${Math.round((Date.now() - began) / 1000)} s)`);

async function check(name, command, ...args) {
  const { code, output } = await attempt(command, args);
  tell(`${code ? 'FAIL' : 'ok  '} ${name}`);
  if (code) console.log(output);
  results[code ? 'failed' : 'passed']++;
}

/** Where the time of a run went. */
function tellSlowest({ testResults }, most = 12) {
  const took = testResults.flatMap(file =>
    file.assertionResults.map(({ title, duration }) => ({ title, s: duration / 1000 })),
  );
  took.sort((a, b) => b.s - a.s);
  console.log(['longest:', ...took.slice(0, most).map(({ title, s }) => `  ${s.toFixed(1)} s  ${title}`)].join('\n'));
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
    const result = JSON.parse(readFileSync(file, 'utf8'));
    const { numPassedTests, numFailedTests, numRuntimeErrorTestSuites } = result;
    results.passed += numPassedTests;
    results.failed += numFailedTests + numRuntimeErrorTestSuites;
    if (code && !numFailedTests && !numRuntimeErrorTestSuites) results.failed++;
    if (!numPassedTests && !numFailedTests) results.failed++;
    tellSlowest(result);
  } catch {
    console.log(`${name} did not run to its end`);
    results.failed++;
  }
  rmSync(folder, { recursive: true, force: true });
}

const browser = chromium();
await install();
tell('ok   packages');
await Promise.all([build(), makeDemo()]);
tell('ok   app and demo song');
await Promise.all([
  check('types', process.execPath, tsc, '-p', 'tsconfig.json').then(() =>
    check('types of the core, without any platform', process.execPath, tsc, '-p', 'core/tsconfig.json'),
  ),
  check('lint', bin('oxlint'), '--deny-warnings')
    .then(() => check('format', bin('oxfmt'), '--check', '.'))
    .then(() =>
      check(
        'layers',
        bin('depcruise'),
        ...['--config', '.dependency-cruiser.cjs', 'core', 'app', 'server', 'cli', 'demo', 'bench', 'e2e'],
        ...['--output-type', 'err'],
      ),
    ),
]);
await jest('unit tests');
tell('unit tests are done');
process.env.CHROMIUM = (await browser) ?? '';
if (process.env.CHROMIUM) {
  // one visit that has read the demo song serves both runs
  const kept = mkdtempSync(join(tmpdir(), 'essim-kept-'));
  process.env.ESSIM_KEPT_VISIT = kept;
  await jest('end-to-end tests', '--config', 'e2e/jest.config.cjs');
  tell('journeys side by side are done');
  await jest('end-to-end tests that listen', '--config', 'e2e/heard/jest.config.cjs');
  rmSync(kept, { recursive: true, force: true });
} else results.failed++;
tell('all is done');
console.log(`${results.passed} passed, ${results.failed} failed`);
process.exit(results.failed ? 1 : 0);
