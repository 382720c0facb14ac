<script lang="ts">
  // The stencil that is held before the view: where it lies, and what it lets through.
  import type { UI } from '../../lib/ui.svelte';
  import type { Stage } from '../../view/stage';
  import NumberField from '../NumberField.svelte';

  interface Props {
    ui: UI;
    project: string;
    stage: Stage;
    /** it is being moved: it shows more clearly */
    held: boolean;
    wide: number;
    tall: number;
  }
  let { ui, project, stage, held, wide, tall }: Props = $props();
  const counts = $derived(ui.painting && ui.station === 'Layer' && ui.mode !== 'flat');
  const s = $derived(ui.stencil);
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

{#if s && box && counts}
  <div
    class="frame"
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
  <div class="bar" role="status" aria-label="Stencil">
    <span>Stencil</span>
    <span class="quiet" title="Hold Z: a drag moves it, with Shift turns it, the wheel sizes it">hold Z to move it</span
    >
    <button class="chip" aria-pressed={s.colors} onclick={() => (ui.stencil = { ...s, colors: !s.colors })}
      >Its colours</button
    >
    <button class="chip" aria-pressed={s.invert} onclick={() => (ui.stencil = { ...s, invert: !s.invert })}
      >Turned over</button
    >
    <button class="chip" aria-pressed={s.tiled} onclick={() => (ui.stencil = { ...s, tiled: !s.tiled })}
      >Repeated</button
    >
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
        commit={(soft) => (ui.stencil = { ...s, soft })}
      /></span
    >
    <button class="chip" onclick={() => (ui.stencil = null)}>Put away</button>
  </div>
{/if}

<style>
  .frame {
    position: absolute;
    inset: 0;
    overflow: hidden;
    pointer-events: none;
  }
  .frame > * {
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
