import { analyseVoice, layOut, neutralPlan, renderSpan, type VoicePlan } from '@essim/core';
import { isLate, MARGIN, placeOf, slotOf, TILE, tileMemory, TileWriter } from '../player/tiles';
import { TileRenderer } from './tile-renderer';

const RATE = 48000;
const HOP = 0.005;
/** Held tones with rests between them. */
const length = 5 * TILE;
const sounding = (t: number) => t % 1 < 0.8;
const x = Float32Array.from({ length }, (_, i) => {
  const t = i / RATE;
  const edge = Math.min(1, (t % 1) / 0.02, (0.8 - (t % 1)) / 0.02);
  return sounding(t) ? 0.1 * edge * [1, 2, 3].reduce((s, h) => s + Math.sin(2 * Math.PI * 200 * h * t) / h, 0) : 0;
});
const frames = Math.ceil(length / RATE / HOP);
const f0 = Float32Array.from({ length: frames }, (_, k) => (sounding(k * HOP) && (k * HOP) % 1 > 0.02 ? 200 : 0));
const analysis = analyseVoice([x], RATE, f0, HOP);

/** Moves the voice between two seconds. */
function moved(from: number, to: number, cents: number, plan = neutralPlan(frames, HOP)): VoicePlan {
  const next = { ...plan, offsetCents: plan.offsetCents.slice(), active: plan.active.slice() };
  next.offsetCents.fill(cents, Math.round(from / HOP), Math.round(to / HOP));
  next.active.fill(1, Math.round(from / HOP), Math.round(to / HOP));
  return next;
}

function begin(position = 0) {
  let now = 0;
  const memory = tileMemory(length, 1);
  const writer = new TileWriter(memory, () => (now += 1000));
  const renderer = new TileRenderer(writer, { position: () => position, loop: () => null });
  renderer.setHeard([{ offset: 0, from: 0, to: length }]);
  const states = () => Array.from({ length: writer.count }, (_, k) => writer.state(k));
  const finish = () => {
    while (renderer.work() === 'more');
  };
  const matches = (plan: VoicePlan) => {
    const layout = layOut(analysis, plan);
    return states().every((state, k) => {
      if (slotOf(state) < 0) return true;
      const wanted = new Float32Array(TILE + MARGIN);
      renderSpan(analysis, layout, 0, k * TILE, k * TILE + TILE + MARGIN, wanted);
      const at = placeOf(slotOf(state));
      return wanted.every((v, i) => Object.is(v, memory.pool[0][at + i]));
    });
  };
  return { renderer, memory, states, finish, matches };
}

