import Konva from 'konva';
import { useEffect, useLayoutEffect, useRef } from 'react';
import { holdField, loopStretch, player, scrub, seek, useSession } from '../open-song';
import { drawGround, groundOf } from './draw/ground';
import { drawVoice } from './draw/notes';
import { hearAlternative } from '../commands/alternatives';
import { drawTabs, tabAt } from './draw/tabs';
import { openMenu } from './menu';
import { drawOverlay, type GestureMark } from './draw/overlay';
import { areaAt, noteAt, type Area } from './hit';
import { TwoFingers } from './pinch';
import { Playhead, type PlayheadHandle } from './Playhead';
import type { Scene } from './scene';
import { cursorAt, MOVED, Press, type FieldPointer, type FieldTool } from './tool';
import {
  layoutFor,
  panBy,
  pitchAt,
  stripTime,
  timeAt,
  zoomPitch,
  zoomTime,
  type Layout,
  type Viewport,
} from './viewport';

interface Props {
  scene: (layout: Layout) => Scene | null;
  /** Anything the scene depends on; a change draws again. */
  version: unknown[];
  tool: FieldTool;
  /** Called with a new view; remember puts the old one on the way back. */
  onView: (view: Viewport, remember?: boolean) => void;
  label: string;
  /** The other button was pressed somewhere: what can be done there is asked for, at a place on the page. */
  onMenu?: (p: FieldPointer, at: { x: number; y: number }) => void;
  /** Where things lie; another for desks with lanes of their own. */
  lay?: (width: number, height: number) => Layout;
}

