// The steps behind npm start, npm test and npm run bench. Plain Node, so that they run before anything is installed.
import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = dirname(dirname(fileURLToPath(import.meta.url)));
const cache = join(root, '.cache');
export const demoFolder = join(root, 'demo/.cache');
export const tsx = join(root, 'node_modules/.bin/tsx');

const [major, minor] = process.versions.node.split('.').map(Number);
if (major < 20 || (major === 20 && minor < 19)) {
  console.error(`Essim needs Node.js 20.19 or newer; this is ${process.versions.node}.`);
  process.exit(1);
}

/** Runs a command in the project's root, its output as it comes; resolves with the exit code. */
export function run(command, args, options = {}) {
  return new Promise(resolve => {
    const child = spawn(command, args, { cwd: root, stdio: 'inherit', ...options });
    child.on('error', error => {
      console.error(String(error));
      resolve(1);
    });
    child.on('close', code => resolve(code ?? 1));
  });
}

const stampOf = name => {
  const file = join(cache, name);
  return existsSync(file) ? readFileSync(file, 'utf8') : '';
};
const stamp = (name, value) => {
  mkdirSync(cache, { recursive: true });
  writeFileSync(join(cache, name), value);
};

/** A hash over names, sizes and contents of the files below some folders. */
function hashOf(...folders) {
  const hash = createHash('sha1');
  const visit = path => {
    if (/node_modules|[/\\]dist$|\.cache|\.test\.tsx?$/.test(path)) return;
    const info = statSync(path);
    if (info.isDirectory()) for (const name of readdirSync(path).sort()) visit(join(path, name));
    else hash.update(path.slice(root.length)).update(readFileSync(path));
  };
  for (const folder of folders) visit(join(root, folder));
  return hash.digest('hex');
}

/** Installs the packages when the lock file is not the installed one. */
export async function install() {
  const wanted = createHash('sha1')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  if (stampOf('installed') === wanted && existsSync(tsx)) return;
  console.log('Installing packages…');
  const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm';
  const code = await run(npm, ['ci', '--no-audit', '--no-fund', '--loglevel=error'], {
    env: { ...process.env, NODE_ENV: 'development' },
  });
  if (code) {
    console.error('The packages could not be installed; see above.');
    process.exit(1);
  }
  stamp('installed', wanted);
}

/** Makes the demo song's files when they are not those of the present singer; two processes share the work. */
export async function makeDemo() {
  const wanted = hashOf('demo/src', 'core/src/signal', 'core/src/units', 'core/src/files');
  if (stampOf('demo') === wanted && existsSync(join(demoFolder, 'song.json'))) return;
  console.log('Singing the demo song…');
  const make = (...names) => run(tsx, ['demo/src/make.ts', demoFolder, ...names]);
  const codes = await Promise.all([make('lead,double,harmony'), make('lead-b,lead-c,backing,chord')]);
  codes.push(await make());
  if (codes.some(Boolean)) {
    console.error('The demo song could not be made; see above.');
    process.exit(1);
  }
  stamp('demo', wanted);
}

/** Builds the app when its sources have changed. */
export async function build() {
  const wanted = hashOf('app', 'core/src', 'package-lock.json');
  if (stampOf('built') === wanted && existsSync(join(root, 'app/dist/index.html'))) return;
  console.log('Building…');
  const vite = join(
    root,
    existsSync(join(root, 'node_modules/.bin/vite')) ? 'node_modules/.bin/vite' : 'app/node_modules/.bin/vite',
  );
  const code = await run(vite, ['build', 'app', '--logLevel', 'warn']);
  if (code) {
    console.error('The app could not be built; see above.');
    process.exit(1);
  }
  stamp('built', wanted);
}

/** Compiles the command line into .cache/cli: whole or not at all, for several may be called at once. @returns an exit code */
export async function buildCli() {
  const { build: bundle } = await import('esbuild');
  const fresh = join(cache, `cli-${process.pid}`);
  const place = join(cache, 'cli');
  try {
    await bundle({
      entryPoints: [join(root, 'cli/src/main.ts')],
      outdir: fresh,
      bundle: true,
      splitting: true,
      format: 'esm',
      platform: 'node',
      // packages in the form of which what is not used falls away
      mainFields: ['module', 'main'],
      target: 'node20',
      minifyWhitespace: true,
      minifySyntax: true,
      tsconfig: join(root, 'tsconfig.json'),
      logLevel: 'error',
      // reads machine code from beside itself
      external: ['libflacjs'],
      // what packages of the older kind ask for
      banner: {
        js: "import{createRequire as __r}from'node:module';import{fileURLToPath as __f}from'node:url';import{dirname as __d}from'node:path';const require=__r(import.meta.url),__filename=__f(import.meta.url),__dirname=__d(__filename);",
      },
    });
    writeFileSync(join(fresh, 'package.json'), '{"type":"module"}');
    rmSync(place, { recursive: true, force: true });
    renameSync(fresh, place);
    return 0;
  } catch (error) {
    rmSync(fresh, { recursive: true, force: true });
    if (existsSync(join(place, 'main.js'))) return 0;
    console.error(`The command line could not be compiled: ${error.message}`);
    return 1;
  }
}

const CHROMIUMS = [process.env.CHROMIUM, '/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'];

/** The path of a Chromium, installed from Debian's packages when there is none; null with a message when that cannot be done. */
export async function chromium() {
  const find = () => CHROMIUMS.find(p => p && existsSync(p));
  if (find()) return find();
  const isRoot = process.getuid?.() === 0;
  if (isRoot && spawnSync('apt-get', ['--version']).status === 0) {
    console.log('Installing Chromium…');
    const apt = (...args) =>
      run('apt-get', args, {
        stdio: ['ignore', 'ignore', 'inherit'],
        env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
      });
    await apt('update', '-qq');
    await apt('install', '-y', '-qq', '--no-install-recommends', 'chromium');
    if (find()) return find();
  }
  console.error(
    'The end-to-end tests need Chromium. Install it (Debian: apt-get install chromium) or set CHROMIUM to its path.',
  );
  return null;
}
