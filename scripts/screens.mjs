// node scripts/screens.mjs: takes the pictures of docs/screenshots from the demo song. The app must be served; ADDRESS says where.
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import puppeteer from 'puppeteer-core';
import { root } from './steps.mjs';

const address = process.env.ADDRESS ?? 'http://localhost:4173';
const executablePath = [process.env.CHROMIUM, '/usr/bin/chromium', '/usr/bin/google-chrome'].find(
  p => p && existsSync(p),
);
const flags = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--autoplay-policy=no-user-gesture-required',
];
const browser = await puppeteer.launch({ executablePath, headless: true, args: flags });
const page = await browser.newPage();
const [width, height] = (process.env.SIZE ?? '1280x800').split('x').map(Number);
await page.setViewport({ width, height });
const out = process.env.OUT ?? join(root, 'docs/screenshots');
const wait = ms => new Promise(r => setTimeout(r, ms));
const shot = async name => {
  // what was said a moment ago is not part of the picture
  await page.waitForFunction('!document.querySelector("[data-sonner-toast]")', { timeout: 20000 });
  await wait(600);
  await page.screenshot({ path: join(out, `${name}.png`) });
};
const click = async text =>
  (await page.waitForSelector(`::-p-xpath(//button[contains(normalize-space(.), "${text}")])`)).click();
const press = async keys => {
  const parts = keys.split('+');
  const last = parts.pop();
  for (const p of parts) await page.keyboard.down(p);
  await page.keyboard.press(last);
  for (const p of parts) await page.keyboard.up(p);
};

