import { Alternative } from '@essim/core';
import { layout, sceneNow } from '../../testing-field';
import { open, song, sung, take, track } from '../../testing';
import { stripX } from '../viewport';
import { tabAt, tabsOf } from './tabs';

const alternative = (name: string, start: number, heard = false) =>
  Object.assign(new Alternative(), { id: name, name, start, end: start + 4, heard });
const list = [alternative('A', 2), alternative('B', 2, true), alternative('A', 10)];

it('tunings of a phrase hang side by side on its card, those of another on its own', async () => {
  await open(song([track('lead', [take('a')])]), { a: sung(60, [4]) });
  const scene = sceneNow({ alternatives: list, duration: 20 });
  const tabs = tabsOf(scene);
  expect(tabs.map(t => t.of)).toEqual(list);
  expect(tabs[1].x).toBeGreaterThan(tabs[0].x + 10);
  expect(tabs[2].x - tabs[0].x).toBeCloseTo(stripX(layout, 20, 10) - stripX(layout, 20, 2), 6);
  for (const t of tabs) {
    expect(tabAt(scene, t.x + 3, t.y + 3)?.of).toBe(t.of);
    expect(t.y).toBeGreaterThan(layout.strip.top);
    expect(t.y).toBeLessThan(layout.strip.bottom);
  }
  expect(tabAt(scene, tabs[0].x - 3, tabs[0].y + 3)).toBeNull();
  expect(tabAt(scene, tabs[0].x + 3, tabs[0].y - 3)).toBeNull();
});
