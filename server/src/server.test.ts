import { spawn, type ChildProcess } from 'node:child_process';
import { request } from 'node:http';
import { createServer } from 'node:net';
import { join } from 'node:path';

const root = join(__dirname, '../..');
const start = (port: string) =>
  spawn(join(root, 'node_modules/.bin/tsx'), ['server/src/main.ts'], {
    cwd: root,
    env: { ...process.env, PORT: port },
  });
const firstOutput = (child: ChildProcess) =>
  new Promise<{ text: string; error: boolean }>(resolve => {
    child.stdout!.once('data', d => resolve({ text: String(d), error: false }));
    child.stderr!.once('data', d => resolve({ text: String(d), error: true }));
  });
const ended = (child: ChildProcess) => new Promise<number | null>(resolve => child.once('exit', resolve));

describe('the server', () => {
  let child: ChildProcess;
  let address = '';
  beforeAll(async () => {
    child = start('0');
    address = /http:\/\/\S+/.exec((await firstOutput(child)).text)![0];
  }, 30000);
  afterAll(() => void child.kill());

  it('serves the app on every song address, with the headers that allow shared memory', async () => {
    for (const path of ['/', '/song/ferry-lamp/tune']) {
      const response = await fetch(address + path);
      expect(response.status).toBe(200);
      expect(response.headers.get('cross-origin-opener-policy')).toBe('same-origin');
      expect(response.headers.get('cross-origin-embedder-policy')).toBe('require-corp');
      expect(await response.text()).toContain('<div id="root">');
    }
  });

  it('compresses text and serves the demo', async () => {
    const script = /src="(\/assets\/[^"]+\.js)"/.exec(await (await fetch(address)).text())![1];
    expect((await fetch(address + script)).headers.get('content-encoding')).toMatch(/gzip|br/);
    const song = (await (await fetch(`${address}/demo/song.json`)).json()) as {
      name: string;
      tracks: { takes: object[] }[];
    };
    expect(song.name).toBe('Ferry Lamp');
    expect(song.tracks[0].takes).toHaveLength(3);
  });

  it('says not found, and gives nothing else away', async () => {
    expect((await fetch(`${address}/demo/other.wav`)).status).toBe(404);
    expect((await fetch(`${address}/package.json`)).status).toBe(404);
    expect((await fetch(`${address}/demo/..%2f..%2fpackage.json`)).status).toBe(404);
  });

  it('refuses tricks with paths, and tells nothing of its inside', async () => {
    const { hostname, port } = new URL(address);
    const asked = (path: string, method = 'GET') =>
      new Promise<{ status: number; text: string }>((resolve, reject) => {
        // as it is written: nothing tidies the path on the way
        const req = request({ hostname, port, path, method }, res => {
          let text = '';
          res.on('data', d => (text += String(d)));
          res.on('end', () => resolve({ status: res.statusCode!, text }));
        });
        req.on('error', reject);
        req.end();
      });
    for (const path of [
      '/../package.json',
      '/demo/../../package.json',
      '/assets/../../../package.json',
      '/demo/%2e%2e/%2e%2e/package.json',
      '/demo/..%5c..%5cpackage.json',
      '/assets/..%c0%af..%c0%afpackage.json',
      '//etc/passwd',
      '/demo//etc/passwd',
      '/demo/song.json%00.wav',
      '/.git/config',
      '/assets/%',
      '/demo/%ff',
      `/demo/${'a/'.repeat(4000)}`,
    ]) {
      const { status, text } = await asked(path);
      expect([400, 403, 404, 414, 431]).toContain(status);
      expect(text).not.toMatch(/root:|"name"|node_modules|at \w+ \(|Error:/);
    }
    for (const method of ['POST', 'PUT', 'DELETE', 'PATCH']) expect((await asked('/', method)).status).toBe(404);
  });

  it('lets a page ask for a microphone and a keyboard, and runs no script but its own', async () => {
    const { headers } = await fetch(address);
    const allowed = headers.get('permissions-policy')!;
    expect(allowed).toContain('microphone=(self)');
    expect(allowed).toContain('midi=(self)');
    for (const other of ['camera', 'geolocation', 'usb']) expect(allowed).toContain(`${other}=()`);
    const policy = headers.get('content-security-policy')!;
    expect(/script-src ([^;]*)/.exec(policy)![1]).not.toMatch(/'unsafe-(inline|eval)'|https?:|\*/);
    expect(policy).toContain("object-src 'none'");
    expect(policy).toContain("frame-ancestors 'self'");
    expect(headers.get('x-content-type-options')).toBe('nosniff');
    expect(headers.get('x-powered-by')).toBeNull();
  });

  it('gives a clear error for a taken or impossible port', async () => {
    const holder = createServer();
    const port = await new Promise<number>(resolve =>
      holder.listen(0, () => resolve((holder.address() as { port: number }).port)),
    );
    const second = start(String(port));
    const end = ended(second);
    expect((await firstOutput(second)).text).toContain(`Port ${port} is taken`);
    expect(await end).toBe(1);
    holder.close();
    const third = start('many');
    expect((await firstOutput(third)).text).toContain('PORT must be a number');
  }, 30000);
});
