<script lang="ts">
  // The stencil that is held before the view: where it lies, and what it lets through.
  import type { Session } from '../../lib/session.svelte';
  import { inHand, keepSlide, lensOf, moved, setSlide, slideOf } from '../../lib/slides';
  import type { UI } from '../../lib/ui.svelte';
  import type { Stage } from '../../view/stage';
  import { untrack } from 'svelte';
  import { Warp } from '../../lib/warp';
  import { Hatch } from '../../view/hatch';
  import { LaidOver, layUnder } from '../../view/laid';
  import NumberField from '../NumberField.svelte';
  import WarpOver from './WarpOver.svelte';
  import { keyNow } from '../../lib/shortcuts.svelte';

  interface Props {
    ui: UI;
    session: Session;
    project: string;
    /** counts what the camera does */
    views: number;
    stage: Stage;
    /** it is being moved: it shows more clearly */
    held: boolean;
    /** the outline of what the brush touches */
    cursor: { path: string } | null;
    wide: number;
    tall: number;
  }
  let { ui, session, project, views, stage, held, cursor, wide, tall }: Props = $props();
  const s = $derived(ui.stencil);
  const counts = $derived(ui.painting && ui.station === 'Layer' && (ui.mode !== 'flat' || !!s?.laid));
  const layer = $derived(session.layer(ui.selected));
  const slide = $derived(slideOf(layer, ui));
  /** whether the camera is where the slide was held */
  const there = $derived.by(() => {
    void [views, wide, tall];
    if (!slide) return true;
    const { view, aspect } = stage.lens();
    const was = slide.stencil;
    // a window of another form shows more or less beside it; how deep it goes does not matter
    return view.every((v, i) => {
      if (i % 4 === 2) return true;
      const [a, b] = i % 4 === 0 ? [v * aspect, was.view![i] * was.aspect] : [v, was.view![i]];
      return Math.abs(a - b) < 2e-3 * (1 + Math.abs(a));
    });
  });
  const kept = $derived(slide?.stencil.warp);
  const warp = $derived(ui.fitted ?? (kept || ui.fit ? new Warp(kept) : null));
  // what was shown ahead gives way to what the server made of it
  $effect(() => {
    void [kept, slide?.id];
    ui.fitted = null;
  });
  $effect(() => {
    if (!slide || !there) ui.fit = '';
  });
  $effect(() => {
    void ui.tool; // another tool in the hand: it does its own
    ui.fit = '';
  });
  // what the slide's picture would be stretched over is hatched
  $effect(() => {
    const hatch = untrack(() => new Hatch(stage));
    $effect(() => {
      void views;
      const limits = { fades: slide?.stencil.fades ?? 0, ends: slide?.stencil.ends ?? 0 };
      hatch.show(s && slide && there && counts && !s.tiled ? { ...s, ...limits } : null);
    });
    return () => hatch.dispose();
  });
  // what lies on the surface is drawn there
  $effect(() => {
    const over = untrack(() => new LaidOver(stage));
    $effect(() =>
      over.show(s?.laid && counts && (!ui.behind || held) ? { ...s, laid: s.laid, url } : null, held ? 0.75 : 0.4),
    );
    return () => over.dispose();
  });
  /** Lays it where its middle is seen, or where the middle of the flat sheets is; or takes it before the view again. */
  function lay() {
    if (s!.laid) return void (ui.stencil = { ...s!, laid: undefined });
    const [x, y] = ui.mode === 'flat' ? stage.onCanvas(0, 0, true) : [box!.x, box!.y];
    const laid = layUnder(stage, x, y) ?? layUnder(stage, ...nearby(x, y));
    if (!laid)
      return void (session.message =
        'There is no surface under the stencil to lay it on; move it over the model first.');
    ui.stencil = { ...s!, at: [0, 0], laid };
    ui.slide = '';
  }
  /** A place near a point of the canvas at which there is something. */
  function nearby(x: number, y: number): [number, number] {
    for (let r = 12; r < Math.max(wide, tall); r += 12)
      for (let a = 0; a < 2 * Math.PI; a += Math.PI / 8) {
        const at: [number, number] = [x + r * Math.cos(a), y + r * Math.sin(a)];
        if (stage.pick(...at)) return at;
      }
    return [x, y];
  }
  // what is undone, or changed in another window, is so in the hand, too
  const place = $derived(slide ? JSON.stringify(inHand(slide)) : '');
  $effect(() => {
    if (place) ui.stencil = JSON.parse(place);
  });
  const fits = [
    ['push', 'Push', 'A drag moves what lies under it along'],
    ['smooth', 'Let back', 'What was pushed goes back to where it was'],
    ['pin', 'Pin', 'What is pinned stays when something is pushed beside it'],
    ['unpin', 'Free', 'Takes pins away'],
    ['grid', 'Bend', 'A grid by whose points and corners it is bent'],
  ] as const;
  function change(over: Partial<NonNullable<UI['stencil']>>) {
    ui.stencil = { ...s!, ...over };
    if (slide && layer) session.op(setSlide(layer.id, moved(slide, ui), `Change ${slide.name}`));
  }
  const keep = () => keepSlide(session, ui, layer!, lensOf(stage));
  /** where it lies on the canvas, in pixels */
  const box = $derived.by(() => {
    void [wide, tall, ui.mode];
    if (!s) return null;
    const { aspect, height } = stage.lens();
    const [x, y] = stage.onCanvas(s.at[0] / aspect, s.at[1]);
    const w = (s.wide * height) / 2;
    return { x, y, w, h: w / s.form };
  });
  const brush = $derived(
    ui.fit && ui.fit !== 'grid' && ui.fitAt && box ? { ...ui.fitAt, r: ui.fitSize * box.w } : null,
  );
  const url = $derived(`/api/projects/${project}/pictures/${s?.picture}?edge=1024`);
