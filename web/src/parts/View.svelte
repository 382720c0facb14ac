<script lang="ts">
  import { Box3, Vector3 } from 'three';
  import { onDestroy, onMount, untrack } from 'svelte';
  import { api } from '../api/client';
  import type { Op, Session } from '../lib/session.svelte';
  import { strokes, target, type Tool, type UI, type ViewMode } from '../lib/ui.svelte';
  import type { Prep } from '../lib/prep.svelte';
  import { conditionsOf, conditionsOp } from '../lib/conditions';
  import { findStep, title } from '../lib/stack';
  import { cut, mirrorOf, twins } from '../view/twins';
  import { Handles } from '../view/handles';
  import { conditionGrips, stepGrips, suggested } from '../view/grips';
  import { Overlay } from '../view/overlay';
  import { Painter } from '../view/painter';
  import { Owner } from '../view/pointers';
  import { Stage, type Hit } from '../view/stage';
  import CoreSample from './CoreSample.svelte';
  import LightRing from './LightRing.svelte';
  import NumberField from './NumberField.svelte';

  let { session, ui, id, prep = null }: { session: Session; ui: UI; id: string; prep?: Prep | null } = $props();
  let canvas: HTMLCanvasElement;
  let holder: HTMLElement;
  let stage: Stage | null = $state.raw(null);
  let painter: Painter | null = null;
  let owner = new Owner(() => {});
  let loading = $state<'' | 'rough' | 'nothing'>('nothing');
  let failed = $state('');
  let cursor = $state<{ x: number; y: number; path: string; texels: number; mm: number; twins: number } | null>(null);
  let saysWidth = $state(0);
  let wide = $state(0);
  let tall = $state(0);
  let held = $state('');
  let sampleAt = $state({ x: 0, y: 0 });
  /** corners of a lasso that is being drawn, in pixels; a corner a click, or a line while it is dragged */
  let drawn = $state.raw<[number, number][]>([]);
  let drawing = false;
  let before: Tool = 'brush';
  $effect(() => {
    if (ui.tool !== 'lasso') {
      before = ui.tool;
      drawn = [];
    }
  });
  function closeLasso() {
    if (stage && drawn.length >= 3) {
      // no more corners than a screen can tell apart
      const every = Math.ceil(drawn.length / 160);
      const onFlat = stage.overFlat(drawn[0][0]);
      const { view, aspect, flat } = stage.lens(onFlat);
      const outline = drawn.filter((_, i) => i % every === 0).map(([x, y]) => stage!.inPicture(x, y, onFlat));
      ui.lasso = { view, aspect, outline, flat };
      ui.tool = strokes.includes(before) ? before : 'brush';
    }
    drawn = [];
    drawing = false;
  }
  /** the lasso as it lies over the view now, when the view is still its own */
  let lassoPath = $state('');
  function seeLasso(s: Stage) {
    const l = ui.lasso;
    if (!l) return void (lassoPath = '');
    const { view, aspect } = s.lens(!!l.flat);
    const same =
      Math.abs(aspect - l.aspect) < 1e-3 && view.every((v, i) => Math.abs(v - l.view[i]) < 1e-4 * (1 + Math.abs(v)));
    const shown = s.mode === 'both' || (s.mode === 'flat') === !!l.flat;
    lassoPath =
      same && shown
        ? l.outline.map(([x, y], i) => `${i ? 'L' : 'M'}${s.onCanvas(x, y, !!l.flat).join(' ')}`).join('') + 'Z'
        : '';
  }
  /** where the clone's source is seen; found anew when a frame was drawn */
  let mark = $state<{ x: number; y: number } | null>(null);
  $effect(() => {
    const from = ui.source;
    if (!stage) return;
    const s = stage;
    void ui.lasso;
    s.onFrame = () => {
      seeLasso(s);
      if (!from || ui.tool !== 'clone' || ui.mode === 'flat') return void (mark = null);
      const q = s.project(new Vector3(...(from.at as [number, number, number])));
      mark = { x: q.x, y: q.y };
    };
    void ui.tool;
    s.onFrame();
    return () => (s.onFrame = () => {});
  });
  let pan: { x: number; y: number } | null = null;

  const painting = $derived(ui.station === 'Layer' && strokes.includes(ui.tool));
  const t = $derived(target(session, ui));
  const tools: [Tool, string][] = [
    ['orbit', 'O'],
    ['brush', 'P'],
    ['erase', 'E'],
    ['clone', 'G'],
    ['smear', 'Y'],
    ['fill', 'I'],
    ['lasso', 'J'],
    ['drill', 'D'],
    ['reach', 'R'],
  ];
  const modes: [ViewMode, string][] = [
    ['model', 'Model'],
    ['flat', 'Flat'],
    ['both', 'Both'],
  ];

  onMount(() => {
    let s: Stage;
    try {
      s = new Stage(canvas);
    } catch (e) {
      failed = `The browser gives no 3D view (${(e as Error).message}). Switch hardware acceleration on, or use another browser.`;
      return;
    }
    painter = new Painter(s, session, ui);
    owner = new Owner(() => painter?.cancel());
    ui.along = (rail) => painter!.along(rail);
    s.onView = sendView;
    s.load(`/api/projects/${id}/model.glb`).then(
      () => {
        stage = s;
        ui.suggest = (kind) => suggested(kind, s.bounds);
        session.onTile = (tile) => s.write(tile);
        session.onDrafted = () => {
          if (loading) loading = 'rough';
        };
        session.onSettled = () => {
          s.settle();
          loading = '';
          keepPicture();
        };
        applySizes();
        s.setLight(ui.light);
        s.resize();
        s.frame();
        sendView();
      },
      (e) => (failed = e.message),
    );
    const watch = new ResizeObserver(() => s.resize());
    watch.observe(holder);
    // a way for tests and for the curious to see that nothing is drawn in vain
    (window as unknown as { stage: Stage }).stage = s;
    return () => watch.disconnect();
  });
  onDestroy(() => stage?.dispose());

  /** texels a side that were ever wanted of each sheet, so that going away costs nothing */
  let wanted: number[] = [];
  function sendView() {
    if (!stage || !densities.length) return;
    wanted = stage.sheets.map((_, i) => Math.max(wanted[i] ?? 0, stage!.wanted(densities[i])));
    applySizes();
    tellView();
  }
  /** The camera, and what the page holds: told after it was made, so that nothing is sent for what is no more. */
  function tellView() {
    if (!stage || !densities.length) return;
    session.view(
      stage.cardsCamera(132 / 72),
      wanted,
      stage.sheets.map((s) => s.gen),
    );
  }
  function applySizes() {
    if (!stage || !session.doc) return;
    stage.sheets.forEach((sheet, i) => {
      const size = session.doc!.sheets?.[sheet.name]?.size;
      if (size && densities[i] > 0) stage!.setSize(i, Math.min(size, wanted[i] ?? 512));
      const clear = session.rows.some(
        ({ layer: l }) =>
          l.visible && l.channels?.opacity?.on && (!l.reach.sheets?.length || l.reach.sheets.includes(sheet.name)),
      );
      stage!.setTransparent(i, clear);
    });
  }
  let kept = 0;
  async function keepPicture() {
    if (!stage || ui.alone || stage.mode !== 'model' || Date.now() - kept < 20000) return;
    kept = Date.now();
    await new Promise((r) => setTimeout(r, 400));
    const png = await stage?.snapshot();
    if (png) await api.picture(id, png).catch(() => {});
  }

  $effect(() => {
    if (!stage || !session.doc) return;
    applySizes();
    tellView();
  });
  $effect(() => {
    if (!stage) return;
    stage.mode = ui.station === 'Judge' ? 'model' : ui.mode;
    stage.invalidate();
    sendView();
  });
  $effect(() => {
    stage?.setLight(ui.light);
    stage?.hurry();
  });
  $effect(() => stage?.showAlone(ui.alone));
  // in Prepare the view shows what is looked at there
  let overlay: Overlay | null = null;
  $effect(() => {
    if (!stage || !prep || ui.station !== 'Prepare') return;
    const [s, p] = [stage, prep];
    overlay ??= new Overlay(s);
    void session.doc?.prepared;
    untrack(() => p.attach(s, overlay));
    return () => {
      p.attach(null, null);
      overlay?.clear();
      overlay?.edges([]);
    };
  });
  // what can be pulled on the model: the conditions while they are open, else the
  // places of the open step
  let handles: Handles | null = null;
  let pulled = -1;
  let change: Record<string, unknown> | null = null;
  let near = $state<{ x: number; y: number; label: string } | null>(null);
  const pullable = $derived.by(() => {
    if (ui.station !== 'Layer' || ui.mode === 'flat' || painting) return null;
    if (ui.conditions) {
      const facts = conditionsOf(session);
      return {
        show: (over: object) => conditionGrips({ ...facts, ...over }, stage!.bounds),
        op: (over: object, label: string) => conditionsOp(session, over, `Pull ${label}`),
      };
    }
    const layer = session.layer(ui.selected);
    const step = ui.step ? findStep(layer, ui.step) : undefined;
    const kind = step && session.about.steps!.find((k) => k.kind === step.kind);
    if (!layer || !step || !kind) return null;
    return {
      show: (over: Record<string, unknown>) => stepGrips(kind, step, over, stage!.bounds),
      op: (over: Record<string, unknown>, label: string): Op => {
        const [[name, value]] = Object.entries(over);
        const text = `Pull ${label} of ${title(session.about.steps!, step)}`;
        return { kind: 'step.set', target: layer.id, step: step.id, path: `params.${name}`, value, label: text };
      },
    };
  });
  /** faces without a counterpart, while two sides are being compared */
  const missing = $derived.by(() => {
    const p = painting && ui.pair ? session.sides?.missing : undefined;
    if (!p?.length) return null;
    const traces = [];
    for (let i = 0; i + 8 < p.length; i += 9) {
      const corner = (k: number) => new Vector3(p[i + k], p[i + k + 1], p[i + k + 2]);
      traces.push({ points: [corner(0), corner(3), corner(6), corner(0)], color: 0xe2735f });
    }
    return { grips: [], traces, blobs: [] };
  });
  const symmetry = $derived(
    painting && ui.tool !== 'fill' && !ui.opposite ? mirrorOf(ui.mirror, stage!.bounds) : undefined,
  );
  /** the planes and the axis by which strokes are repeated */
  const planes = $derived.by(() => {
    if (!symmetry || !stage) return null;
    const box = stage.bounds.clone().expandByScalar(stage.bounds.getSize(new Vector3()).length() * 0.04);
    const { at, planes, axis, radial } = symmetry;
    const traces = planes.map((n) => ({ points: cut(at, n, box), color: 0xc98fb4, before: true }));
    if (radial > 1) {
      const far = axis.clone().multiplyScalar(box.getSize(new Vector3()).length());
      const ends = box.clone().intersect(new Box3(at.clone().sub(far), at.clone().add(far)));
      const end = (p: Vector3) => at.clone().addScaledVector(axis, p.clone().sub(at).dot(axis));
      traces.push({ points: [end(ends.min), end(ends.max)], color: 0xc98fb4, before: true });
    }
    return { grips: [], traces, blobs: [] };
  });
  $effect(() => {
    if (!stage || (!pullable && !missing && !planes && !handles)) return;
    handles ??= new Handles(stage);
    if (pulled >= 0) return;
    if (pullable) handles.show(pullable.show({}));
    else if (missing) handles.show(missing);
    else if (planes) handles.show(planes);
    else handles.clear();
  });
  $effect(() => stage?.setSharpness(ui.sharpness));
  $effect(() =>
    stage?.setLook({ exposure: ui.exposure, background: ui.background, blur: ui.blur, shadows: ui.shadows }),
  );
  $effect(() => {
    if (stage) stage.controls.enabled = !painting && ui.mode !== 'flat' && !held;
  });
  $effect(() => {
    if (!painting) cursor = null;
  });

  const local = (e: PointerEvent | MouseEvent) => {
    const r = canvas.getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top, r.left, r.top] as const;
  };

  function down(e: PointerEvent) {
    if (!stage) return;
    const [x, y] = local(e);
    if (held === 'l') return;
    const grip = pullable && e.button === 0 && !ui.taking ? (handles?.hit(x, y) ?? -1) : -1;
    if (grip >= 0) {
      pulled = grip;
      stage.controls.enabled = false;
      capture(e.pointerId);
      return;
    }
    if (e.button === 0 && prep && prep.hand !== 'look' && ui.station === 'Prepare' && !e.altKey) {
      const h = stage.pick(x, y);
      if (!h) return;
      stage.controls.enabled = false;
      prep.click(h.pos.toArray(), h.nrm.toArray());
      return;
    }
    if (e.button === 0 && (ui.taking || (ui.tool === 'reach' && ui.station === 'Layer'))) {
      const h = stage.pick(x, y);
      if (!h) return;
      stage.controls.enabled = false;
      const { taking } = ui;
      session.pick(h.pos.toArray(), h.nrm.toArray(), (p) => {
        if (taking) {
          ui.taking = null;
          taking.take(p, h.pos.toArray(), h.nrm.toArray());
        } else ui.onReach(p);
      });
      return;
    }
    if (ui.tool === 'lasso' && ui.station === 'Layer' && e.button === 0 && !e.altKey) {
      const [first] = drawn;
      if (first && stage.overFlat(x) !== stage.overFlat(first[0])) return; // an outline lies in one of the two pictures
      if (first && drawn.length > 2 && Math.hypot(first[0] - x, first[1] - y) < 10) return closeLasso();
      drawn = [...drawn, [x, y]];
      drawing = true;
      stage.controls.enabled = false;
      capture(e.pointerId);
      return;
    }
    if (ui.tool === 'clone' && painting && e.button === 0 && !e.altKey && (ui.marking || !ui.source)) {
      const h = stage.pick(x, y);
      if (h) ui.source = { at: h.pos.toArray(), nrm: h.nrm.toArray() };
      ui.marking = !h;
      return;
    }
    const erasing = e.pointerType === 'pen' && e.button === 5;
    if (painting && (e.button === 0 || erasing) && !e.altKey) {
      const verdict = owner.down(e);
      if (verdict === 'view') {
        orbitFrom(e);
        return;
      }
      if (verdict === 'nothing') return;
      capture(e.pointerId);
      const why = painter!.down(e, x, y);
      if (why) session.message = `A stroke can hit nothing: ${why}.`;
      else if (!painter!.took) {
        owner.up(e);
        orbitFrom(e);
      }
      return;
    }
    if (painting || (stage.overFlat(x) && ui.tool !== 'drill')) {
      if (stage.overFlat(x)) {
        pan = { x, y };
        stage.controls.enabled = false;
        capture(e.pointerId);
      } else orbitFrom(e);
      return;
    }
    if (ui.tool === 'drill' && e.button === 0) drill(stage.pick(x, y), x, y);
  }
  /** Keeps the pointer's events here; a played pen is none that could be kept. */
  function capture(id: number) {
    try {
      canvas.setPointerCapture(id);
    } catch {
      // not a pointer of the browser
    }
  }
  /** Off the model, or with Alt, the brush's pointer turns the view. */
  function orbitFrom(e: PointerEvent) {
    if (!stage || stage.controls.enabled || stage.mode === 'flat') return;
    stage.controls.enabled = true;
    if (canvas.hasPointerCapture(e.pointerId)) canvas.releasePointerCapture(e.pointerId);
    canvas.dispatchEvent(new PointerEvent('pointerdown', e));
  }
  function drill(h: Hit | null, x: number, y: number) {
    session.drill = null;
    if (!h) return;
    sampleAt = { x, y };
    session.sample(h.pos.toArray(), h.nrm.toArray());
  }
  const at2 = (p: Vector3) => {
    const q = stage!.project(p);
    return { x: q.x, y: q.y };
  };
  function move(e: PointerEvent) {
    if (!stage) return;
    const [x, y, left, top] = local(e);
    if (held === 'l') {
      ui.light = (ui.light + e.movementX * 0.6 + 360) % 360;
      return;
    }
    if (drawing) {
      const last = drawn[drawn.length - 1];
      if (stage.overFlat(x) !== stage.overFlat(last[0])) return;
      if (Math.hypot(last[0] - x, last[1] - y) > 4) drawn = [...drawn, [x, y]];
      return;
    }
    if (pulled >= 0 && pullable) {
      const grip = handles!.grip(pulled)!;
      change = grip.change(handles!.drag(pulled, x, y, e.ctrlKey || e.metaKey));
      session.preview(pullable.op(change, grip.label));
      handles!.show(pullable.show(change));
      const now = handles!.grip(pulled);
      near = now ? { ...at2(now.at), label: now.label } : null;
      return;
    }
    const over = pullable && !e.buttons ? (handles?.hit(x, y) ?? -1) : -1;
    near = over >= 0 ? { ...at2(handles!.grip(over)!.at), label: handles!.grip(over)!.label } : null;
    if (held === 's' && painting) {
      const grow = Math.exp(e.movementX / 120);
      if (ui.brush.onScreen) ui.brush.pixels = Math.min(Math.max(ui.brush.pixels * grow, 1), 400);
      else ui.brush.size = Math.min(Math.max(ui.brush.size * grow, 1e-5), 5);
      ui.brush.strength = Math.min(Math.max(ui.brush.strength - e.movementY / 250, 0), 1);
    }
    if (pan) {
      stage.panFlat(x - pan.x, y - pan.y);
      pan = { x, y };
    }
    if (owner.owns(e)) painter?.move(e, left, top);
    if (!painting || (owner.active && !owner.owns(e))) return;
    const h = stage.pick(x, y);
    const radius = h && painter ? painter.radius(h.pos) : ui.brush.size;
    if (h && t.ok && painter && !painter.active) session.near(t.layer, h.pos.toArray(), radius);
    let path = h && !stage.overFlat(x) ? stage.footprint(h, radius) : '';
    if (path && h && symmetry)
      for (const w of twins(symmetry)) {
        const there = { pos: h.pos.clone().applyMatrix4(w), nrm: h.nrm.clone().transformDirection(w) };
        path += stage.footprint(there, radius, true);
      }
    const size = h ? (session.doc?.sheets?.[stage.sheets[h.sheet]?.name]?.size ?? 0) : 0;
    const density = h ? densities[h.sheet] * size : 0;
    cursor = {
      x,
      y,
      path,
      texels: Math.round(radius * 2 * density),
      mm: radius * 2000,
      twins: h ? stage.sharers(h) : 0,
    };
  }
  function up(e: PointerEvent) {
    if (pulled >= 0 && change && pullable) session.op(pullable.op(change, handles!.grip(pulled)!.label));
    pulled = -1;
    change = near = null;
    if (drawing) {
      drawing = false;
      // a line that was dragged closes by itself; single clicks go on
      if (drawn.length > 8) closeLasso();
    }
    if (owner.up(e)) painter?.up(local(e)[0], local(e)[1]);
    pan = null;
    if (canvas.hasPointerCapture(e.pointerId)) canvas.releasePointerCapture(e.pointerId);
    if (stage) stage.controls.enabled = !painting && ui.mode !== 'flat';
  }
  /** The system took a pointer away. */
  function lost(e: PointerEvent) {
    const what = owner.lost(e);
    if (what === 'keep') painter?.up(local(e)[0], local(e)[1]);
    if (what === 'drop') painter?.cancel();
    up(e);
  }
  function wheel(e: WheelEvent) {
    if (!stage) return;
    if (!stage.overFlat(local(e)[0])) {
      // the wheel brings the model nearer whatever is in the hand
      if (stage.controls.enabled) return;
      stage.controls.enabled = true;
      setTimeout(() => stage && (stage.controls.enabled = !painting && ui.mode !== 'flat' && !held));
      return;
    }
    e.preventDefault();
    e.stopPropagation();
    stage.zoomFlat(Math.exp(e.deltaY * 0.001));
  }
  let densities = $state<number[]>([]); // sheet edges a metre
  // svelte-ignore state_referenced_locally
  api
    .facts(id)
    .then((f) => {
      densities = (f.sheets ?? []).map((s) => s.density / 1024);
      sendView();
    })
    .catch(() => {});

  function keydown(e: KeyboardEvent) {
    if (e.target instanceof HTMLElement && e.target.closest('input, select, textarea')) return;
    const k = e.key.toLowerCase();
    if (!e.ctrlKey && !e.metaKey && (k === 'l' || k === 's')) held = k;
    if (k === 'f') stage?.frame();
    if (k === 'escape' && owner.escape()) e.stopPropagation();
    if (ui.tool === 'lasso' && k === 'enter') closeLasso();
    if (ui.tool === 'lasso' && k === 'escape') drawn = [];
  }
