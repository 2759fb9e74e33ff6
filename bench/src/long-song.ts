import { readdirSync, readFileSync } from 'node:fs';
import { Visit } from '../../e2e/browser';
import { RATE, Stems } from '../../e2e/stems';

/**
 * The browser under load: a song of several long tracks, every note of every track settled, played, looked about in, opened again and
 * aligned as one stack. Run by `npm run bench -- long-song [tracks] [minutes] [takes] [bits]`; takes many minutes.
 */

/** Names that say what each is, so that none is taken for a backing or for another take. */
const NAMES = [
  'Lead',
  'Double Ash',
  'Double Birch',
  'Harmony Cedar',
  'Harmony Elm',
  'Harmony Fir',
  'Harmony Oak',
  'Harmony Pine',
];

const percent = (share: number) => `${Math.round(share * 100)} %`;
const pause = (ms: number) => new Promise(r => setTimeout(r, ms));

/** Memory of a process and everything below it, MB, by kind: shared memory is counted once. */
export function memoryBelow(pid: number): { total: number; largest: number } {
  const parents = new Map<number, number>();
  for (const name of readdirSync('/proc').filter(n => /^\d+$/.test(n)))
    try {
      parents.set(Number(name), Number(/\) \S+ (\d+)/.exec(readFileSync(`/proc/${name}/stat`, 'utf8'))?.[1]));
    } catch {
      // it ended meanwhile
    }
  const below = (p: number): boolean => p === pid || (parents.has(p) && p > 1 && below(parents.get(p)!));
  let total = 0;
  let largest = 0;
  for (const p of parents.keys()) {
    if (!below(p)) continue;
    try {
      const pss = Number(/^Pss:\s+(\d+)/m.exec(readFileSync(`/proc/${p}/smaps_rollup`, 'utf8'))?.[1] ?? 0) / 1024;
      total += pss;
      largest = Math.max(largest, pss);
    } catch {
      // not ours to look at
    }
  }
  return { total: Math.round(total), largest: Math.round(largest) };
}

/** Time of all processors so far, and what of it the machine under this one took for others; clock ticks. */
function ticks(): { all: number; stolen: number } {
  const counts = /^cpu +(.*)$/m.exec(readFileSync('/proc/stat', 'utf8'))![1].split(' ').map(Number);
  return { all: counts.slice(0, 8).reduce((a, b) => a + b, 0), stolen: counts[7] };
}

interface Watched {
  frames: number;
  median: number;
  p99: number;
  worst: number;
  late: number;
  /** Share of the processors' time that was not to be had, 0..1: frames missed for it are not the page's. */
  stolen: number;
}

/** Distances of frames, ms, and in how many the meter said that the sound was late, over some time. Text, for it runs on the page. */
async function watch(visit: Visit, ms: number): Promise<Watched> {
  const before = ticks();
  const seen = (await visit.page.evaluate(`new Promise(done => {
    const gaps = [];
    let late = 0;
    const begin = performance.now();
    let before = begin;
    requestAnimationFrame(function tick(now) {
      gaps.push(now - before);
      before = now;
      if (!document.querySelector('[data-testid=late]').classList.contains('invisible')) late++;
      if (now - begin < ${ms}) return requestAnimationFrame(tick);
      gaps.sort((a, b) => a - b);
      const at = q => gaps[Math.min(gaps.length - 1, Math.floor(gaps.length * q))];
      done({ frames: gaps.length, median: at(0.5), p99: at(0.99), worst: at(1), late });
    });
  })`)) as Omit<Watched, 'stolen'>;
  const after = ticks();
  return { ...seen, stolen: (after.stolen - before.stolen) / (after.all - before.all) };
}

