import { spawn, type ChildProcess } from 'node:child_process';
import { cpSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import axe from 'axe-core';
import puppeteer, { type Browser, type ElementHandle, type Page } from 'puppeteer-core';
import type { Song } from '@essim/core';
import { layoutFor, xOf, yOf, type Viewport } from '../app/src/field/viewport';

export const root = join(__dirname, '..');
export const demoFolder = join(root, 'demo/.cache');

const CHROMIUM = [
  process.env.CHROMIUM,
  '/usr/bin/chromium',
  '/usr/bin/chromium-browser',
  '/usr/bin/google-chrome',
].find(p => p && existsSync(p));

/** One address wherever the server listens, for what a browser keeps belongs to an address, and journeys go side by side. */
const HOST = 'essim.localhost';
const ADDRESS = `http://${HOST}`;

const UNANSWERED_MS = 4000;

const STEPS: Record<string, number> = { C: 0, D: 2, E: 4, F: 5, G: 7, A: 9, B: 11 };
/** MIDI number of a shown note name. */
export function midiOf(name: string): number {
  const m = /^([A-G])([♯♭]?)(-?\d)/.exec(name)!;
  return STEPS[m[1]] + (m[2] === '♯' ? 1 : m[2] === '♭' ? -1 : 0) + 12 * (Number(m[3]) + 1);
}

/** A tab whose errors are noted. */
async function tabOf(browser: Browser, problems: string[]): Promise<Page> {
  const page = await browser.newPage();
  await page.setViewport({ width: 1280, height: 800 });
  page.on('pageerror', error => problems.push(error.message));
  page.on('console', message => message.type() === 'error' && problems.push(message.text()));
  return page;
}

/** The app as its users meet it: the real server and a fresh browser profile. */
export class Visit {
  private constructor(
    readonly address: string,
    readonly browser: Browser,
    /** The tab that is driven. */
    public page: Page,
    readonly downloads: string,
    private readonly server: ChildProcess,
    private readonly profile: string,
    readonly problems: string[],
  ) {}

  /** A visit by somebody who has had the demo song open before: its recordings are read. Made once a run, copied each time. */
  static again(args: string[] = []): Promise<Visit> {
    return Visit.begin(args, process.env.ESSIM_KEPT_VISIT);
  }

  /** @param args of the browser, beyond those every visit has @param from the profile a browser has kept of an earlier visit */
  static async begin(args: string[] = [], from?: string): Promise<Visit> {
    if (!CHROMIUM) throw new Error('no Chromium: install it or set CHROMIUM');
    const server = spawn(join(root, 'node_modules/.bin/tsx'), ['server/src/main.ts'], {
      cwd: root,
      env: { ...process.env, PORT: '0' },
    });
    const served = await new Promise<string>((resolve, reject) => {
      server.stdout.on('data', (data: Buffer) => {
        const found = /http:\/\/\S+/.exec(String(data));
        if (found) resolve(found[0]);
      });
      server.stderr.on('data', (data: Buffer) => reject(new Error(String(data))));
    });
    const profile = mkdtempSync(join(tmpdir(), 'essim-profile-'));
    if (from) cpSync(from, profile, { recursive: true });
    const downloads = mkdtempSync(join(tmpdir(), 'essim-downloads-'));
    const browser = await puppeteer.launch({
      executablePath: CHROMIUM,
      headless: true,
      userDataDir: profile,
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--autoplay-policy=no-user-gesture-required',
        `--host-resolver-rules=MAP ${HOST} ${new URL(served).host}`,
        ...args,
      ],
    });
    const problems: string[] = [];
    const page = await tabOf(browser, problems);
    const session = await browser.target().createCDPSession();
    await session.send('Browser.setDownloadBehavior', { behavior: 'allow', downloadPath: downloads });
    await page.goto(ADDRESS);
    return new Visit(ADDRESS, browser, page, downloads, server, profile, problems);
  }

  /** Another tab at an address, as if the browser had just been begun; the one before is closed. */
  async anew(at = this.page.url()): Promise<void> {
    const before = this.page;
    this.page = await tabOf(this.browser, this.problems);
    await before.close();
    await this.page.goto(at);
  }

  /** The tab dies in the middle of what it does, without a word; another opens at the same address, or at one that is given. */
  async die(at = this.page.url()): Promise<void> {
    const dead = this.page;
    const session = await dead.createCDPSession();
    const gone = new Promise(done => dead.once('error', done));
    session.send('Page.crash').catch(() => {});
    await gone;
    this.page = await tabOf(this.browser, this.problems);
    await dead.close().catch(() => {});
    await this.page.goto(at);
  }

  /** Ends it, and keeps what the browser has stored in a folder. */
  async keep(folder: string): Promise<void> {
    await this.browser.close();
    cpSync(this.profile, folder, { recursive: true });
    await this.end();
  }

  /** The server goes; what the browser has kept is all there is. */
  stopServer(): void {
    this.server.kill();
  }

  async end(): Promise<void> {
    await this.browser.close();
    this.server.kill();
    rmSync(this.profile, { recursive: true, force: true });
    rmSync(this.downloads, { recursive: true, force: true });
  }

  /** Waits until a condition on the page holds. A question the browser never answers, as one asked while a page goes, is asked again. */
  async until(what: string, condition: () => Promise<boolean>, timeout = 60000): Promise<void> {
    const end = Date.now() + timeout;
    const answered = () => {
      let timer: ReturnType<typeof setTimeout>;
      const unanswered = new Promise<boolean>(done => {
        timer = setTimeout(() => {
          console.warn(`no answer within ${UNANSWERED_MS} ms whether ${what}; asked again`);
          done(false);
        }, UNANSWERED_MS);
      });
      const asked = condition();
      // one that is given up may still fail, which nobody waits for then
      asked.catch(() => {});
      return Promise.race([asked, unanswered]).finally(() => clearTimeout(timer));
    };
    while (!(await answered())) {
      if (Date.now() > end) throw new Error(`timed out waiting until ${what}; notices: “${await this.notices()}”`);
      await new Promise(r => setTimeout(r, 60));
    }
  }

  async press(keys: string): Promise<void> {
    const parts = keys.split('+');
    const last = parts.pop()!;
    for (const p of parts) await this.page.keyboard.down(p as 'Control');
    await this.page.keyboard.press(last as 'a');
    for (const p of parts.reverse()) await this.page.keyboard.up(p as 'Control');
  }

  /** Goes to a desk by its key and waits until it is shown: a busy page takes its time. */
  async desk(key: string): Promise<void> {
    await this.press(key);
    await this.page.waitForSelector(
      `::-p-xpath(//nav[@aria-label="Desks"]//a[@aria-current="page"][starts-with(normalize-space(.), "${key}")])`,
    );
  }

  text(selector: string): Promise<string> {
    return this.page.$eval(selector, e => (e as HTMLElement).textContent ?? '');
  }

  async click(text: string, selector = 'button'): Promise<void> {
    const handle = await this.page.waitForSelector(
      `::-p-xpath(//${selector}[contains(normalize-space(.), "${text}")])`,
    );
    await handle!.click();
  }

  /** Moves a fader, as a hand does, and waits until that is saved. */
  async fader(name: string, to: number, within = 'aside[aria-label=Panel]'): Promise<void> {
    await this.page.$eval(
      within,
      (host, wanted, value) => {
        const input = host.querySelector<HTMLInputElement>(`input[type="range"][aria-label="${wanted}"]`)!;
        Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')!.set!.call(input, String(value));
        input.dispatchEvent(new Event('input', { bubbles: true }));
      },
      name,
      to,
    );
    await this.saved();
  }

  /** What the notices on the page say. */
  notices(): Promise<string> {
    return this.page.$$eval('[data-sonner-toast]', list => list.map(e => e.textContent).join(' '));
  }

  async noticed(text: string, timeout = 15000): Promise<void> {
    await this.until(`"${text}" is said`, async () => (await this.notices()).includes(text), timeout);
  }

  /** Gives files to a file input. */
  async give(selector: string, ...paths: string[]): Promise<void> {
    const input = (await this.page.waitForSelector(selector)) as ElementHandle<HTMLInputElement>;
    await input.uploadFile(...paths);
  }

  /** Drops files on a place, as from a folder. */
  async drop(selector: string, ...paths: string[]): Promise<void> {
    const files = paths.map(p => ({ name: basename(p), data: readFileSync(p).toString('base64') }));
    await this.page.waitForSelector(selector);
    await this.page.$eval(
      selector,
      (place, list) => {
        const dataTransfer = new DataTransfer();
        for (const { name, data } of list)
          dataTransfer.items.add(new File([Uint8Array.from(atob(data), c => c.charCodeAt(0))], name));
        for (const kind of ['dragenter', 'dragover', 'drop'])
          place.dispatchEvent(new DragEvent(kind, { bubbles: true, cancelable: true, dataTransfer }));
      },
      files,
    );
  }

  /** Brings in what the dialog shows, once it is read. */
  async bringIn(timeout = 90000): Promise<void> {
    await this.page.waitForSelector('[data-testid=bring-in]:not(:disabled)', { timeout });
    await this.page.click('[data-testid=bring-in]');
  }

  /** Waits until every take is read. */
  async allRead(): Promise<void> {
    await this.until(
      'every take is read',
      async () => {
        const text = (await this.text('aside[aria-label="Tracks and phrases"]')) + (await this.text('main'));
        return !/reading \d|waits to be read|being read/.test(text);
      },
      120000,
    );
  }

  /** Waits until so many readings and recordings are kept in the browser: usually those of the demo song. */
  async kept(leastReadings = 4, leastSources = 6, timeout?: number): Promise<void> {
    const areKept = async () => {
      const [readings, sources] = (await this.page.evaluate(`new Promise(done => {
        const opening = indexedDB.open('essim');
        opening.onsuccess = () => {
          const tx = opening.result.transaction(['readings', 'sources']);
          const counts = [];
          for (const name of ['readings', 'sources'])
            tx.objectStore(name).count().onsuccess = e => counts.push(e.target.result) === 2 && (opening.result.close(), done(counts));
        };
      })`)) as number[];
      return readings >= leastReadings && sources >= leastSources;
    };
    await this.until('the readings are kept', areKept, timeout);
  }

  /** Rows of the accessible note table. */
  notes(): Promise<{ start: number; length: number; sung: string; meant: string }[]> {
    return this.page.$$eval('[data-testid=notes] tbody tr', rows =>
      rows.map(r => {
        const [start, length, sung, meant] = [...r.children].map(c => c.textContent ?? '');
        return { start: parseFloat(start), length: parseFloat(length), sung, meant };
      }),
    );
  }

  async notesReady(): Promise<void> {
    await this.until('the notes are there', async () => (await this.notes().catch(() => [])).length > 0, 90000);
  }

  /** Opens the demo song from the shelf and goes to a desk once every take is read. */
  async openDemo(desk: string): Promise<void> {
    await this.page.waitForSelector('[data-testid=open-demo]');
    await this.page.click('[data-testid=open-demo]');
    await this.notesReady();
    await this.allRead();
    await this.desk(desk);
  }

  /** A place in the field, on the page. */
  async onField(seconds: number, midi: number): Promise<{ x: number; y: number; row: number }> {
    const f = await this.field();
    const l = layoutFor(f.width, f.height);
    return {
      x: f.x + xOf(f.view, l, seconds),
      y: f.y + yOf(f.view, l, midi),
      row: yOf(f.view, l, 60) - yOf(f.view, l, 61),
    };
  }

  /** The open song's document as it is stored, with what aligning found, which is kept beside it. */
  async song(): Promise<Song> {
    const id = /\/song\/([^/]+)/.exec(this.page.url())?.[1];
    return this.page.evaluate(
      wanted =>
        new Promise<Song>((resolve, reject) => {
          const opening = indexedDB.open('essim');
          opening.onerror = () => reject(opening.error as Error);
          opening.onsuccess = () => {
            const stored = opening.result.transaction(['songs', 'alignments']);
            const get = stored.objectStore('songs').get(wanted);
            const alignments = stored.objectStore('alignments').getAll();
            stored.onerror = () => reject(stored.error as Error);
            stored.oncomplete = () => {
              opening.result.close();
              const song = (get.result as { document: Song }).document;
              const named = new Map(
                (alignments.result as { id: string; alignment: unknown }[]).map(a => [a.id, a.alignment]),
              );
              for (const track of song.tracks) {
                const { kept } = (track.found ?? {}) as { kept?: string };
                if (kept) Object.assign(track, { found: named.get(kept) });
              }
              resolve(song);
            };
          };
        }),
      id ?? '',
    );
  }

  async saved(): Promise<void> {
    await this.until('the change is saved', async () => (await this.text('header')).includes('· saved'));
  }

  /** The field's place on the page and what it shows. */
  async field(): Promise<{ x: number; y: number; width: number; height: number; view: Viewport }> {
    const handle = (await this.page.$('[data-testid=field]'))!;
    const box = (await handle.boundingBox())!;
    const view = JSON.parse(await handle.evaluate(e => (e as HTMLElement).dataset.view!)) as Viewport;
    return { ...box, view };
  }

  /** What axe finds wrong with the page as it stands. */
  async violations(): Promise<string[]> {
    await this.page.evaluate(axe.source);
    const result = await this.page.evaluate(() =>
      (window as unknown as { axe: typeof axe }).axe.run({ runOnly: ['wcag2a', 'wcag2aa'] }),
    );
    return result.violations.map(
      v =>
        `${v.id}: ${v.nodes
          .map(n => n.html)
          .slice(0, 3)
          .join(' | ')}`,
    );
  }

  /** The next finished download, taken out of the folder. */
  async downloaded(): Promise<Uint8Array> {
    let file = '';
    await this.until('the download is there', async () => {
      const [name] = readdirSync(this.downloads).filter(f => !f.endsWith('.crdownload'));
      if (!name) return false;
      file = join(this.downloads, name);
      const size = statSync(file).size;
      await new Promise(r => setTimeout(r, 150));
      return size > 0 && statSync(file).size === size;
    });
    const bytes = new Uint8Array(readFileSync(file));
    rmSync(file);
    return bytes;
  }
}
