<script lang="ts">
  // The lasso over the view: while it is drawn, and as what strokes stay in.
  import type { UI } from '../../lib/ui.svelte';
  import type { Lasso } from '../../view/tools/lasso.svelte';
  import NumberField from '../NumberField.svelte';

  let { ui, lasso }: { ui: UI; lasso: Lasso } = $props();
  const counts = $derived(ui.painting || ui.tool === 'lasso');
  const drawn = $derived('M' + lasso.drawn.map((p) => p.join(' ')).join('L'));
</script>

{#if lasso.drawn.length}
  <svg class="over" aria-hidden="true"><path class="halo" d={drawn} /><path d={drawn} /></svg>
{:else if lasso.path && counts}
  <svg class="over" aria-hidden="true"><path class="halo" d={lasso.path} /><path class="dashes" d={lasso.path} /></svg>
{/if}
{#if ui.lasso && counts && ui.station === 'Layer'}
  <div class="limits" role="status" aria-label="Lasso">
    <span>Strokes stay {ui.outside ? 'outside' : 'in'} the lasso{lasso.path ? '' : ', drawn from another view'}</span>
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

<style>
  .limits {
    position: absolute;
    left: 12px;
    top: 62px;
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
</style>