/** Frames while something goes on, ms each; text, for it runs on the page. @param each done before every frame, `i` its number, `field` the field */
async function framesDuring(visit: Visit, each: string, ms = 5000): Promise<Watched> {
  const before = ticks();
  const seen = (await visit.page.evaluate(`new Promise(done => {
    const field = document.querySelector('[data-testid=field]');
    const box = field.getBoundingClientRect();
    const gaps = [];
    const begin = performance.now();
    let before = begin;
    let i = 0;
    const at = (type, x, y, more = {}) => field.dispatchEvent(new PointerEvent(type, {
      bubbles: true, pointerId: 1, button: 0, buttons: type === 'pointerup' ? 0 : 1, clientX: box.x + x, clientY: box.y + y, ...more }));
    const wheel = more => field.dispatchEvent(new WheelEvent('wheel', {
      bubbles: true, cancelable: true, clientX: box.x + box.width / 2, clientY: box.y + box.height / 2, ...more }));
    requestAnimationFrame(function tick(now) {
      gaps.push(now - before);
      before = now;
      ${each};
      i++;
      if (now - begin < ${ms}) return requestAnimationFrame(tick);
      gaps.sort((a, b) => a - b);
      const share = q => gaps[Math.min(gaps.length - 1, Math.floor(gaps.length * q))];
      done({ frames: gaps.length, median: share(0.5), p99: share(0.99), worst: share(1), late: 0 });
    });
  })`)) as Omit<Watched, 'stolen'>;
  const after = ticks();
  return { ...seen, stolen: (after.stolen - before.stolen) / (after.all - before.all) };
}

/** How far down the field the note lies that is in its middle; null where none is. */
const noteInTheMiddle = (visit: Visit): Promise<number | null> =>
  visit.page.evaluate(`new Promise(done => {
    const field = document.querySelector('[data-testid=field]');
    const box = field.getBoundingClientRect();
    for (let y = 120; y < box.height - 140; y += 3) {
      field.dispatchEvent(new PointerEvent('pointermove', {
        bubbles: true, pointerId: 1, clientX: box.x + box.width / 2, clientY: box.y + y }));
      if (field.style.cursor === 'ns-resize') return done(y + 3);
    }
    done(null);
  })`) as Promise<number | null>;

const told = (w: Watched): string =>
  `${w.frames} frames, median ${w.median.toFixed(1)} ms, 99 % ${w.p99.toFixed(1)}, worst ${w.worst.toFixed(0)}; ${percent(w.stolen)} of the processors taken by others`;