/** The shared pitch field: strip, ruler, rows, lines and lanes on one Konva stage; wheel, pinch and seeking. */
export function Field({ scene, version, tool, onView, label, onMenu = openMenu, lay = layoutFor }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const head = useRef<PlayheadHandle>(null);
  const stageRef = useRef<{ stage: Konva.Stage; ground: Konva.Layer; voice: Konva.Layer; overlay: Konva.Layer } | null>(
    null,
  );
  const state = useRef<{
    scene: Scene | null;
    layout: Layout;
    mark: GestureMark | null;
    /** What the ground was drawn from last. */
    ground: unknown[];
    make: Props['scene'];
    tool: FieldTool;
    onView: Props['onView'];
    onMenu: NonNullable<Props['onMenu']>;
  }>({
    scene: null,
    layout: lay(100, 300),
    mark: null,
    ground: [],
    make: scene,
    tool,
    onView,
    onMenu,
  });

  useLayoutEffect(() => {
    const div = host.current!;
    const stage = new Konva.Stage({ container: div, width: 100, height: 100 });
    const layer = (draw: (pen: CanvasRenderingContext2D) => void) => {
      const l = new Konva.Layer({ listening: false });
      l.add(new Konva.Shape({ sceneFunc: context => draw(context._context), listening: false }));
      stage.add(l);
      return l;
    };
    const now = state.current;
    const ground = layer(pen => {
      if (!now.scene) return;
      drawGround(pen, now.scene);
      drawTabs(pen, now.scene);
    });
    const voice = layer(pen => now.scene && drawVoice(pen, now.scene));
    const overlay = layer(pen => {
      const s = now.scene;
      if (s) drawOverlay(pen, now.layout, s.palette, now.mark);
    });
    stageRef.current = { stage, ground, voice, overlay };
    const resize = new ResizeObserver(() => {
      const { width, height } = div.getBoundingClientRect();
      stage.size({ width, height });
      now.layout = lay(width, height);
      now.scene = now.make(now.layout);
      stage.batchDraw();
      head.current?.place(now.scene, now.layout);
    });
    resize.observe(div);
    return () => {
      resize.disconnect();
      stage.destroy();
    };
  }, [lay]);

  useEffect(() => {
    const now = state.current;
    now.make = scene;
    now.tool = tool;
    now.onView = onView;
    now.onMenu = onMenu;
    now.scene = scene(now.layout);
    if (host.current && now.scene) host.current.dataset.view = JSON.stringify(now.scene.view);
    const ground = now.scene ? groundOf(now.scene) : [];
    const same = ground.length === now.ground.length && ground.every((v, i) => Object.is(v, now.ground[i]));
    now.ground = ground;
    if (same) stageRef.current?.voice.batchDraw();
    else stageRef.current?.stage.batchDraw();
    head.current?.place(now.scene, now.layout);
    // the caller lists what the scene depends on
    // oxlint-disable-next-line react-hooks/exhaustive-deps
  }, version);

  // playhead, every frame while it moves
  useEffect(() => {
    let frame = 0;
    let last = -1;
    const tick = () => {
      const p = player();
      if (p && p.position !== last) {
        last = p.position;
        follow(last);
        head.current?.place(state.current.scene, state.current.layout);
      }
      frame = requestAnimationFrame(tick);
    };
    const follow = (t: number) => {
      const s = state.current.scene;
      if (!s || !useSession.getState().playing) return;
      const { view } = s;
      if (t > view.to - (view.to - view.from) * 0.06 || t < view.from)
        state.current.onView(panBy(view, t - view.from - (view.to - view.from) * 0.08, 0, s.duration));
    };
    frame = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(frame);
  }, []);

  useEffect(() => {
    const div = host.current!;
    /** What the pressed pointer does: a desk's gesture, or going about in strip and ruler. */
    let press: Press | null = null;
    let going: Area | null = null;
    let from: FieldPointer | null = null;
    const pointer = (e: PointerEvent | MouseEvent): FieldPointer => {
      const rect = div.getBoundingClientRect();
      const x = e.clientX - rect.left;
      const y = e.clientY - rect.top;
      const { scene: s, layout: l } = state.current;
      return {
        x,
        y,
        time: s ? timeAt(s.view, l, x) : 0,
        pitch: s ? pitchAt(s.view, l, y) : 60,
        note: s && areaAt(l, x, y) === 'field' ? noteAt(s.notes, s.view, l, x, y) : null,
        area: areaAt(l, x, y),
        scene: s,
        shift: e.shiftKey,
        alt: e.altKey,
        ctrl: e.ctrlKey || e.metaKey,
      };
    };
    const showMark = (mark: GestureMark | null) => {
      state.current.mark = mark;
      stageRef.current?.overlay.batchDraw();
    };
    const strip = (p: FieldPointer) => {
      const s = state.current.scene;
      if (!s) return;
      const t = stripTime(state.current.layout, s.duration, p.x);
      const half = (s.view.to - s.view.from) / 2;
      state.current.onView(panBy(s.view, t - half - s.view.from, 0, s.duration));
    };
    const fingers = new TwoFingers();
    const down = (e: PointerEvent) => {
      const s = state.current.scene;
      if (e.button !== 0 || !s) return;
      if (e.pointerType === 'touch' && fingers.down(e.pointerId, pointer(e), s.view, state.current.layout)) {
        if (from) cancel();
        return;
      }
      if (from) return;
      div.focus({ preventScroll: true });
      from = pointer(e);
      const area = areaAt(state.current.layout, from.x, from.y);
      going = area === 'strip' || area === 'ruler' ? area : null;
      div.setPointerCapture(e.pointerId);
      if (going === 'strip') stripDown(s, from);
      else if (going === 'ruler') seek(from.time);
      else press = new Press(from, state.current.tool);
    };
    const stripDown = (s: Scene, p: FieldPointer) => {
      const tab = tabAt(s, p.x, p.y);
      if (tab) return void hearAlternative(tab.of.name, tab.of);
      const t = stripTime(state.current.layout, s.duration, p.x);
      const phrase = s.phrases.find(q => t >= q.start && t <= q.end);
      if (phrase) {
        state.current.onView({ ...s.view, from: phrase.start - 0.6, to: phrase.end + 0.6 }, true);
        seek(Math.max(0, phrase.start - 0.3));
      } else strip(p);
    };
    const move = (e: PointerEvent) => {
      const p = pointer(e);
      const seen = fingers.move(e.pointerId, p, state.current.scene?.duration ?? 0);
      if (seen) state.current.onView(seen);
      if (seen !== undefined) return;
      if (!from) {
        state.current.tool.over?.(p);
        div.style.cursor = p.area === 'ruler' ? 'text' : cursorAt(state.current.tool, p);
        return;
      }
      if (press) {
        holdField(true);
        return showMark(press.move(p));
      }
      if (Math.hypot(p.x - from.x, p.y - from.y) < MOVED) return;
      if (going === 'strip') strip(p);
      else if (going === 'ruler' && from.alt) scrub(p.time);
      else if (going === 'ruler') loopStretch(from.time, p.time);
    };
    const end = () => {
      press = from = going = null;
      holdField(false);
      showMark(null);
    };
    const up = (e: PointerEvent) => {
      if (fingers.up(e.pointerId)) return;
      press?.up(pointer(e));
      end();
    };
    /** Esc, or a pointer that is lost: what was begun is given up. */
    const cancel = () => {
      press?.cancel();
      end();
    };
    const escape = (e: KeyboardEvent) => {
      if (e.key !== 'Escape' || !from) return;
      cancel();
      e.stopPropagation();
    };
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      const s = state.current.scene;
      if (!s) return;
      const p = pointer(e);
      const { view, duration } = s;
      const pixels = e.deltaMode === 1 ? 16 : 1;
      const [dx, dy] = [e.deltaX * pixels, e.deltaY * pixels];
      const plain = !e.ctrlKey && !e.metaKey && !e.shiftKey && !e.altKey;
      if (plain && state.current.tool.wheel?.(p, dy)) return;
      const perPixel = (view.to - view.from) / (state.current.layout.width - state.current.layout.ladder);
      const remake = (v: Viewport) => state.current.onView(v);
      // pinching arrives as a wheel with Ctrl
      if (e.ctrlKey && e.altKey) remake(zoomPitch(view, Math.exp(dy * 0.004), p.pitch, duration));
      else if (e.ctrlKey || e.metaKey) remake(zoomTime(view, Math.exp(dy * 0.006), p.time, duration));
      else if (e.shiftKey) remake(panBy(view, dx * perPixel, -dy * 0.02, duration));
      else remake(panBy(view, (dx + dy) * perPixel, 0, duration));
    };
    div.addEventListener('pointerdown', down);
    div.addEventListener('pointermove', move);
    div.addEventListener('pointerup', up);
    const lost = (e: PointerEvent) => {
      if (!fingers.up(e.pointerId)) cancel();
    };
    div.addEventListener('pointercancel', lost);
    div.addEventListener('lostpointercapture', lost);
    const menu = (e: MouseEvent) => {
      e.preventDefault();
      if (!from) state.current.onMenu(pointer(e), { x: e.clientX, y: e.clientY });
    };
    div.addEventListener('contextmenu', menu);
    const leave = () => state.current.tool.over?.(null);
    div.addEventListener('pointerleave', leave);
    div.addEventListener('wheel', wheel, { passive: false });
    window.addEventListener('keydown', escape, true);
    return () => {
      holdField(false);
      div.removeEventListener('pointerdown', down);
      div.removeEventListener('pointermove', move);
      div.removeEventListener('pointerup', up);
      div.removeEventListener('pointercancel', lost);
      div.removeEventListener('lostpointercapture', lost);
      div.removeEventListener('contextmenu', menu);
      div.removeEventListener('pointerleave', leave);
      div.removeEventListener('wheel', wheel);
      window.removeEventListener('keydown', escape, true);
    };
  }, []);

  return (
    <>
      <div
        ref={host}
        role="application"
        aria-label={label}
        tabIndex={0}
        className="absolute inset-0 overflow-hidden touch-none select-none"
        data-testid="field"
      />
      <Playhead ref={head} />
    </>
  );
}
