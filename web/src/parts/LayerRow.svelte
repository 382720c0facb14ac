<script lang="ts">
  import type { Layer } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { newID } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import ChannelTable from './ChannelTable.svelte';
  import NumberField from './NumberField.svelte';
  import Picture from './Picture.svelte';

  let { session, ui, layer, place, count }: { session: Session; ui: UI; layer: Layer; place: number; count: number } =
    $props();
  const open = $derived(ui.selected === layer.id);
  let naming = $state(false);

  const set = (path: string, value: unknown) => ({ kind: 'layer.set', target: layer.id, path, value });
  const drilled = $derived(session.drill?.layers.find((d) => d.layer === layer.id));
  /** the colour on the cut face: the layer's own, as thick as its amount at the drilled point */
  const face = $derived.by(() => {
    const c = drilled?.result.baseColor ?? (layer.channels?.baseColor?.on ? layer.channels.baseColor.value : null);
    return c && c.length === 3 ? `rgb(${c.map((v) => Math.round(v * 255)).join(' ')})` : 'transparent';
  });
  const thick = $derived(drilled ? drilled.mask : layer.visible ? layer.amount : 0);
  const names = $derived(
    session.about
      .channels!.filter((c) => layer.channels?.[c.channel]?.on)
      .map((c) => c.label)
      .join(' · ') || 'no channel',
  );
  const reach = $derived([...(layer.reach.sheets ?? []), ...(layer.reach.parts ?? [])].join(', '));

  function duplicate() {
    const copy = structuredClone($state.snapshot(layer)) as Layer;
    copy.id = newID();
    copy.name = `${layer.name} copy`;
    for (const s of copy.mask ?? []) s.id = newID();
    session.op({ kind: 'layer.copy', target: layer.id, index: place + 1, layer: copy });
    ui.fresh = ui.selected = copy.id;
  }
  function rename(e: Event) {
    const v = (e.currentTarget as HTMLInputElement).value.trim();
    naming = false;
    if (v && v !== layer.name) session.op(set('name', v));
  }
  let track: HTMLElement | null = $state(null);
  let amount = $state<number | null>(null);
  function slide(e: PointerEvent) {
    if (!track?.hasPointerCapture(e.pointerId)) return;
    const r = track.getBoundingClientRect();
    amount = Math.min(Math.max((e.clientX - r.left) / r.width, 0), 1);
    session.preview(set('amount', amount));
  }
  const focus = (el: HTMLInputElement) => el.select();
</script>

<div class="row" class:open class:hidden={!layer.visible}>
  <div class="face" title="Cut face: what this layer adds at the drilled point">
    <span style:background={face} style:width={`${Math.max(thick, 0.08) * 100}%`} style:opacity={thick > 0 ? 1 : 0.15}
    ></span>
  </div>
  <div class="body">
    <div class="head">
      <button
        class="thumb"
        title={layer.visible ? 'Click to hide' : 'Click to show'}
        aria-label={`${layer.visible ? 'Hide' : 'Show'} ${layer.name}`}
        aria-pressed={layer.visible}
        onclick={() => session.op(set('visible', !layer.visible))}
      >
        <Picture image={session.pictures[layer.id]} label={`Mask of ${layer.name}`} />
      </button>
      {#if naming}
        <input
          class="naming"
          value={layer.name}
          aria-label="Layer name"
          use:focus
          onblur={rename}
          onkeydown={(e) => (
            e.stopPropagation(),
            e.key === 'Enter' && rename(e),
            e.key === 'Escape' && (naming = false)
          )}
        />
      {:else}
        <button
          class="plain names"
          aria-expanded={open}
          onclick={() => ((ui.selected = layer.id), (ui.step = ''))}
          ondblclick={() => (naming = true)}
          title="Double click to rename"
        >
          <span class="name">{layer.name}</span>
          <span class="quiet sub"
            >{layer.visible ? '' : 'hidden · '}{layer.kind === 'paint' ? 'painted · ' : ''}{open && reach
              ? `reach: ${reach}`
              : names}</span
          >
        </button>
      {/if}
      <span class="w-8 text-right">{Math.round((amount ?? layer.amount) * 100)}</span>
    </div>
    <div
      class="track"
      bind:this={track}
      role="presentation"
      title="Drag for the amount"
      onpointerdown={(e) => (track?.setPointerCapture(e.pointerId), slide(e))}
      onpointermove={slide}
      onpointerup={() => (amount !== null && session.op(set('amount', amount)), (amount = null))}
    >
      <span style:width={`${(amount ?? layer.amount) * 100}%`}></span>
    </div>
    {#if open}
      <ChannelTable {session} {layer} />
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
          disabled={place === count - 1}
          onclick={() => session.op({ kind: 'layer.move', target: layer.id, index: place + 1 })}
          aria-label="Move outward"
          title="Move outward">↑</button
        >
        <button
          class="chip"
          disabled={place === 0}
          onclick={() => session.op({ kind: 'layer.move', target: layer.id, index: place - 1 })}
          aria-label="Move inward"
          title="Move inward">↓</button
        >
        <button class="chip" onclick={duplicate}>Double</button>
        <button class="chip" onclick={() => session.op({ kind: 'layer.remove', target: layer.id })}>Delete</button>
      </div>
    {/if}
  </div>
</div>

<style>
  .row {
    display: grid;
    grid-template-columns: 14px 1fr;
    border-bottom: 1px solid var(--line);
  }
  .row.open {
    background: color-mix(in srgb, var(--plum-soft) 55%, var(--panel));
  }
  .row.hidden .names {
    opacity: 0.6;
  }
  .face {
    background: color-mix(in srgb, var(--bg) 60%, black);
    display: flex;
  }
  .face span {
    display: block;
    height: 100%;
  }
  .body {
    padding: 6px 10px 5px 8px;
    min-width: 0;
  }
  .head {
    display: flex;
    align-items: center;
    gap: 9px;
  }
  .thumb {
    width: 54px;
    height: 30px;
    flex: none;
    border: 1px solid var(--line);
    border-radius: 3px;
    overflow: hidden;
    cursor: pointer;
  }
  .row.hidden .thumb {
    filter: brightness(0.35);
  }
  .names {
    flex: 1;
    min-width: 0;
    display: block;
  }
  .name,
  .sub {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    line-height: 1.25;
  }
  .name {
    font-weight: 600;
  }
  .sub {
    font-size: 12px;
  }
  .naming {
    flex: 1;
    min-width: 0;
    background: var(--field);
    color: var(--text);
    font: inherit;
    padding: 2px 6px;
  }
  .track {
    height: 7px;
    margin: 3px 0 0 63px;
    cursor: ew-resize;
    touch-action: none;
    display: flex;
    align-items: end;
    background: linear-gradient(var(--line), var(--line)) 0 100% / 100% 2px no-repeat;
  }
  .track span {
    height: 2px;
    background: var(--quiet);
  }
  .open .track span {
    background: var(--plum);
  }
  .tools {
    display: flex;
    gap: 5px;
    padding: 6px 0 4px;
  }
  .tools .chip {
    padding: 0 8px;
  }
</style>