await page.goto(address);
await (await page.waitForSelector('[data-testid=open-demo]')).click();
await page.waitForSelector('[data-testid=notes] tbody tr', { timeout: 60000 });
await page.waitForFunction('!/reading \\d|waits to be read/.test(document.body.textContent)', { timeout: 90000 });
await click('Suggest a comp');
await wait(500);
await page.click('[data-testid="cell-Take 2-3"]');
await shot('gather');
await press('r');
await page.select('select[aria-label="Microphone"]', 'simulated');
await page.click('section[aria-label=Recording] input[type=checkbox]');
await page.click('[data-testid="comp-5"]');
await page.click('[data-testid=record]');
await page.waitForFunction('document.body.textContent.includes("Recording round")', { timeout: 30000 });
await wait(7000);
await shot('recording');
await page.click('[data-testid=record]');
await page.waitForSelector('[data-testid="take-Take 4"]', { timeout: 20000 });
await page.waitForFunction('!/reading \\d|waits to be read/.test(document.body.textContent)', { timeout: 60000 });
await press('3');
await click('ferry lamp oh shine');
await press('s');
await click('leave a lamp');
await press('s');
await press('Escape');
await page.keyboard.press('ArrowRight');
await page.keyboard.press('ArrowRight');
await press('c');
await press('c');
await shot('tune');
await click('till I hear');
for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowRight');
await (await page.$('button[aria-label="View Double"]')).click();
await shot('note');
// the last word of the first phrase: drawn over, and given a vibrato
await click('leave a lamp');
await press('p');
await page.$$eval('[data-testid=notes] tbody button', list => list[6].click());
await click('Line');
await click('Vibrato');
await click('Add a usual one');
await page.focus('[data-testid=field]');
{
  const field = await page.$('[data-testid=field]');
  const box = await field.boundingBox();
  const { from, to } = JSON.parse(await page.$eval('[data-testid=field]', e => e.dataset.view));
  const start = Number(await page.$$eval('[data-testid=notes] tbody tr', list => parseFloat(list[6].textContent)));
  const ladder = 52;
  const x = box.x + ladder + ((start + 0.05 - from) / (to - from)) * (box.width - ladder);
  const y = box.y + 0.5 * box.height;
  await page.keyboard.down('d');
  await page.mouse.move(x, y + 20);
  await page.mouse.down();
  for (let i = 1; i <= 24; i++) await page.mouse.move(x + 2.5 * i, y + 20 - 60 * Math.sin(i / 15));
  await page.mouse.up();
  await page.keyboard.up('d');
}
await shot('drawing');
await press('Control+z');
await press('Control+z');
await (await page.waitForSelector('::-p-xpath(//aside[@aria-label="Panel"]//h3/button[contains(., "Steps")])')).click();
await page.click('[data-testid=scale]');
await page.keyboard.type('maqam bayati');
await page.waitForSelector('[role=option]');
await press('ArrowDown');
await press('Enter');
await page.focus('[data-testid=field]');
await page.$eval('[aria-label="Steps of the tuning"]', e => e.scrollIntoView({ block: 'center' }));
await page.click('[aria-label="Step 2: allowed"]');
await page.focus('[data-testid=field]');
await shot('steps');
for (let i = 0; i < 2; i++) await press('Control+z');
await (
  await page.waitForSelector('::-p-xpath(//aside[@aria-label="Panel"]//h3/button[contains(., "Whole take")])')
).click();
await press('Escape');
await click('hold the rope');
await press('p');
await press('Shift+Y');
await press('Shift+T');
await press('f');
await wait(900);
await shot('whole-take');
await press('Control+z');
await press('Control+z');
await (await page.waitForSelector('::-p-xpath(//aside[@aria-label="Panel"]//h3/button[contains(., "Notes")])')).click();
// words moved, one held on with a moment of it kept; then levels, a noise and colour
await press('4');
await press('Escape');
await click('leave a lamp');
await press('p');
await page.$$eval('[data-testid=notes] tbody button', list => list[2].click());
await page.focus('[data-testid=field]');
for (let i = 0; i < 6; i++) await press('r');
await page.$$eval('[data-testid=notes] tbody button', list => list[6].click());
await page.focus('[data-testid=field]');
for (let i = 0; i < 14; i++) await press('f');
await press('Shift+ArrowLeft');
await shot('time');
await press('5');
await press('Escape');
await page.$$eval('[data-testid=notes] tbody button', list => list[3].click());
await page.waitForFunction('!/listened to/.test(document.body.textContent)', { timeout: 30000 });
await page.focus('[data-testid=field]');
await press('Escape');
await press('s');
await page.$$eval('[data-testid=notes] tbody button', list => list[3].click());
await page.focus('[data-testid=field]');
for (let i = 0; i < 3; i++) await press('e');
await shot('tone');
for (let i = 0; i < 4; i++) await press('Control+z');
await press('2');
await page.waitForSelector('[data-testid=doubts] li');
for (let i = 0; i < 30; i++) {
  await press('.');
  await wait(60);
  if (
    / or .*%/.test(await page.$eval('[data-testid=doubts]', e => e.querySelector('[aria-current]')?.textContent ?? ''))
  )
    break;
}
await shot('listen');
await press('3');
await press('Control+k');
await page.waitForSelector('[role=dialog] input');
await page.keyboard.type('zoom');
await shot('commands');
await press('Escape');
await wait(400);
await press('p');
await press('Control+Shift+l');
await shot('night');
await press('Control+Shift+l');
await press('6');
await page.waitForSelector('[aria-label="How it follows"]');
await page.focus('[data-testid=field]');
await press('s');
await page.waitForSelector('[data-testid=together]', { timeout: 60000 });
await click('ferry lamp oh shine');
await page.focus('[data-testid=field]');
await page.keyboard.press('ArrowRight');
await page.keyboard.press('ArrowRight');
await page.waitForFunction('/on the whole/.test(document.body.textContent)', { timeout: 60000 });
await shot('align');
await press('7');
await page.waitForSelector('[aria-label="New part"]');
await page.click('[data-testid="track-Lead"] button[aria-pressed]');
await click('Chords');
await press('Alt+c');
await page.waitForSelector('[data-testid="track-High"]');
await page.focus('[data-testid=field]');
await press('p');
for (let i = 0; i < 7; i++) await press('ArrowRight');
await page.waitForFunction('/on the whole/.test(document.body.textContent)', { timeout: 60000 });
await shot('parts');
await page.click('[data-testid="track-Lead"] button[aria-pressed]');
await click('Unpick');
await page.select('select[aria-label="How many sing"]', '3');
await page.click('aside[aria-label=Panel] button.btn-ink');
await page.waitForSelector('ul[aria-label=Lines] li', { timeout: 60000 });
await click('every mile');
await page.evaluate('document.activeElement.blur()');
await press(']');
await page.$eval('aside[aria-label=Panel]', e => e.scrollTo(0, e.scrollHeight));
await shot('unpick');
await press('8');
await page.waitForSelector('[data-testid=mixer]');
await click('Measure');
await page.waitForSelector('[aria-label="Loudness of what is written"] tbody tr:nth-child(4)', { timeout: 120000 });
await click('Keep');
await page.evaluate('document.activeElement.blur()');
await page.$eval('aside[aria-label=Panel]', e => e.scrollTo(0, 330));
await press('Space');
await wait(1500);
await shot('deliver');
await press('Space');
await press('?');
await shot('help');
await press('Escape');
await page.goto(address);
await wait(800);
await shot('shelf');
const files = ['lead', 'lead-b', 'double', 'harmony', 'backing'].map(n => join(root, `demo/.cache/${n}.wav`));
await (await page.waitForSelector('[data-testid=files]')).uploadFile(...files, join(root, 'README.md'));
await page.waitForSelector('[data-testid=bring-in]:not(:disabled)', { timeout: 60000 });
// each voice is read while it is said what it is
await page.waitForFunction('document.querySelectorAll("[data-testid=heard]").length >= 4', { timeout: 60000 });
await shot('import');
await browser.close();