/** @param takes of each track; the first of them is heard */
export async function longSong(tracks: number, minutes: number, takes: number, bits: 16 | 24): Promise<void> {
  const stems = new Stems();
  const visit = await Visit.begin();
  const say = (what: string) => console.log(`${new Date().toISOString().slice(11, 19)}  ${what}`);
  const memory = () => {
    const { total, largest } = memoryBelow(visit.browser.process()!.pid!);
    return `memory ${total} MB in all, ${largest} MB the page`;
  };
  try {
    const [once] = stems.cut('lead', 0, 59);
    const files: string[] = [];
    for (let k = 0; k < tracks; k++)
      for (let t = 0; t < takes; t++) {
        const x = new Float32Array(Math.round(minutes * 60 * RATE));
        for (let i = 0; i < x.length; i++) x[i] = once[(i + k * 977 + t * 7919) % once.length] * (1 - 0.05 * k);
        files.push(stems.wav(`${NAMES[k]}${takes > 1 ? ` t${t + 1}` : ''}.wav`, [x], { format: `int${bits}` }));
      }
    say(`an empty shelf: ${memory()}`);
    await visit.page.waitForSelector('[data-testid=files]');
    await visit.give('[data-testid=files]', ...files);
    await visit.bringIn(600000);
    await visit.page.waitForSelector('aside[aria-label="Tracks and phrases"] li', { timeout: 600000 });
    say(`brought in: ${memory()}`);
    await visit.press('3');
    const tracksText = () => visit.text('aside[aria-label="Tracks and phrases"]');
    await visit.until(
      'every voice is read',
      async () => {
        const text = await tracksText();
        return (text.match(/in tune|editing · .*?\d+ %/g) ?? []).length >= tracks && !/reading \d/.test(text);
      },
      1800000,
    );
    await visit.kept(tracks * takes, tracks * takes, 1800000);
    say(`read: ${memory()}`);
    for (let k = 0; k < tracks; k++) {
      await visit.click(NAMES[k]);
      await visit.page.focus('[data-testid=field]');
      await visit.press('Control+a');
      await visit.press('s');
      await visit.saved();
    }
    say(`every note of every track settled: ${memory()}`);
    const kinds = (await Promise.race([
      visit.page.evaluate(`performance.measureUserAgentSpecificMemory().then(m => m.breakdown
        .filter(b => b.bytes > 4e6)
        .map(b => Math.round(b.bytes / 2 ** 20) + ' MB ' + b.types.join('+') + ' ' + (b.attribution[0]?.scope ?? '')))`),
      pause(60000).then(() => ['not told']),
    ])) as string[];
    say(`of it, by thread: ${kinds.join('; ')}`);
    await visit.click('Whole song');
    await visit.press('Space');
    for (const part of ['at the start', 'ten seconds on']) {
      const w = await watch(visit, 10000);
      say(
        `playing ${part}: ${w.frames} frames in 10 s, median ${w.median.toFixed(1)} ms, 99 % ${w.p99.toFixed(1)}, worst ${w.worst.toFixed(0)}; the meter said late in ${w.late} of them; ${percent(w.stolen)} of the processors taken by others; ${memory()}`,
      );
    }
    await visit.press('PageDown');
    for (let i = 0; i < 6; i++) await visit.press('PageDown');
    const after = await watch(visit, 10000);
    say(
      `after a jump: ${after.frames} frames, median ${after.median.toFixed(1)} ms, worst ${after.worst.toFixed(0)}; late in ${after.late}; ${percent(after.stolen)} of the processors taken by others; ${memory()}`,
    );
    await visit.press('Space');
    await pause(500);
    say(`panned: ${told(await framesDuring(visit, 'wheel({ deltaX: 40 * (i % 200 < 100 ? 1 : -1), deltaY: 0 })'))}`);
    say(`zoomed: ${told(await framesDuring(visit, 'wheel({ deltaY: 30 * (i % 120 < 60 ? 1 : -1), ctrlKey: true })'))}`);
    // the one note that is chosen is in the middle of what is looked at
    await visit.press('ArrowRight');
    await visit.press('z');
    await pause(1500);
    const y = await noteInTheMiddle(visit);
    if (y === null) say('no note was found to be dragged');
    else {
      const drag = `if (i === 0) at('pointerdown', box.width / 2, ${y}); else at('pointermove', box.width / 2, ${y} + 30 * Math.sin(i / 12));`;
      say(`dragged: ${told(await framesDuring(visit, drag))}`);
      // a drag that is given up leaves nothing behind
      await visit.press('Escape');
      await pause(500);
    }
    // the tab before takes a moment to give its memory back, which is not the opening's time
    const address = visit.page.url();
    await visit.anew('about:blank');
    await pause(2500);
    const begin = Date.now();
    await visit.page.goto(address);
    await visit.page.waitForSelector('[data-testid=notes] tbody tr', { timeout: 120000 });
    const seen = Date.now() - begin;
    const marks = (await visit.page.evaluate(`performance.getEntriesByType('mark')
      .map(m => m.name + ' ' + Math.round(m.startTime)).join(', ')`)) as string;
    const noteCount = await visit.page.$$eval('[data-testid=notes] tbody tr', list => list.length);
    say(`opened again: its ${noteCount} notes are there after ${seen} ms (${marks}); ${memory()}`);
    await pause(8000);
    say(`eight seconds on: ${memory()}`);
    await visit.click(NAMES[0]);
    await visit.desk('6');
    const leads = await visit.page.$('::-p-xpath(//button[contains(., "leads all voices")])');
    if (leads) await leads.click();
    await visit.saved();
    await visit.page.focus('[data-testid=field]');
    let most = 0;
    const started = Date.now();
    await visit.press('Shift+s');
    await visit.page.waitForSelector('[role=progressbar], progress', { timeout: 20000 });
    for (;;) {
      most = Math.max(most, memoryBelow(visit.browser.process()!.pid!).largest);
      await pause(500);
      if (!(await visit.page.$('[role=progressbar], progress'))) break;
    }
    say(`a stack of ${tracks} aligned in ${Math.round((Date.now() - started) / 1000)} s, at most ${most} MB the page`);
  } finally {
    await visit.end();
    stems.clear();
  }
}
