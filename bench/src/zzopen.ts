import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { Visit } from '../../e2e/browser';
import { RATE, Stems } from '../../e2e/stems';
const NAMES = ['Lead','Double Ash','Double Birch','Harmony Cedar','Harmony Elm','Harmony Fir','Harmony Oak','Harmony Pine'];
const pause = (ms: number) => new Promise(r => setTimeout(r, ms));
const KEPT='/tmp/kept8';
(async()=>{
  if(!existsSync(KEPT)){
  const stems = new Stems();
  const visit = await Visit.begin();
  const [once] = stems.cut('lead', 0, 59);
  const files: string[] = [];
  for (let k = 0; k < 8; k++) {
    const x = new Float32Array(600 * RATE);
    for (let i = 0; i < x.length; i++) x[i] = once[(i + k * 977) % once.length] * (1 - 0.05 * k);
    files.push(stems.wav(`${NAMES[k]}.wav`, [x], { format: 'int16' }));
  }
  await visit.page.waitForSelector('[data-testid=files]');
  await visit.give('[data-testid=files]', ...files);
  await visit.bringIn(600000);
  await visit.page.waitForSelector('aside[aria-label="Tracks and phrases"] li', { timeout: 600000 });
  await visit.press('3');
  const tracksText = () => visit.text('aside[aria-label="Tracks and phrases"]');
  await visit.until('read', async () => { const t = await tracksText(); return (t.match(/in tune|editing · \S+ · \d+ %/g) ?? []).length >= 8 && !/reading \d/.test(t); }, 1800000);
  for (let k = 0; k < 8; k++) { await visit.click(NAMES[k]); await visit.page.focus('[data-testid=field]'); await visit.press('Control+a'); await visit.press('s'); await visit.saved(); }
  await pause(3000);
  console.log(visit.page.url());
  writeFileSync('/tmp/kept8.url',visit.page.url());
  await visit.keep(KEPT); stems.clear();
  }
  const url=readFileSync('/tmp/kept8.url','utf8');
  const visit = await Visit.begin([],KEPT);
  for(let k=0;k<4;k++){
    await visit.page.goto('about:blank'); await pause(2500);
    const t=Date.now();
    await visit.page.goto(url);
    await visit.page.waitForSelector('[data-testid=notes] tbody tr', { timeout: 120000 });
    const seen=Date.now()-t;
    await pause(4000);
    const marks = await visit.page.evaluate(`performance.getEntriesByType('mark').map(m => m.name.replace('essim ','') + ' ' + Math.round(m.startTime)).join(', ')`);
    console.log(seen, marks);
  }
  await visit.end();
})();
