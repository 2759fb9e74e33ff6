import { spawn, type ChildProcess } from 'node:child_process';
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