describe('tiles of a take', () => {
  it('are rendered where something is edited, and nowhere else', () => {
    const { renderer, states, finish, matches } = begin();
    const plan = moved(1, 1.8, 80);
    renderer.plan(analysis, plan);
    expect(states().map(isLate)).toEqual([false, true, true, false, false]);
    finish();
    expect(states().map(isLate)).toEqual(Array(5).fill(false));
    expect(states().map(s => slotOf(s) >= 0)).toEqual([false, true, true, false, false]);
    expect(matches(plan)).toBe(true);
  });

  it('follow one plan after another bit for bit, whatever was rendered in between', () => {
    const { renderer, finish, matches } = begin();
    let plan = moved(0, 3.4, 50);
    renderer.plan(analysis, plan);
    renderer.work();
    plan = moved(2, 2.8, -120, plan);
    renderer.plan(analysis, plan);
    finish();
    expect(matches(plan)).toBe(true);
    plan = moved(1.2, 1.5, 30, plan);
    renderer.plan(analysis, plan);
    finish();
    expect(matches(plan)).toBe(true);
  });

  it('begin under the playhead and keep their last sound while they are late', () => {
    const { renderer, states, finish } = begin(2 * TILE + 100);
    const plan = moved(0, 3.4, 50);
    renderer.plan(analysis, plan);
    renderer.work();
    expect(states().map(isLate).indexOf(false)).toBe(2);
    finish();
    const before = states().map(slotOf);
    renderer.plan(analysis, moved(0, 3.4, 90));
    expect(states().every(isLate)).toBe(true);
    expect(states().map(slotOf)).toEqual(before);
  });

  it('are given to whoever wants the same layout whole, and to nobody else', () => {
    const { renderer, memory, states, finish } = begin();
    const plan = moved(1, 1.8, 80);
    const piece = [new Float32Array(TILE)];
    expect(renderer.rendered(layOut(analysis, plan))(1, piece)).toBe(false);
    renderer.plan(analysis, plan);
    const layout = layOut(analysis, plan, renderer.latest);
    expect(renderer.rendered(layout)(1, piece)).toBe(false);
    finish();
    const given = renderer.rendered(layout);
    expect([0, 1, 2, 3, 99].map(k => given(k, piece))).toEqual([false, true, true, false, false]);
    given(2, piece);
    const at = placeOf(slotOf(states()[2]));
    expect(piece[0]).toEqual(memory.pool[0].slice(at, at + TILE));
    expect(renderer.rendered(layOut(analysis, moved(1, 1.8, 81), renderer.latest))(1, piece)).toBe(false);
    // another plan is on its way, of which only what it leaves alone is there
    renderer.plan(analysis, moved(1, 1.8, -30));
    expect(renderer.rendered(layout)(1, piece)).toBe(false);
  });

  it('go back to as sung when nothing is asked, and tell the loudness to compare at', () => {
    const { renderer, memory, states, finish } = begin();
    const quiet = { ...neutralPlan(frames, HOP), levelDb: new Float32Array(frames).fill(-6) };
    renderer.plan(analysis, quiet);
    finish();
    expect(20 * Math.log10(memory.match[0])).toBeCloseTo(-6, 1);
    renderer.plan(analysis, neutralPlan(frames, HOP));
    expect(states()).toEqual(Array(5).fill(0));
    expect(memory.match[0]).toBe(1);
  });

  it('of more than can be kept are rendered anew at once, one after another, the farthest given up for the next', () => {
    const long = new Float32Array(60 * TILE).map((_, i) => x[i % length]);
    const all = Math.ceil(long.length / RATE / HOP);
    const pitch = Float32Array.from({ length: all }, (_, k) => f0[k % frames]);
    const voice = analyseVoice([long], RATE, pitch, HOP);
    const edited = (cents: number): VoicePlan => {
      const plan = neutralPlan(all, HOP);
      plan.offsetCents.fill(cents);
      plan.active.fill(1);
      return plan;
    };
    let position = 0;
    let now = 0;
    const writer = new TileWriter(tileMemory(long.length, 1), () => now);
    const renderer = new TileRenderer(writer, { position: () => position, loop: () => null });
    renderer.setHeard([{ offset: 0, from: 0, to: long.length }]);
    const kept = () => Array.from({ length: writer.count }, (_, k) => k).filter(k => slotOf(writer.state(k)) >= 0);
    const good = () => kept().filter(k => !isLate(writer.state(k)));
    renderer.plan(voice, edited(50));
    while (renderer.work() === 'more');
    expect(good()).toHaveLength(32);
    expect(renderer.work()).toBe('nothing');
    // no time passes: what is left cannot be written to yet, and still the next tiles are there
    renderer.plan(voice, edited(80));
    expect([renderer.work(), renderer.work(), renderer.work()]).toEqual(['more', 'more', 'more']);
    expect(good()).toEqual([0, 1, 2]);
    while (renderer.work() === 'more');
    expect(renderer.work()).toBe('soon');
    now += 1000;
    expect(renderer.work()).toBe('more');
    now += 1000;
    position = 40 * TILE + 100;
    expect(renderer.work()).toBe('more');
    expect(good()).toContain(40);
    expect(kept()).toHaveLength(32);
  });
});
