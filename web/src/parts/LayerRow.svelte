<script lang="ts">
  // One layer of the section: its part of the cut face, its mask, its amount; and
  // when it is open, all it does.
  import type { Row, Session } from '../lib/session.svelte';
  import { setLayer } from '../lib/stack';
  import type { UI } from '../lib/ui.svelte';
  import CutFace from './CutFace.svelte';
  import LayerOpen from './LayerOpen.svelte';
  import NameField from './NameField.svelte';
  import Picture from './Picture.svelte';

  interface Props {
    session: Session;
    ui: UI;
    row: Row;
    choose: (e: MouseEvent) => void;
  }
  let { session, ui, row, choose }: Props = $props();
  const layer = $derived(row.layer);
  const open = $derived(ui.selected === layer.id);
  const marked = $derived(ui.many.includes(layer.id));
  const group = $derived(layer.kind === 'group');
  const unfolded = $derived(ui.opened.has(layer.id) || !!ui.find);
  let naming = $state(false);

  const set = (path: string, value: unknown) => setLayer(layer.id, path, value);
  const names = $derived(
    session.channels
      .filter((c) => layer.channels?.[c.channel]?.on)
      .map((c) => c.label)
      .join(' · ') || (group ? '' : 'no channel'),
  );
  const limited = $derived(
    [...(layer.reach.parts ?? []), ...(layer.reach.sheets ?? [])].join(', ') ||
      ((layer.reach.islands ?? []).length || (layer.reach.faces ?? []).length ? 'picked faces' : ''),
  );
  /** what its reach leaves out */
  const left = $derived.by(() => {
    const o = layer.reach.off;
    if (!o) return '';
    return `but ${[...(o.parts ?? []), ...(o.sheets ?? [])].join(', ') || 'picked faces'}`;
  });
  const words = $derived(
    [
      layer.visible ? '' : 'hidden',
      layer.locked ? 'locked' : '',
      ui.solo === layer.id ? 'alone' : '',
      layer.kind === 'paint' ? 'painted' : ['picture', 'decals'].includes(layer.kind) ? layer.kind : '',
      group ? `${(layer.layers ?? []).length} layer${(layer.layers ?? []).length === 1 ? '' : 's'}` : '',
      (limited || left) && !open ? `${limited ? `on ${limited}` : 'all'} ${left}`.trim() : names,
    ]
      .filter(Boolean)
      .join(' · '),
  );

  function rename(v: string | null) {
    naming = false;
    if (v && v !== layer.name) session.op(set('name', v));
  }
  const toggle = () => (ui.opened.has(layer.id) ? ui.opened.delete(layer.id) : ui.opened.add(layer.id));
  let track: HTMLElement | null = $state(null);
  let amount = $state<number | null>(null);
  function slide(e: PointerEvent) {
    if (!track?.hasPointerCapture(e.pointerId)) return;
    const r = track.getBoundingClientRect();
    amount = Math.min(Math.max((e.clientX - r.left) / r.width, 0), 1);
    session.preview(set('amount', amount));
  }
</script>

<div class="row" data-layer={layer.id} class:open class:marked class:hidden={!layer.visible} style:--depth={row.depth}>
  <CutFace {session} {row} />
  <div class="body">
    <div class="head">
      {#if group}
        <button
          class="plain fold"
          aria-expanded={unfolded}
          aria-label={`${unfolded ? 'Fold' : 'Unfold'} ${layer.name}`}
          onclick={toggle}><span class:turned={unfolded}>›</span></button
        >
      {/if}
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
        <NameField value={layer.name} label="Layer name" done={rename} />
      {:else}
        <button
          class="plain names"
          aria-expanded={open}
          aria-current={marked ? 'true' : undefined}
          onclick={choose}
          ondblclick={() => (naming = true)}
          title="Double click to rename; with Ctrl or Shift several are selected"
        >
          <span class="name">{layer.name}</span>
          <span class="quiet sub">{words}</span>
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
    {#each session.failures.filter((f) => !f.step && f.layer === layer.id) as f (f.why)}
      <p class="note failed" role="alert">{f.why}</p>
    {/each}
    {#if session.notes[layer.id]}<p class="note">{session.notes[layer.id]}</p>{/if}
    {#if open}
      <div class="opened" data-of={layer.name}>
        <LayerOpen {session} {ui} {row} />
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
  .body {
    margin-left: calc(var(--depth) * 12px);
  }
  .failed {
    border-left: 3px solid var(--brick);
  }
  .note {
    border-left: 3px solid var(--ochre);
    padding-left: 6px;
    font-size: 12px;
  }
  .fold {
    width: 28px;
    min-height: 28px;
    flex: none;
    margin: 0 -10px 0 -8px;
    text-align: center;
    font-size: 17px;
  }
  .fold span {
    display: inline-block;
  }
  .turned {
    rotate: 90deg;
  }
  .row.marked {
    background: color-mix(in srgb, var(--plum-soft) 30%, var(--panel));
  }
  .row.open {
    background: color-mix(in srgb, var(--plum-soft) 55%, var(--panel));
  }
  .row.hidden .names {
    opacity: 0.6;
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
  /* in a wide side what a layer is made of has a column of its own */
  @container section (min-width: 640px) {
    .opened {
      position: absolute;
      inset: 0 0 0 50%;
      padding: 6px 12px;
      overflow: auto;
      border-left: 1px solid var(--line);
      background: var(--panel);
    }
    .opened::before {
      content: attr(data-of);
      display: block;
      font-weight: 600;
      line-height: 28px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
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
</style>