</script>

{#if s && box && counts && there && !s.laid && (!ui.behind || held || ui.fit)}
  <div
    class="stencil"
    style:opacity={held || ui.fit ? 0.75 : 0.35}
    style:mix-blend-mode={s.colors ? 'normal' : 'screen'}
    aria-hidden="true"
  >
    {@render picture(s, box)}
  </div>
{/if}
{#if s && box && counts && there && cursor && !held && !ui.fit && !s.laid}
  <!-- what the brush would bring, under it -->
  <div
    class="stencil"
    data-footprint
    style:clip-path={`path('${cursor.path}')`}
    style:opacity={0.9}
    style:mix-blend-mode={s.colors ? 'normal' : 'screen'}
    aria-hidden="true"
  >
    {@render picture(s, box)}
  </div>
{/if}
{#snippet picture(s: NonNullable<UI['stencil']>, box: { x: number; y: number; w: number; h: number })}
  {#if s.tiled}
    {@const far = 2 * Math.hypot(wide, tall)}
    <div
      class="many"
      style:left={`${box.x - far}px`}
      style:top={`${box.y - far}px`}
      style:width={`${2 * far}px`}
      style:height={`${2 * far}px`}
      style:rotate={`${-s.turn}deg`}
      style:background-image={`url(${url})`}
      style:background-size={`${box.w}px ${box.h}px`}
      style:background-position={`${far - box.w / 2}px ${far - box.h / 2}px`}
      style:filter={s.invert ? 'invert(1)' : ''}
    ></div>
  {:else if slide && warp}
    <WarpOver {url} {warp} {box} turn={s.turn} filter={s.invert ? 'invert(1)' : ''} opacity={1} fit={ui.fit} {brush} />
  {:else}
    <img
      src={url}
      alt=""
      style:left={`${box.x - box.w / 2}px`}
      style:top={`${box.y - box.h / 2}px`}
      style:width={`${box.w}px`}
      style:height={`${box.h}px`}
      style:rotate={`${-s.turn}deg`}
      style:filter={s.invert ? 'invert(1)' : ''}
    />
  {/if}
{/snippet}
{#if s && !counts && ui.painting && ui.station === 'Layer'}
  <div class="bar" role="status" aria-label="Stencil">
    <span class="quiet">The stencil is held before the model.</span>
    <button class="chip" onclick={lay}>Lay it on the sheet</button>
  </div>
{/if}
{#if s && counts}
  <div class="bar" role="status" aria-label="Stencil">
    <span>{slide?.name ?? 'Stencil'}</span>
    {#if slide && !there}
      <button
        class="chip"
        title="Take the camera to where it was held"
        onclick={() => ui.goTo(slide.eye!, slide.target!, slide.stencil.view!)}>Go there</button
      >
    {/if}
    {#if !ui.fit}
      <span class="quiet" title="Hold Z: a drag moves it, with Shift turns it, the wheel sizes it"
        >hold Z to move it</span
      >
      <button class="chip" aria-pressed={s.colors} onclick={() => change({ colors: !s.colors })}>Its colours</button>
      <button class="chip" aria-pressed={s.invert} onclick={() => change({ invert: !s.invert })}>Turned over</button>
      {#if ui.mirror.x || ui.mirror.y || ui.mirror.z || ui.mirror.plane || s.both}
        <button
          class="chip"
          title="With symmetry on: what the view does not see gets what it mirrors, as from the photograph of one side"
          aria-pressed={s.both}
          onclick={() => change({ both: !s.both })}>Both sides</button
        >
      {/if}
      <button class="chip" aria-pressed={s.tiled} onclick={() => change({ tiled: !s.tiled })}>Repeated</button>
      <button
        class="chip"
        title={`It stands behind the model: only what the brush would bring is seen of it (${keyNow('shift+b')})`}
        aria-pressed={ui.behind}
        onclick={() => (ui.behind = !ui.behind)}>Behind</button
      >
      {#if !slide}
        <button
          class="chip"
          title="It stays on the surface while the view turns, and is there on the flat sheet"
          aria-pressed={!!s.laid}
          onclick={lay}>On the surface</button
        >
      {/if}
      <span class="quiet">soft</span>
      <span class="w-16"
        ><NumberField
          label="Softness of the stencil"
          value={s.soft}
          min={0}
          max={0.2}
          unit="%"
          scale={100}
          fallback={0}
          commit={(soft) => change({ soft })}
        /></span
      >
    {/if}
    {#if !slide && !s.laid && layer?.kind === 'paint'}
      <button
        class="chip"
        title="The layer keeps its place: what is painted through it goes with it when it is moved"
        onclick={keep}>Keep as slide</button
      >
    {/if}
    {#if slide && there && !s.tiled && !ui.fit}
      <button
        class="chip"
        title="Its pixels are pushed until they lie where they belong"
        onclick={() => (ui.fit = 'push')}>Fit …</button
      >
    {/if}
    {#if ui.fit}
      <span class="fits" role="group" aria-label="Fit the picture">
        {#each fits as [does, says, help] (does)}
          <button class="chip" title={help} aria-pressed={ui.fit === does} onclick={() => (ui.fit = does)}
            >{says}</button
          >
        {/each}
        {#if ui.fit && ui.fit !== 'grid'}
          <span class="quiet">radius</span>
          <span class="w-14"
            ><NumberField
              label="Radius of the push"
              value={ui.fitSize}
              min={0.02}
              max={0.6}
              unit="%"
              scale={100}
              fallback={0.12}
              commit={(v) => (ui.fitSize = v)}
            /></span
          >
          <span class="quiet">strength</span>
          <span class="w-14"
            ><NumberField
              label="Strength of the push"
              value={ui.fitStrength}
              min={0}
              max={1}
              unit="%"
              scale={100}
              fallback={1}
              commit={(v) => (ui.fitStrength = v)}
            /></span
          >
        {/if}
      </span>
    {/if}
    {#if ui.fit}
      <button class="chip" title="A drag paints again (Escape)" onclick={() => (ui.fit = '')}>Done</button>
    {:else}
      <button class="chip" onclick={() => ((ui.stencil = null), (ui.slide = ''))}>Put away</button>
    {/if}
  </div>
{/if}

<style>
  .stencil {
    position: absolute;
    inset: 0;
    overflow: hidden;
    pointer-events: none;
  }
  .stencil > * {
    position: absolute;
    max-width: none;
  }
  .bar {
    position: absolute;
    left: 12px;
    bottom: 12px;
    right: 110px;
    width: fit-content;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 6px;
    background: var(--panel);
    border-left: 4px solid var(--verdigris);
    padding: 3px 10px;
    font-size: 13px;
  }
  .fits {
    display: contents;
  }
  .chip[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
