<script lang="ts">
  // The view: a canvas, the tools that work on it, and what they say over it.
  import { Vector3 } from 'three';
  import { onDestroy, onMount, untrack } from 'svelte';
  import { api } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { target, type Target } from '../lib/target';
  import type { UI } from '../lib/ui.svelte';
  import type { Prep } from '../lib/prep.svelte';
  import type { Rect, Shown } from '../view/cells';
  import { dropDecal } from '../lib/decals.svelte';
  import { dropSlide, lensOf } from '../lib/slides';
  import { isPicture } from '../lib/dropped';
  import { covered } from '../lib/reach';
  import { keyOf, stock } from '../lib/stock.svelte';
  import { Detail } from '../view/detail.svelte';
  import { suggested } from '../view/grips';
  import { Overlay } from '../view/overlay';
  import { outlines, planes } from '../view/shown';
  import { Stage } from '../view/stage';
  import { Hand } from '../view/tools/hand';
  import { Lasso } from '../view/tools/lasso.svelte';
  import { Line } from '../view/tools/line.svelte';
  import { Drill, Pan } from '../view/tools/look.svelte';
  import { Mark, Source, Take } from '../view/tools/picks';
  import { Pull } from '../view/tools/pull.svelte';
  import { FitHand } from '../view/tools/fit';
  import { StencilHand } from '../view/tools/stencil';
  import { Strokes } from '../view/tools/strokes.svelte';
  import CoreSample from './CoreSample.svelte';
  import LightRing from './LightRing.svelte';
  import { Focus } from '../view/tools/focus';
  import { lampFor } from '../view/lamp';
  import Bars from './view/Bars.svelte';
  import BrushCursor from './view/BrushCursor.svelte';
  import Hints from './view/Hints.svelte';
  import LineUpOver from './view/LineUp.svelte';
  import LassoLine from './view/LassoLine.svelte';
  import StencilOver from './view/StencilOver.svelte';

  let { session, ui, id, prep = null }: { session: Session; ui: UI; id: string; prep?: Prep | null } = $props();
  let glass: HTMLElement;
  let canvas: HTMLCanvasElement;
  let holder: HTMLElement;
  let loading = $state<'' | 'rough' | 'nothing'>('nothing');
  let failed = $state('');
  let wide = $state(0);
  let tall = $state(0);
  /** counts what the camera does */
  let views = $state(0);
  /** a key that is held: l turns the light, s sizes the brush, z moves the stencil */
  let held = $state('');
  /** where the clone's source is seen */
  let source = $state<{ x: number; y: number } | null>(null);

  /** All that works on the model, once it is there. */
  interface Ready {
    stage: Stage;
    detail: Detail;
    strokes: Strokes;
    lasso: Lasso;
    pull: Pull;
    line: Line;
    drill: Drill;
    stencil: StencilHand;
    hand: Hand;
  }
  let ready = $state.raw<Ready | null>(null);
  const t = $derived.by((): Target => {
    const t = target(session, ui);
    const sheet = ui.painting && ready?.strokes.bare;
    if (!t.ok || !sheet) return t;
    const remedy = { label: 'Unwrap it', run: () => (ui.station = 'Prepare') };
    return { ...t, ok: false, text: `“${sheet}” has no UVs`, remedy };
  });

  let made = $state.raw<Stage | null>(null);
  onMount(() => {
    let stage: Stage;
    try {
      stage = made = new Stage(glass);
      canvas = stage.canvas;
    } catch (e) {
      failed = `The browser gives no 3D view (${(e as Error).message}). Switch hardware acceleration on, or use another browser.`;
      return;
    }
    const facts = api.facts(id);
    stage.load(`/api/projects/${id}/model.glb`).then(
      () => stage.gone || begin(stage, facts),
      (e) => (failed = e.message),
    );
    const watch = new ResizeObserver(() => stage.resize());
    watch.observe(holder);
    // a way for tests and for the curious to see that nothing is drawn in vain
    (window as unknown as { stage: Stage }).stage = stage;
    return () => watch.disconnect();
  });
  onDestroy(() => made?.dispose());
  $effect(() => {
    if (made) made.canvas.dataset.settled = String(session.settled);
  });

  /** The model is there. */
  function begin(stage: Stage, facts: ReturnType<typeof api.facts>) {
    const b = { stage, session, ui };
    const detail = new Detail(stage, session);
    const strokes = new Strokes(
      b,
      (sheet) => detail.densities[sheet] ?? 0,
      (sheet) => detail.bare(sheet),
    );
    const line = new Line(b, (rail) => strokes.painter.alongIt(rail));
    const [lasso, pull, drill] = [new Lasso(b), new Pull(b, line), new Drill(b)];
    const stencil = new StencilHand(b, () => held === 'z');
    const tools = [
      stencil,
      new FitHand(b),
      pull,
      new Mark(b, prep),
      new Focus(b),
      new Take(b),
      lasso,
      line,
      new Source(b),
      strokes,
      new Pan(b),
      drill,
    ];
    const hand = new Hand(canvas, stage, tools, () => !ui.painting && ui.mode !== 'flat');
    ready = { stage, detail, strokes, lasso, pull, line, drill, stencil, hand };
    ui.onto = (at, nrm, far) => line.onto(at, nrm, far);
    ui.extent = stage.extent([], []);
    ui.brush.fit(ui.extent / session.about.extent);
    ui.extentOf = (r) => {
      const sheets = (r.sheets ?? []).map((n) => stage.worn.list.findIndex((s) => s.name === n));
      return stage.extent(r.parts ?? [], sheets) || ui.extent;
    };
    ui.goTo = (eye, target, view) => {
      const { focal, flat } = stage.goTo(eye, target, view);
      Object.assign(ui.look, { focal, flat });
    };
    ui.judge = {
      view: () => ({ eye: stage.eye.toArray(), at: stage.controls.target.toArray(), view: stage.lens().view }),
      still: (w, h) => stage.stillView(w, h),
      quick: (w, h, clear) => stage.quick(w, h, clear),
      small: () => stage.small(),
      size: () => [stage.canvas.clientWidth, stage.canvas.clientHeight],
      parts: () => [...new Set(stage.meshes.map((m) => m.userData.part as string))],
    };
    ui.lens = () => ({ ...lensOf(stage), ...stage.bareLens() });
    ui.bare = (sheet) => stage.worn.list.some((s, i) => s.name === sheet && detail.bare(i) !== '');
    ui.middle = () => stage.bounds.getCenter(new Vector3()).toArray();
    ui.watchInk = () => stage.worn.ink.watch();
    ui.screenUp = () => new Vector3(0, 1, 0).applyQuaternion(stage.camera.quaternion).toArray();
    ui.along = (rail) => strokes.painter.along(rail);
    ui.suggest = (kind) => suggested(kind, stage.bounds);
    stage.onView = () => {
      views++;
      void detail.see();
    };
    stage.onRestored = () => detail.anew();
    session.onTile = (tile) => {
      stage.worn.write(tile);
      count();
    };
    session.onComing = (c) => {
      stage.worn.coming(c);
      count();
    };
    session.onLine = () => stage.worn.reconnected();
    session.onShows = (upTo) => stage.worn.shows(upTo);
    session.onDrafted = () => {
      if (loading) loading = 'rough';
    };
    session.onSettled = () => {
      stage.worn.settle();
      stage.invalidate();
      detail.count();
      loading = '';
      keepPicture(stage);
    };
    detail.apply();
    ui.look.most = stage.mostMaps;
    stage.setLight(ui.look.light, ui.look.tilt);
    stage.resize();
    stage.frame();
    void detail.begin(facts).finally(() => stage.wake());
  }

  /** the pictures of the line-up, and where they are */
  let cells = $state.raw<Shown[]>([]);
  let places = $state.raw<Rect[]>([]);
  $effect(() => {
    const { lineup } = ui;
    if (!ready || !lineup) return;
    const { stage, detail } = ready;
    const own = lineup.list.map((a) => stage.cell(a, session, lineup.list.length));
    untrack(() => show(own));
    function show(list: Shown[]) {
      cells = list;
      stage.lineUp(list);
      places = stage.places();
      detail.lineUp(list);
    }
    return () => {
      show([]);
      own.forEach((c) => c.dispose());
    };
  });
  $effect(() => {
    const { lineup } = ui;
    if (ready && lineup) ready.stage.compare({ way: lineup.way, at: lineup.at, times: lineup.times });
  });
  $effect(() => {
    void [wide, tall, ui.lineup?.way];
    if (ready && cells.length) places = ready.stage.places();
  });
  function takeOne(i: number) {
    const { lineup } = ui;
    ui.lineup = null;
    lineup?.take(lineup.list[i], session);
  }
  /** where the pointer went down on a line-up; it takes one when it comes up there */
  let pressed = { x: 0, y: 0 };
  function down(e: PointerEvent) {
    if (cells.length) pressed = { x: e.clientX, y: e.clientY };
    else if (held !== 'l') ready?.hand.down(e);
  }
  function up(e: PointerEvent) {
    if (!cells.length) return ready?.hand.up(e);
    if (ui.lineup?.way !== 'beside' || !ui.lineup.takes) return; // two lie upon each other: they are taken by their names
    if (e.button || Math.hypot(e.clientX - pressed.x, e.clientY - pressed.y) > 4) return;
    const box = canvas.getBoundingClientRect();
    const [x, y] = [e.clientX - box.left, box.bottom - e.clientY];
    const i = places.findIndex((p) => x >= p.x && x < p.x + p.w && y >= p.y && y < p.y + p.h);
    if (i >= 0) takeOne(i);
  }

  /** The place under a pointer that carries a material. */
  function under(e: DragEvent) {
    const box = canvas.getBoundingClientRect();
    const h = ready?.stage.pick(e.clientX - box.left, e.clientY - box.top);
    if (!h) return null;
    const sheet = ready!.stage.worn.list[h.sheet].name;
    return { part: h.part, sheet, pos: h.pos.toArray(), nrm: h.nrm.toArray() };
  }
  let asking = false;
  /** Where the pointer is in the view, in halves of its height from its middle. */
  function place(e: DragEvent): [number, number] {
    const box = canvas.getBoundingClientRect();
    const [x, y] = ready!.stage.inPicture(e.clientX - box.left, e.clientY - box.top);
    return [x * ready!.stage.lens().aspect, y];
  }
  /** files are dragged over the view */
  let files = $state(false);
  async function over(e: DragEvent) {
    files = !ui.held && ui.station === 'Layer' && !!e.dataTransfer?.types.includes('Files');
    if (!ui.held || ui.station !== 'Layer') return;
    e.preventDefault(); // it can be put down here
    if (asking) return; // the next move asks again
    asking = true;
    const on = await covered(session, ui, under(e)).catch(() => null);
    asking = false;
    void ui.held?.try(on);
  }
  async function drop(e: DragEvent) {
    files = false;
    const held = ui.held;
    const at = under(e);
    const list = [...(e.dataTransfer?.files ?? [])];
    const one = !held && ui.station === 'Layer' && list.length === 1 && isPicture(list[0]);
    if (one && e.shiftKey && ready && ui.mode !== 'flat') {
      e.preventDefault();
      e.stopPropagation();
      return void dropSlide(session, ui, list[0], lensOf(ready.stage), place(e)).catch(
        (err) => (session.message = err.message),
      );
    }
    if (!at) return;
    if (one) {
      e.preventDefault();
      e.stopPropagation(); // several, or beside the model, become a material
      return void dropDecal(session, ui, list[0], at.pos, at.nrm).catch((err) => (session.message = err.message));
    }
    if (!held) return;
    e.preventDefault();
    ui.held = null; // so that the drag's end takes nothing off
    try {
      const on = await covered(session, ui, at);
      if (!on) return void held.try(null);
      stock.used(keyOf(held.material));
      await held.put(on.reach);
    } catch (err) {
      session.message = (err as Error).message;
    }
  }

  /** Counts what is still to come, some times a second. */
  let counting = 0;
  function count() {
    if (!counting)
      counting = window.setTimeout(() => {
        counting = 0;
        ready?.detail.count();
      }, 150);
  }

  /** the environment that the view has by now */
  let lit = $state('');

  let kept = 0;
  async function keepPicture(stage: Stage) {
    if (ui.alone || stage.mode !== 'model' || Date.now() - kept < 20000) return;
    kept = Date.now();
    await new Promise((r) => setTimeout(r, 400));
    const png = await ready?.stage.snapshot();
    if (png) await api.picture(id, png).catch(() => {});
  }

  $effect(() => {
    if (ready && session.doc) ready.detail.apply();
  });
  $effect(() => {
    if (!ready) return;
    ready.stage.mode = ui.station === 'Judge' || ui.lineup ? 'model' : ui.mode;
    ready.stage.invalidate();
    void ready.detail.see();
  });
  $effect(() => {
    ready?.stage.setLight(ui.look.light, ui.look.tilt);
    ready?.stage.hurry();
  });
  $effect(() => {
    const { around } = ui.look;
    const stage = ready?.stage;
    if (!stage) return;
    lampFor(around)
      .then((lamp) => stage.setAround(around, lamp))
      .then(() => (lit = around))
      .catch((e) => (session.message = (e as Error).message));
  });
  $effect(() => ready?.stage.worn.showAlone(ui.alone));
  $effect(() => ready?.stage.setSharpness(ui.look.sharpness));
  $effect(() => ready?.stage.setLens(ui.look.focal, ui.look.flat));
  $effect(() => {
    const added = (session.doc?.addedChannels ?? []).map((c) => c.channel);
    const any = (...of: string[]) => of.some((c) => added.includes(`added.${c}`));
    const more = {
      clear: any('specular', 'coat', 'coat-roughness', 'transmission'),
      soft: any('fuzz', 'scattering', 'anisotropy'),
    };
    if (ready?.stage.worn.setMore(more)) ready.stage.onRestored();
  });
  $effect(() => ready?.stage.setTone(ui.look.tone));
  $effect(() => ready?.stage.setGlow(ui.look.glow));
  $effect(() => {
    const { fStop, focus, vignette, grain } = ui.look;
    const judging = ui.station === 'Judge';
    const opening = judging ? { fStop, focus, vignette, grain } : { fStop: 0, focus: 0, vignette: 0, grain: 0 };
    ready?.stage.setOpening(opening, judging).catch((e) => (session.message = (e as Error).message));
  });
  $effect(() => ready?.stage.only(ui.part));
  $effect(() => {
    const { explode, axis, ghosts } = ui.look;
    const judging = ui.station === 'Judge';
    ready?.stage.takeApart(judging ? explode : 0, axis, judging && ghosts && !!ui.part);
  });
  $effect(() => ready?.stage.setMaps(ui.look.maps));
  // the model moves over for what slides in
  $effect(() => {
    const over = ui.station !== 'Layer' ? 0 : ui.stock ? 322 : ui.conditions || ui.over ? 318 : 0;
    ready?.stage.cover(Math.max(over, ui.ledger ? 380 : 0) * ui.scale);
  });
  $effect(() => {
    void lit; // the exposure of another environment is another
    ready?.stage.setLook({
      exposure: ui.look.exposure,
      background: ui.look.background,
      blur: ui.look.blur,
      shadows: ui.look.shadows,
    });
  });
  $effect(() => {
    if (ready) ready.stage.controls.enabled = !!ui.lineup || (!ui.painting && ui.mode !== 'flat' && !held);
  });
  $effect(() => {
    if (!ui.painting) ready?.strokes.leave();
  });
  $effect(() => ready?.lasso.follow());
  $effect(() => ready?.line.follow());
  // what lies over the view is found anew when a frame was drawn
  $effect(() => {
    if (!ready) return;
    const { stage, lasso } = ready;
    const from = ui.source;
    void ui.lasso;
    void ui.tool;
    stage.onFrame = () => {
      lasso.see();
      if (!from || ui.tool !== 'clone' || ui.mode === 'flat') return void (source = null);
      const q = stage.project(new Vector3(...(from.at as [number, number, number])));
      source = { x: q.x, y: q.y };
    };
    stage.onFrame();
    return () => (stage.onFrame = () => {});
  });
  // in Prepare the view shows what is looked at there
  let overlay: Overlay | null = null;
  $effect(() => {
    if (!ready || !prep || ui.station !== 'Prepare') return;
    const [s, p] = [ready.stage, prep];
    overlay ??= new Overlay(s);
    void session.doc?.prepared;
    untrack(() => p.attach(s, overlay));
    return () => {
      p.attach(null, null);
      overlay?.clear();
      overlay?.edges([]);
    };
  });
  // over the model: what can be pulled, or faces without a counterpart, or the symmetry
  $effect(() => {
    if (!ready) return;
    const missing = ui.painting && ui.pair ? session.sides?.missing : undefined;
    ready.pull.show(outlines(missing) ?? ready.line.shown() ?? planes(ready.strokes.symmetry, ready.stage.bounds));
  });

  /** where the pointer was seen last */
  let at: [number, number] | null = null;
  function move(e: PointerEvent) {
    const box = canvas.getBoundingClientRect();
    at = [e.clientX - box.left, e.clientY - box.top];
    if (held === 'l') ui.look.light = (ui.look.light + e.movementX * 0.6 + 360) % 360;
    if (!ready || held === 'l' || cells.length) return;
    if (held === 's' && ui.painting) ready.strokes.resize(e);
    ready.hand.move(e);
  }
  function wheel(e: WheelEvent) {
    if (!ready) return;
    const { stage } = ready;
    if (held === 'z' && ui.stencil) {
      e.preventDefault();
      e.stopPropagation();
      return ready.stencil.size(e.deltaY);
    }
    if (!stage.overFlat(e.clientX - canvas.getBoundingClientRect().left)) {
      // the wheel brings the model nearer whatever is in the hand
      if (stage.controls.enabled) return;
      stage.controls.enabled = true;
      setTimeout(() => (stage.controls.enabled = !ui.painting && ui.mode !== 'flat' && !held));
      return;
    }
    e.preventDefault();
    e.stopPropagation();
    stage.zoomFlat(Math.exp(e.deltaY * 0.001));
  }
  /** Keys that turn the camera while the view has the focus. */
  function turn(e: KeyboardEvent) {
    const by = e.shiftKey ? 0.03 : 0.12;
    const ways: Record<string, [number, number, number?]> = {
      ArrowLeft: [-by, 0],
      ArrowRight: [by, 0],
      ArrowUp: [0, by],
      ArrowDown: [0, -by],
      '+': [0, 0, 1.1],
      '-': [0, 0, 1 / 1.1],
    };
    const way = ways[e.key];
    if (!way || !ready || ui.mode === 'flat') return;
    e.preventDefault();
    ready.stage.turn(...way);
  }
  function keydown(e: KeyboardEvent) {
    if (e.target instanceof HTMLElement && e.target.closest('input, select, textarea')) return;
    const k = e.key.toLowerCase();
    if (!e.ctrlKey && !e.metaKey && 'lsz'.includes(k) && !(k !== 'z' && e.shiftKey)) held = k;
    if (k === 'f' && !e.shiftKey) ready?.stage.frame();
    // the part under the pointer alone, and all again
    if (k === 'a' && e.shiftKey && ready) ui.part = ui.part ? '' : ((at && ready.stage.pick(...at)?.part) ?? '');
    if (ready?.hand.key(k)) e.stopPropagation();
    if (e.target === glass && !e.ctrlKey && !e.metaKey && !e.altKey) turn(e);
  }
  const picking = $derived(
    (ui.station === 'Prepare' && prep && prep.hand !== 'look') ||
      ui.tool === 'drill' ||
      ui.tool === 'line' ||
      ui.tool === 'reach' ||
      !!ui.taking ||
      ui.focusing,
  );
  const near = $derived(ready?.pull.near ?? null);
