<script lang="ts">
  // What an open layer shows below its head: where it reaches, what it does to each channel,
  // and what can be done with it.
  import Icon from './Icon.svelte';
  import { api } from '../api/client';
  import type { Row, Session } from '../lib/session.svelte';
  import { doubleLayers, groupLayers, modeName, removeLayers, setLayer } from '../lib/stack';
  import type { UI } from '../lib/ui.svelte';
  import ChannelTable from './ChannelTable.svelte';
  import Decals from './Decals.svelte';
  import Dials from './Dials.svelte';
  import LeftBehind from './LeftBehind.svelte';
  import NewDial from './NewDial.svelte';
  import NumberField from './NumberField.svelte';
  import ReachChips from './ReachChips.svelte';
  import Slides from './Slides.svelte';
  import { keyNow } from '../lib/shortcuts.svelte';

  let { session, ui, row }: { session: Session; ui: UI; row: Row } = $props();
  const layer = $derived(row.layer);
  const group = $derived(layer.kind === 'group');
  const set = (path: string, value: unknown) => setLayer(layer.id, path, value);
  let keeping = $state('');
  let left = $state.raw<string[]>([]);
  /** Keeps the layer with all that is in it as a material of the stock. */
  async function keep() {
    keeping = 'Keeping …';
    left = [];
    try {
      left = (await api.keepMaterial(session.id, layer.id)).left ?? [];
      keeping = 'Kept';
      window.setTimeout(() => (keeping = ''), 2500);
    } catch (e) {
      session.message = (e as Error).message;
      keeping = '';
    }
  }
  const solo = () => (ui.solo = ui.solo === layer.id ? '' : layer.id);
  const move = (d: number) =>
    session.op({ kind: 'layer.move', target: layer.id, parent: row.parent, index: row.index + d });
</script>

{#if layer.dials?.length}
  <Dials {session} {ui} {layer} />
{:else if group}
  <p><NewDial {session} {layer} /></p>
{/if}
<ReachChips {session} {ui} {layer} parts={ui.parts} />
{#if layer.kind === 'decals'}<Decals {session} {ui} {layer} />{/if}
{#if layer.slides?.length}<Slides {session} {ui} {layer} />{/if}
{#if layer.dials?.length}
  <details>
    <summary>how its channels meet what lies below</summary>
    {@render channels()}
  </details>
{:else}
  {@render channels()}
{/if}
{#snippet channels()}
  <ChannelTable {session} {ui} {layer} />
  {#if group}
    <div class="tools">
      <select
        class="pick"
        aria-label="Blend mode of the group"
        value={layer.blend || 'normal'}
        onchange={(e) => session.op(set('blend', e.currentTarget.value))}
      >
        {#each session.about.modes ?? [] as m (m)}<option value={m}>{modeName('', m)}</option>{/each}
      </select>
      <label class="flex items-center gap-2" title="Its layers meet each other alone before they meet what lies below"
        ><input
          type="checkbox"
          checked={layer.isolated ?? false}
          onchange={(e) => session.op(set('isolated', e.currentTarget.checked))}
        /> isolated</label
      >
    </div>
  {/if}
{/snippet}
<div class="tools">
  <div class="w-20">
    <NumberField
      label="Amount"
      value={layer.amount}
      min={0}
      max={1}
      scale={100}
      unit="%"
      fallback={1}
      preview={(v) => session.preview(set('amount', v))}
      commit={(v) => session.op(set('amount', v))}
    />
  </div>
  <button
    class="chip"
    disabled={row.index === row.count - 1}
    onclick={() => move(1)}
    aria-label="Move outward"
    title="Move outward (Alt ↑)">↑</button
  >
  <button
    class="chip"
    disabled={row.index === 0}
    onclick={() => move(-1)}
    aria-label="Move inward"
    title="Move inward (Alt ↓)">↓</button
  >
  <button
    class="chip"
    aria-pressed={ui.solo === layer.id}
    title={`Show it without the others (${keyNow('a')})`}
    onclick={solo}><Icon of="eye" />Alone</button
  >
  <button
    class="chip"
    aria-pressed={!!layer.locked}
    aria-label={layer.locked ? 'Unlock' : 'Lock'}
    title={`${layer.locked ? 'Locked: let it be changed' : 'Lock: refuse every change'} (${keyNow('k')})`}
    onclick={() => session.op(set('locked', !layer.locked))}><Icon of={layer.locked ? 'lock' : 'unlock'} /></button
  >
  <span class="ml-auto"></span>
  <button
    class="chip"
    aria-label="Delete"
    title={`Delete what is selected (${keyNow('delete')})`}
    onclick={() => removeLayers(session, ui)}><Icon of="trash" /></button
  >
</div>
<div class="tools">
  <button class="chip" title={`A copy above it (${keyNow('ctrl+d')})`} onclick={() => doubleLayers(session, ui)}
    ><Icon of="double" />Double</button
  >
  <button
    class="chip"
    title={`Put what is selected into a group (${keyNow('b')})`}
    onclick={() => groupLayers(session, ui)}><Icon of="folder" />Group</button
  >
  <button
    class="chip"
    disabled={!group && row.index === 0}
    title={group ? 'Bake the group to one picture layer' : 'Bake it and the layer below to one picture layer'}
    onclick={() => session.change({ t: 'merge', layer: layer.id })}
    ><Icon of="down" />{group ? 'Merge' : 'Merge down'}</button
  >
  {#if layer.kind === 'group' || layer.kind === 'fill'}
    <button class="chip" disabled={!!keeping} title="Keep it in the stock as a material" onclick={keep}
      ><Icon of="bookmark" />{keeping || 'Keep'}</button
    >
  {/if}
</div>
<LeftBehind {left} />

<style>
  summary {
    color: var(--quiet);
    font-size: 13px;
    cursor: pointer;
    min-height: 28px;
  }
  .chip[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
  }
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    padding: 6px 0 4px;
  }
  .tools .chip {
    gap: 3px;
    padding: 0 4px;
    min-width: 28px;
    justify-content: center;
  }
</style>
