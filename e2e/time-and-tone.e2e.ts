import { frameLoudness, meanLoudness, noisesOf, readTake, readWav, type Reading } from '@essim/core';
import { noiseDbPerPixel, toneLayout } from '../app/src/desks/tone/draw';
import { mirrorAxes, mirrorLayout } from '../app/src/field/draw/mirror';
import { xOf, type Layout } from '../app/src/field/viewport';
import { Visit } from './browser';

const panel = 'aside[aria-label=Panel]';
const power = (x: Float32Array, from: number, to: number) => {
  const part = x.subarray(Math.round(from * 48000), Math.round(to * 48000));
  return 10 * Math.log10(part.reduce((s, v) => s + v * v, 0) / part.length + 1e-14);
};

/** Moving, weighing and colouring a lead with the hands, and what comes out of it. */
describe('time and tone', () => {
  let visit: Visit;
  let sung: Float32Array;
  let reading: Reading;
  beforeAll(async () => {
    visit = await Visit.again();
    await visit.openDemo('4');
  });
  afterAll(() => visit.end());

  const lead = async () => (await visit.song()).tracks[0];
  const exported = async () => {
    await visit.saved();
    await visit.press('Control+e');
    return readWav(await visit.downloaded()).channels[0];
  };
  /** Notes as they are heard, from the accessible table. */
  const rows = () => visit.notes();
  const near = async (t: number) =>
    (await rows()).reduce((a, b) => (Math.abs(b.start - t) < Math.abs(a.start - t) ? b : a));
  const look = (from: number, to: number) =>
    visit.until('the view is there', async () => {
      const { view } = await visit.field();
      return view.from < from && view.to > to;
    });
  /** A place in a lane, on the page. */
  const place = async (layout: (w: number, h: number) => Layout, t: number, y: (l: Layout) => number) => {
    const f = await visit.field();
    const l = layout(f.width, f.height);
    return { x: f.x + xOf(f.view, l, t), y: f.y + y(l) };
  };
  const drag = async (from: { x: number; y: number }, by: { x?: number; y?: number }, key?: 'Control' | 'Alt') => {
    const { mouse, keyboard } = visit.page;
    await mouse.move(from.x, from.y);
    if (key) await keyboard.down(key);
    await mouse.down();
    await mouse.move(from.x + (by.x ?? 0) / 2, from.y + (by.y ?? 0) / 2);
    await mouse.move(from.x + (by.x ?? 0), from.y + (by.y ?? 0));
    await mouse.up();
    if (key) await keyboard.up(key);
    await visit.saved();
  };
  const below = (l: Layout) => mirrorAxes(l).follower + 10;
  const choose = async (t: number) => {
    const p = await place(mirrorLayout, t, below);
    await visit.page.mouse.click(p.x, p.y);
  };
  const edit = async (name: string) => {
    await visit.page.click(`[data-testid="track-${name}"] button[title]`);
    await visit.page.waitForSelector(`[data-testid="track-${name}"] button[title][aria-pressed=true]`);
    await visit.notesReady();
  };
  const unfocus = () => visit.page.evaluate(() => (document.activeElement as HTMLElement).blur());

  it('holds the last word of a phrase two beats longer, by key and heard', async () => {
    sung = await exported();
    reading = readTake(sung, 48000);
    await visit.press('p');
    await look(7, 9);
    const before = await near(8.1);
    await choose(before.start + 0.5);
    await visit.press('Shift+F');
    await visit.press('Shift+F');
    await visit.saved();
    const beat = 60 / 92;
    const after = await near(8.1);
    // the next phrase is not reached, so it is as long as was asked
    expect(after.length - before.length).toBeGreaterThan(1.2 * beat - 0.02);
    const out = await exported();
    const heard = readTake(out, 48000).notes.filter(
      n => n.start < after.start + after.length - 0.2 && n.end > before.start + before.length,
    );
    expect(heard.length).toBeGreaterThan(0);
    const note = reading.notes.find(n => Math.abs(n.start - before.start) < 0.06)!;
    expect(Math.abs(heard[heard.length - 1].pitch - note.pitch)).toBeLessThan(0.06);
    expect(await visit.violations()).toEqual([]);
    await visit.press('u');
    await visit.saved();
    expect((await lead()).time).toEqual([]);
    const back = await exported();
    expect(back.every((v, i) => v === sung[i])).toBe(true);
  });

  it('takes a break earlier, a word later with a gap, and warps a swell, by dragging', async () => {
    const start = await near(5.85);
    const second = await place(mirrorLayout, start.start, below);
    const { view, width } = await visit.field();
    const perSecond = (width - 52) / (view.to - view.from);
    // the upright between two joined notes moves both
    await drag(second, { x: -0.09 * perSecond }, 'Alt');
    expect((await near(5.76)).start - start.start).toBeCloseTo(-0.09, 1);
    // a word by its body, its neighbours staying
    await visit.press('Escape');
    await visit.press('n');
    const word = await near(6.13);
    await drag(await place(mirrorLayout, word.start + 0.4, below), { x: 0.08 * perSecond }, 'Alt');
    expect((await near(6.21)).start - word.start).toBeCloseTo(0.08, 1);
    expect((await lead()).time.some(a => a.holds === 'gap')).toBe(true);
    await visit.press('n');
    // a moment inside a note
    const long = await near(8.1);
    await drag(await place(mirrorLayout, long.start + 0.6, below), { x: 0.1 * perSecond }, 'Control');
    expect((await lead()).time.some(a => a.holds === 'stitch')).toBe(true);
    expect((await near(8.1)).length).toBeCloseTo(long.length, 2);
    // Esc in the middle of it leaves everything as it is
    const kept = (await lead()).time;
    const held = await place(mirrorLayout, long.start + 0.3, below);
    await visit.page.mouse.move(held.x, held.y);
    await visit.page.mouse.down();
    await visit.page.mouse.move(held.x + 60, held.y);
    await visit.page.keyboard.press('Escape');
    await visit.page.mouse.up();
    await visit.saved();
    expect((await lead()).time).toEqual(kept);
    for (let i = 0; i < 3; i++) await visit.press('Control+z');
    await visit.saved();
    expect((await lead()).time).toEqual([]);
  });

  it('says what bringing to the beat would do, and does it', async () => {
    await visit.press('Escape');
    await unfocus();
    await visit.press('Control+a');
    await visit.until('it is said', async () => /would move/.test(await visit.text('[data-testid=preview]')));
    const [count] = /(\d+) of/
      .exec(await visit.text('[data-testid=preview]'))!
      .slice(1)
      .map(Number);
    expect(count).toBeGreaterThan(5);
    await visit.press('s');
    await visit.saved();
    expect(await visit.text('section[aria-label="How far off"]')).toMatch(/within 30 ms/);
    const [now, was] = /(\d+) of \d+ within 30 ms; as sung (\d+)/
      .exec(await visit.text('section[aria-label="How far off"]'))!
      .slice(1)
      .map(Number);
    expect(now).toBeGreaterThan(was);
    await visit.press('Control+z');
    await visit.saved();
  });

  it('brings three words of the double to the lead, and is heard so', async () => {
    const leads = await rows();
    await edit('Double');
    await visit.click('I will row the water');
    const off = (t: number) => leads.reduce((m, n) => (Math.abs(t - n.start) < Math.abs(m) ? t - n.start : m), 9);
    // three that are heard to be off, of those in view
    const { view } = await visit.field();
    const three = (await rows())
      .filter(n => n.start > view.from + 0.2 && n.start + n.length < view.to - 0.2)
      .sort((a, b) => Math.abs(off(b.start)) - Math.abs(off(a.start)))
      .slice(0, 3);
    expect(Math.min(...three.map(n => Math.abs(off(n.start))))).toBeGreaterThan(0.004);
    for (const [i, n] of three.entries()) {
      const p = await place(mirrorLayout, n.start + n.length / 2, below);
      if (i) await visit.page.keyboard.down('Shift');
      await visit.page.mouse.click(p.x, p.y);
      if (i) await visit.page.keyboard.up('Shift');
    }
    await visit.page.select('select[aria-label="Another track"]', (await lead()).id);
    await visit.fader('Only over', 0);
    await unfocus();
    await visit.press('s');
    await visit.saved();
    const moved = await rows();
    for (const n of three) {
      const now = moved.reduce((a, b) => (Math.abs(b.start - n.start) < Math.abs(a.start - n.start) ? b : a));
      expect(Math.abs(off(now.start))).toBeLessThan(Math.min(0.012, Math.abs(off(n.start)) + 1e-6));
    }
    // the voice itself lies nearer now: what is heard begins where the lead does
    const out = await exported();
    const heard = readTake(out, 48000).notes;
    for (const n of three) {
      const at = n.start - off(n.start);
      expect(Math.min(...heard.map(h => Math.abs(h.start - at)))).toBeLessThan(0.03);
    }
    await visit.press('Control+z');
    await visit.saved();
    await edit('Lead');
    await unfocus();
    await visit.press('Home');
    await visit.press('PageDown');
    // a track is not told beside itself
    expect(await visit.text('section[aria-label="Against"] [aria-pressed=true]')).toBe('Beat');
    await visit.fader('Only over', 20);
  });

  it('cuts a word, pastes another over it from elsewhere, and is heard so', async () => {
    await visit.press('Escape');
    await visit.press('p');
    await look(7, 9);
    await choose(6.5);
    await visit.press('Control+c');
    await visit.noticed('copied');
    // onto where the song is silent
    await visit.press('Home');
    await visit.press('Control+v');
    await visit.until('it is there', async () => (await lead()).takes.some(t => t.borrowed), 20000);
    await visit.allRead();
    const out = await exported();
    expect(power(out, 0.2, 0.8)).toBeGreaterThan(power(sung, 6.35, 6.9) - 2);
    expect(power(out, 6.3, 6.9)).toBeCloseTo(power(sung, 6.3, 6.9), 1);
    await visit.press('Control+z');
    await visit.saved();
    await choose(6.5);
    await visit.press('m');
    const muted = await exported();
    expect(power(muted, 6.25, 6.9)).toBeLessThan(-90);
    expect(power(muted, 7.2, 7.4)).toBeCloseTo(power(sung, 7.2, 7.4), 3);
    await visit.press('Control+z');
    await visit.saved();
  });

  it('weighs: a hill by dragging, a phrase evened, breaths turned down all but one', async () => {
    await visit.desk('5');
    await visit.until('its sound is known', async () => !/being listened/.test(await visit.text(panel)), 30000);
    await visit.press('p');
    await look(7, 9);
    const hills = (l: Layout) => l.own.hills.bottom - 30;
    await visit.page.mouse.click(...(Object.values(await place(toneLayout, 6.6, hills)) as [number, number]));
    const from = await place(toneLayout, 6.6, hills);
    await drag(from, { y: 40 });
    const [edit] = Object.values((await lead()).takes[0].edits);
    expect(edit.startDb).toBeLessThan(-2);
    expect(edit.startDb).toBe(edit.endDb);
    const out = await exported();
    expect(power(out, 6.4, 6.8) - power(sung, 6.4, 6.8)).toBeCloseTo(edit.startDb!, 0);
    expect(await visit.violations()).toEqual([]);
    await visit.press('u');
    await visit.saved();
    await visit.press('Escape');
    await unfocus();
    await visit.press('Control+a');
    await visit.fader('Lift quiet', 100);
    await visit.fader('Ease loud', 100);
    await visit.fader('Breaths', -6);
    expect((await lead()).noises).toMatchObject([{ kind: 'breath', db: -6 }]);
    const breaths = noisesOf(reading).filter(n => n.kind === 'breath');
    // one of them alone is put back, by its top
    const one = breaths.find(b => b.start > 4.5)!;
    const top = await place(toneLayout, (one.start + one.end) / 2, l => l.own.sounds.bottom - 10);
    await drag(top, { y: -6 / noiseDbPerPixel(toneLayout((await visit.field()).width, (await visit.field()).height)) });
    expect((await lead()).takes[0].noises).toHaveLength(1);
    await unfocus();
    const evened = await exported();
    const loud = (x: Float32Array) => {
      const l = frameLoudness([x], 48000, 0.005, reading.f0.length);
      return reading.notes.slice(0, 7).map(n => {
        const frames: number[] = [];
        for (let k = Math.round(n.onset * 200); k < n.end * 200; k++) if (reading.f0[k] > 0) frames.push(k);
        return meanLoudness(l, frames)!;
      });
    };
    const spread = (v: number[]) => Math.max(...v) - Math.min(...v);
    expect(spread(loud(evened))).toBeLessThan(0.5);
    expect(spread(loud(sung))).toBeGreaterThan(3);
    const fell = breaths.map(b => power(evened, b.start, b.end) - power(sung, b.start, b.end));
    expect(fell.filter(d => Math.abs(d + 6) < 0.4).length).toBeGreaterThanOrEqual(6);
    expect(Math.abs(power(evened, one.start, one.end) - power(sung, one.start, one.end))).toBeLessThan(0.8);
  });

  it('evens the colour of what is chosen, and keeps everything over a reload', async () => {
    await visit.fader('Even out', 100);
    await visit.fader('Formant', 1);
    await visit.saved();
    const edits = Object.values((await lead()).takes[0].edits);
    expect(edits.filter(e => e.colour?.length === 16 && e.formant === 1).length).toBeGreaterThan(40);
    await visit.page.reload();
    await visit.notesReady();
    await visit.allRead();
    expect(Object.values((await lead()).takes[0].edits)).toHaveLength(edits.length);
    expect(visit.problems).toEqual([]);
  });
});
