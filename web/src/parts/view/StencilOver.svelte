<script lang="ts">
  // The stencil that is held before the view: where it lies, and what it lets through.
  import type { Session } from '../../lib/session.svelte';
  import { keepSlide, moved, setSlide, slideOf } from '../../lib/slides';
  import type { UI } from '../../lib/ui.svelte';
  import type { Stage } from '../../view/stage';
  import NumberField from '../NumberField.svelte';

  interface Props {
    ui: UI;
    session: Session;
    project: string;
    /** counts what the camera does */
    views: number;
    stage: Stage;
    /** it is being moved: it shows more clearly */
    held: boolean;
    wide: number;
    tall: number;
  }
  let { ui, session, project, views, stage, held, wide, tall }: Props = $props();
  const counts = $derived(ui.painting && ui.station === 'Layer' && ui.mode !== 'flat');
  const s = $derived(ui.stencil);
  const layer = $derived(session.layer(ui.selected));
  const slide = $derived(slideOf(layer, ui));
  /** whether the camera is where the slide was held */
  const there = $derived.by(() => {
    void [views, wide, tall];
    if (!slide) return true;
    const { view } = stage.lens();
    return view.every((v, i) => Math.abs(v - slide.stencil.view![i]) < 2e-3 * (1 + Math.abs(v)));
  });
  function change(over: Partial<NonNullable<UI['stencil']>>) {
    ui.stencil = { ...s!, ...over };
    if (slide && layer) session.op(setSlide(layer.id, moved(slide, ui), `Change ${slide.name}`));
  }
  const keep = () =>
    keepSlide(session, ui, layer!, {
      ...stage.lens(),
      eye: stage.camera.position.toArray(),
      target: stage.controls.target.toArray(),
    });
  /** where it lies on the canvas, in pixels */
  const box = $derived.by(() => {
    void [wide, tall, ui.mode];
    if (!s) return null;
    const { aspect, height } = stage.lens();
    const [x, y] = stage.onCanvas(s.at[0] / aspect, s.at[1]);
    const w = (s.wide * height) / 2;
    return { x, y, w, h: w / s.form };
  });
  const url = $derived(`/api/projects/${project}/pictures/${s?.picture}`);
</script>

{#if s && box && counts && there}
  <div
    class="stencil"
    style:opacity={held ? 0.75 : 0.35}
    style:mix-blend-mode={s.colors ? 'normal' : 'screen'}
    aria-hidden="true"
  >
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
  </div>
{/if}
{#if s && counts}
  <div class="bar" role="status" aria-label="Stencil">
    <span>{slide?.name ?? 'Stencil'}</span>
    {#if slide && !there}
      <button
        class="chip"
        title="Take the camera to where it was held"
        onclick={() => ui.goTo(slide.eye!, slide.target!)}>Go there</button
      >
    {/if}
    <span class="quiet" title="Hold Z: a drag moves it, with Shift turns it, the wheel sizes it">hold Z to move it</span
    >
    <button class="chip" aria-pressed={s.colors} onclick={() => change({ colors: !s.colors })}>Its colours</button>
    <button class="chip" aria-pressed={s.invert} onclick={() => change({ invert: !s.invert })}>Turned over</button>
    <button class="chip" aria-pressed={s.tiled} onclick={() => change({ tiled: !s.tiled })}>Repeated</button>
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
    {#if !slide && layer?.kind === 'paint'}
      <button
        class="chip"
        title="The layer keeps its place: what is painted through it goes with it when it is moved"
        onclick={keep}>Keep as slide</button
      >
    {/if}
    <button class="chip" onclick={() => ((ui.stencil = null), (ui.slide = ''))}>Put away</button>
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
  .chip[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
