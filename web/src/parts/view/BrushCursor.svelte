<script lang="ts">
  // What the brush touches and what a stroke would hit, beside the pointer; and why it can hit
  // nothing.
  import type { Target } from '../../lib/target';
  import type { UI } from '../../lib/ui.svelte';
  import type { Cursor } from '../../view/tools/strokes.svelte';

  interface Props {
    ui: UI;
    t: Target;
    cursor: Cursor | null;
    /** where cloning takes from, in pixels */
    source: { x: number; y: number } | null;
    wide: number;
    tall: number;
  }
  let { ui, t, cursor, source, wide, tall }: Props = $props();
  let saysWidth = $state(0);
</script>

{#if ui.tool === 'clone' && ui.painting && source}
  <svg class="over" aria-label="Where cloning takes from" role="img">
    <g transform={`translate(${source.x} ${source.y})`}>
      <path class="halo" d="M-9 0H9M0 -9V9" /><path d="M-9 0H9M0 -9V9" />
    </g>
  </svg>
{/if}
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
{#if ui.painting && !t.ok}
  <div class="refused" role="status">
    <span>A stroke can hit nothing: {t.text}.</span>
    {#if t.remedy}<button class="chip" onclick={t.remedy.run}>{t.remedy.label}</button>{/if}
  </div>
{/if}

<style>
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
    top: 62px;
    display: flex;
    align-items: center;
    gap: 10px;
    background: var(--panel);
    border-left: 4px solid var(--brick);
    padding: 4px 10px;
  }
</style>