</script>

<svelte:window onkeydown={keydown} onkeyup={() => (held = '')} onblur={() => (held = '')} />
<div class="view" bind:this={holder} bind:clientWidth={wide} bind:clientHeight={tall}>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: it is turned by keys -->
  <div
    class="glass"
    bind:this={glass}
    class:painting={ui.painting && t.ok}
    class:pulling={!!near}
    class:picking
    onpointerdowncapture={down}
    onpointermove={move}
    onpointerup={up}
    onpointercancel={(e) => ready?.hand.lost(e)}
    onpointerleave={() => ready?.hand.leave()}
    onwheelcapture={wheel}
    ondragover={over}
    ondragleave={() => ((files = false), ui.held?.try(null))}
    ondrop={drop}
    oncontextmenu={(e) => e.preventDefault()}
    role="application"
    tabindex="0"
    aria-label="View: arrow keys turn the camera, plus and minus bring it nearer"
  ></div>
  {#if ui.lineup && cells.length}
    <LineUpOver lineup={ui.lineup} {cells} {places} {tall} take={takeOne} leave={() => (ui.lineup = null)} />
  {/if}
  <Bars {ui} frame={() => ready?.stage.frame()} />
  {#if ready}<LassoLine {ui} lasso={ready.lasso} />{/if}
  {#if ready && ui.stencil}<StencilOver
      {ui}
      {session}
      project={id}
      {views}
      stage={ready.stage}
      held={held === 'z'}
      cursor={ready.strokes.cursor}
      {wide}
      {tall}
    />{/if}
  {#if near}<div class="says" style:left={`${near.x + 14}px`} style:top={`${near.y - 30}px`}>{near.label}</div>{/if}
  <BrushCursor {ui} {t} cursor={ui.fit ? null : (ready?.strokes.cursor ?? null)} {source} {wide} {tall} />
  {#if files}
    <div class="says dropped">set where it is let go · with Shift: laid over the view, to be brushed through</div>
  {/if}
  {#if session.drill && ready && ui.tool === 'drill'}<CoreSample {session} {ui} at={ready.drill.at} />{/if}
  {#if ui.mode !== 'flat' || ui.station === 'Judge'}<LightRing {ui} />{/if}
  <Hints {session} {ui} {prep} />
  {#if failed}
    <div class="veil" role="alert"><p>{failed}</p></div>
  {:else if loading === 'nothing'}
    <div class="veil known" aria-busy="true">
      <img src={`/api/projects/${id}/picture`} alt="" onerror={(e) => (e.currentTarget as HTMLElement).remove()} />
      <p>Laying the coats on …</p>
    </div>
  {:else if ready && !session.settled && ready.detail.left}
    {@const { left, of } = ready.detail}
    <div class="finer" aria-busy="true">
      {loading ? 'rough still; ' : ''}{left} of {of} tiles to come
      <i style:width={`${(100 * (of - left)) / of}%`}></i>
    </div>
  {/if}
</div>

<style>
  .view {
    position: absolute;
    inset: 0;
    overflow: hidden;
    background: #5a5a5a;
  }
  .glass,
  .glass > :global(canvas) {
    display: block;
    width: 100%;
    height: 100%;
    touch-action: none;
  }
  .glass:focus-visible {
    outline: 1px solid var(--quiet); /* no hue beside the picture */
    outline-offset: -1px;
  }
  .glass.painting {
    cursor: crosshair;
  }
  .glass.pulling {
    cursor: grab;
  }
  .glass.picking {
    cursor: cell;
  }
  .view :global(.over) {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    pointer-events: none;
  }
  .view :global(.over path) {
    fill: none;
    stroke: white;
    stroke-width: 1.2;
  }
  .view :global(.over path.halo) {
    stroke: rgb(0 0 0 / 0.55);
    stroke-width: 3;
  }
  .view :global(.says) {
    position: absolute;
    z-index: 3;
    pointer-events: none;
    background: var(--panel);
    border-left: 3px solid var(--verdigris);
    padding: 2px 8px;
    font-size: 13px;
    white-space: nowrap;
  }
  .dropped {
    left: 50%;
    bottom: 14px;
    translate: -50% 0;
  }
  .finer i {
    position: absolute;
    left: 0;
    bottom: 0;
    height: 2px;
    background: var(--verdigris);
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
  /* as it was last seen, until its coats are there */
  .veil.known {
    display: block;
    padding: 0;
    background: #484848;
  }
  .known img {
    width: 100%;
    height: 100%;
    object-fit: contain;
    filter: blur(1.5px) brightness(0.8);
  }
  .known p {
    position: absolute;
    left: 14px;
    bottom: 12px;
    padding: 5px 12px;
    background: var(--panel);
    color: var(--text);
  }
</style>