</script>

<svelte:window onkeydown={keydown} onkeyup={() => (held = '')} onblur={() => (held = '')} />
<div class="view" bind:this={holder} bind:clientWidth={wide} bind:clientHeight={tall}>
  <canvas
    bind:this={canvas}
    class:painting={painting && t.ok}
    class:pulling={!!near}
    class:drilling={(ui.station === 'Prepare' && prep && prep.hand !== 'look') ||
      ui.tool === 'drill' ||
      ui.tool === 'reach' ||
      !!ui.taking}
    aria-label="The model"
    data-settled={session.settled}
    onpointerdowncapture={down}
    onpointermove={move}
    onpointerup={up}
    onpointercancel={lost}
    onpointerleave={() => (cursor = null)}
    onwheelcapture={wheel}
    oncontextmenu={(e) => e.preventDefault()}
  ></canvas>
  {#if ui.station === 'Layer'}
    <div class="bar left-3" role="toolbar" aria-label="Tools">
      {#each tools as [tool, key] (tool)}
        <button class="tool" aria-pressed={ui.tool === tool} title={`${tool} (${key})`} onclick={() => (ui.tool = tool)}
          >{tool[0].toUpperCase() + tool.slice(1)}</button
        >
      {/each}
      <button
        class="tool"
        aria-pressed={ui.press}
        title="The stamp press: make a stamp, or take one (Shift P)"
        onclick={() => (ui.press = true)}>Stamp</button
      >
    </div>
  {/if}
  {#if ui.station !== 'Judge'}
    <div class="bar right-3" role="toolbar" aria-label="What is shown">
      <button class="tool" title="Fit the model in the view (F)" onclick={() => stage?.frame()}>Frame</button>
      {#each modes as [mode, label] (mode)}
        <button class="tool" aria-pressed={ui.mode === mode} onclick={() => (ui.mode = mode)}>{label}</button>
      {/each}
    </div>
  {/if}
  {#if drawn.length}
    <svg class="over" aria-hidden="true"
      ><path class="halo" d={'M' + drawn.map((p) => p.join(' ')).join('L')} /><path
        d={'M' + drawn.map((p) => p.join(' ')).join('L')}
      /></svg
    >
  {:else if lassoPath && (painting || ui.tool === 'lasso')}
    <svg class="over" aria-hidden="true"><path class="halo" d={lassoPath} /><path class="dashes" d={lassoPath} /></svg>
  {/if}
  {#if ui.lasso && (painting || ui.tool === 'lasso') && ui.station === 'Layer'}
    <div class="limits" role="status" aria-label="Lasso">
      <span>Strokes stay {ui.outside ? 'outside' : 'in'} the lasso{lassoPath ? '' : ', drawn from another view'}</span>
      <span class="quiet">soft</span>
      <span class="w-20"
        ><NumberField
          label="Feather of the lasso"
          value={ui.feather}
          min={0}
          max={200}
          whole
          unit="px"
          fallback={12}
          commit={(v) => (ui.feather = v)}
        /></span
      >
      <button class="chip" aria-pressed={ui.outside} onclick={() => (ui.outside = !ui.outside)}>Outside</button>
      <button class="chip" onclick={() => (ui.lasso = null)}>Let go</button>
    </div>
  {/if}
  {#if ui.tool === 'clone' && painting && mark}
    <svg class="over" aria-label="Where cloning takes from" role="img">
      <g transform={`translate(${mark.x} ${mark.y})`}>
        <path class="halo" d="M-9 0H9M0 -9V9" /><path d="M-9 0H9M0 -9V9" />
      </g>
    </svg>
  {/if}
  {#if near}<div class="says" style:left={`${near.x + 14}px`} style:top={`${near.y - 30}px`}>{near.label}</div>{/if}
  {#if cursor}
    <svg class="over" aria-hidden="true"><path d={cursor.path} class="halo" /><path d={cursor.path} /></svg>
    <div
      class="says"
      class:bad={!t.ok}
      bind:clientWidth={saysWidth}
      style:left={`${Math.max(Math.min(cursor.x + 22, wide - saysWidth - 12), 4)}px`}
      style:top={`${cursor.y + (cursor.y > tall - 70 ? -48 : 14)}px`}
    >
      {#if ui.tool === 'clone' && (ui.marking || !ui.source)}a click marks where cloning takes from ·{/if}
      {t.text}{#if t.ok}{' '}· <b>{Math.round(ui.brush.strength * 100)} %</b>
        <span class="quiet">· {cursor.mm.toFixed(1)} mm{cursor.texels ? `, ${cursor.texels} texels` : ''}</span>{/if}
      {#if cursor.twins}<br /><span class="shares"
          >the UVs overlap: it shows in {cursor.twins} other place{cursor.twins > 1 ? 's' : ''} too</span
        >{/if}
    </div>
  {/if}
  {#if painting && !t.ok}
    <div class="refused" role="status">
      <span>A stroke can hit nothing: {t.text}.</span>
      {#if t.remedy}<button class="chip" onclick={t.remedy.run}>{t.remedy.label}</button>{/if}
    </div>
  {/if}
  {#if session.drill && ui.tool === 'drill'}<CoreSample {session} {ui} at={sampleAt} />{/if}
  {#if ui.mode !== 'flat' || ui.station === 'Judge'}<LightRing {ui} />{/if}
  {#if ui.alone || ui.solo}<div class="alone">
      {ui.alone === 'step'
        ? 'result up to this step'
        : ui.alone
          ? (session.channels.find((c) => c.channel === ui.alone)?.label ?? ui.alone)
          : session.layer(ui.solo)?.name} alone
      {#if !ui.alone}<button class="chip" onclick={() => (ui.solo = '')}>Show all</button>{/if}
    </div>{/if}
  {#if ui.station === 'Prepare' && prep && prep.hand !== 'look'}
    <div class="alone">
      {prep.hand === 'island'
        ? 'A click chooses an island, or lets it go'
        : `A click ${prep.away ? 'takes away' : 'marks'} ${
            prep.hand === 'path'
              ? prep.corner < 0
                ? 'the start of a path'
                : 'the way to here'
              : prep.hand === 'loop'
                ? 'a whole loop'
                : 'an edge'
          } · Alt turns the view`}
    </div>
  {:else if ui.tool === 'lasso' && ui.station === 'Layer'}
    <div class="alone">
      Draw round what strokes may reach, or click corner by corner and end on the first · Alt turns the view
    </div>
  {:else if ui.taking}
    <div class="alone">
      Click on the model or the flat sheet to {ui.taking.label}
      <button class="chip" onclick={() => (ui.taking = null)}>Stop</button>
    </div>
  {:else if ui.tool === 'reach' && ui.station === 'Layer'}
    <div class="alone">
      A click takes a {ui.reachKind} into the reach of {session.layer(ui.selected)?.name ?? 'no layer'}, or out of it
    </div>
  {/if}
  {#if failed}
    <div class="veil" role="alert"><p>{failed}</p></div>
  {:else if loading === 'nothing'}
    <div class="veil" aria-busy="true"><p>Laying the coats on …</p></div>
  {:else if loading}
    <div class="finer" aria-busy="true">rough still; the finer coats come</div>
  {/if}
</div>

<style>
  .view {
    position: absolute;
    inset: 0;
    overflow: hidden;
    background: #5a5a5a;
  }
  canvas {
    display: block;
    width: 100%;
    height: 100%;
    touch-action: none;
  }
  canvas.painting {
    cursor: crosshair;
  }
  canvas.pulling {
    cursor: grab;
  }
  canvas.drilling {
    cursor: cell;
  }
  .bar {
    position: absolute;
    top: 10px;
    display: flex;
    gap: 2px;
    background: color-mix(in srgb, var(--panel) 94%, transparent);
    border: 1px solid var(--line);
    border-radius: 4px;
    padding: 2px;
  }
  .tool {
    min-height: 28px;
    padding: 0 11px;
    border-radius: 3px;
  }
  .tool[aria-pressed='true'] {
    background: var(--raised);
    box-shadow: inset 0 -2px var(--verdigris);
  }
  .over {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    pointer-events: none;
  }
  .over path {
    fill: none;
    stroke: white;
    stroke-width: 1.2;
  }
  .over path.halo {
    stroke: rgb(0 0 0 / 0.55);
    stroke-width: 3;
  }
  .says {
    position: absolute;
    z-index: 3;
    pointer-events: none;
    background: var(--panel);
    border-left: 3px solid var(--verdigris);
    padding: 2px 8px;
    font-size: 13px;
    white-space: nowrap;
  }
  .shares {
    color: var(--ochre);
  }
  .says.bad,
  .refused {
    border-left-color: var(--brick);
  }
  .refused {
    position: absolute;
    left: 12px;
    top: 54px;
    display: flex;
    align-items: center;
    gap: 10px;
    background: var(--panel);
    border-left: 4px solid var(--brick);
    padding: 4px 10px;
  }
  .alone {
    position: absolute;
    left: 50%;
    bottom: 12px;
    translate: -50% 0;
    background: var(--panel);
    border-left: 3px solid var(--ochre);
    padding: 2px 10px;
  }
  .limits {
    position: absolute;
    left: 12px;
    top: 54px;
    display: flex;
    align-items: center;
    gap: 8px;
    background: var(--panel);
    border-left: 4px solid var(--verdigris);
    padding: 3px 10px;
  }
  .over path.dashes {
    stroke-dasharray: 6 4;
  }
  .finer {
    position: absolute;
    left: 16px;
    bottom: 12px;
    padding: 2px 10px;
    background: var(--panel);
    color: var(--quiet);
    border-left: 3px solid var(--verdigris);
    pointer-events: none;
  }
  .veil {
    position: absolute;
    inset: 0;
    display: grid;
    place-content: center;
    background: rgb(70 70 70 / 0.75);
    color: white;
    padding: 30px;
    pointer-events: none;
  }
</style>
