<script lang="ts">
  // One step of a stream: the picture of the result up to it, how it meets what
  // came before, and its controls.
  import type { Layer, Step } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { title } from '../lib/stack';
  import type { UI } from '../lib/ui.svelte';
  import NameField from './NameField.svelte';
  import NumberField from './NumberField.svelte';
  import ParamField from './ParamField.svelte';
  import Picture from './Picture.svelte';

  interface Props {
    session: Session;
    ui: UI;
    layer: Layer;
    step: Step;
    first: boolean;
    color: boolean;
    dragstart: () => void;
  }
  let { session, ui, layer, step, first, color, dragstart }: Props = $props();
  const kind = $derived(session.about.steps!.find((k) => k.kind === step.kind)!);
  const open = $derived(ui.step === step.id);
  const name = $derived(title(session.about.steps!, step));
  const op = (path: string, value: unknown) => ({ kind: 'step.set', target: layer.id, step: step.id, path, value });
  const params = $derived(
    (kind.params ?? []).filter((p) => !(kind.kind === 'follow' && p.unit === 'mm' && step.params?.what !== 'height')),
  );
  const shown = $derived(
    open ? params : params.filter((p) => !['ramp', 'curve', 'direction', 'picture'].includes(p.kind)).slice(0, 2),
  );
  const strokes = $derived(session.strokes[`${layer.id}/${step.id}`] ?? 0);
  const error = $derived(session.stepErrors[`${layer.id}/${step.id}`]);
  const note = $derived(session.notes[`${layer.id}/${step.id}`]);
  const inner = $derived((step.steps ?? []).length);
  const modes = $derived((color ? session.about.modes : session.about.scalarModes) ?? []);
  const strength = $derived(!kind.hand && (kind.role === 'shaper' || !first));
  let naming = $state(false);
  function rename(v: string | null) {
    naming = false;
    const given = v === kind.label ? '' : v; // the kind's own name need not be kept
    if (given !== null && given !== (step.name ?? '')) session.op(op('name', given));
  }
</script>

{#if !first && kind.role === 'source' && !kind.hand}
  <span class="joint">
    <select
      class="pick"
      aria-label="Blend mode"
      value={step.blend || 'normal'}
      onchange={(e) => session.op(op('blend', e.currentTarget.value))}
    >
      {#each modes as m (m)}<option>{m}</option>{/each}
    </select>
    {@render amount()}
  </span>
{:else if !first || strength}
  <span class="joint quiet"
    >{first ? '' : 'then'}{#if strength}{@render amount()}{/if}</span
  >
{/if}
{#snippet amount()}
  <NumberField
    label="Amount"
    value={step.amount}
    min={0}
    max={1}
    scale={100}
    unit="%"
    fallback={1}
    preview={(v) => session.preview(op('amount', v))}
    commit={(v) => session.op(op('amount', v))}
  />
{/snippet}
<article class="card" class:open class:off={!step.on} class:failed={!!error} aria-label={name}>
  <button
    class="shot"
    draggable="true"
    ondragstart={dragstart}
    aria-pressed={step.on}
    aria-label={`${step.on ? 'Switch off' : 'Switch on'} ${name}`}
    title={step.on ? 'Click to switch off, drag to move' : 'Click to switch on'}
    onclick={() => session.op(op('on', !step.on))}
  >
    <Picture image={session.pictures[`${layer.id}/${step.id}`]} label={`Result up to ${name}`} />
  </button>
  <div class="title">
    {#if naming}
      <NameField value={name} label="Step name" done={rename} />
    {:else}
      <button
        class="plain name"
        aria-expanded={open}
        title={`${kind.help} Double click to rename.`}
        ondblclick={() => (naming = true)}
        onclick={() => (ui.step = open ? '' : step.id)}>{name}</button
      >
    {/if}
    <span class="quiet text-xs"
      >{kind.hand ? `${strokes} stroke${strokes === 1 ? '' : 's'}` : open ? '' : kind.role}</span
    >
    {#if open}<button
        class="plain quiet"
        aria-label={`Delete ${name}`}
        title="Delete this step"
        onclick={() => session.op({ kind: 'step.remove', target: layer.id, step: step.id })}>✕</button
      >{/if}
  </div>
  <div class="params" class:wide={open && params.length > 2}>
    {#if error}<span class="error">{error}</span>{/if}
    {#if note}<span class="note">{note}</span>{/if}
    {#each shown as p (p.name)}
      {#if p.kind !== 'ramp' && p.kind !== 'curve'}<span class="quiet" title={p.help}>{p.label}</span>{/if}
      <ParamField
        {session}
        {ui}
        {step}
        param={p}
        preview={(v) => session.preview(op(`params.${p.name}`, v))}
        commit={(v) => session.op(op(`params.${p.name}`, v))}
      />
    {/each}
    {#if kind.inner}
      <button class="chip col-span-2" onclick={() => ((ui.stream = `step:${step.id}`), (ui.step = ''))}
        >{kind.inner}: {inner} step{inner === 1 ? '' : 's'} …</button
      >
    {/if}
    {#if kind.hand}
      <button class="chip col-span-2" onclick={() => ((ui.step = step.id), (ui.tool = 'brush'))}>Paint here</button>
    {/if}
  </div>
</article>

<style>
  .joint {
    width: 74px;
    flex: none;
    display: flex;
    flex-direction: column;
    align-items: center;
    padding: 16px 4px 0;
    gap: 4px;
  }
  .joint :global(select) {
    max-width: 74px;
  }
  .card {
    width: 142px;
    border: 1px solid var(--line);
    border-radius: 4px;
    background: var(--raised);
    overflow: hidden;
    display: flex;
    flex-direction: column;
  }
  .card.open {
    border-color: var(--plum);
    width: 214px;
  }
  .card.open:has(:global(.ramp)),
  .card.open:has(:global(svg)) {
    width: 300px;
  }
  .card.open:has(.wide) {
    width: 560px;
    display: grid;
    grid-template: auto 1fr / 132px 1fr;
  }
  .card.open:has(.wide) .shot {
    grid-row: span 2;
    height: 72px;
  }
  .card.off .shot {
    opacity: 0.3;
  }
  .shot {
    height: 54px;
    width: 100%;
    flex: none;
    cursor: pointer;
  }
  .title {
    display: flex;
    align-items: baseline;
    gap: 6px;
    padding: 2px 8px;
  }
  .params {
    display: grid;
    grid-template-columns: auto 1fr;
    align-items: center;
    align-content: start;
    gap: 2px 6px;
    padding: 0 8px 4px;
    font-size: 12.5px;
    overflow: auto;
  }
  .name {
    flex: 1;
    min-width: 0;
    font-weight: 600;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .failed {
    border-color: var(--brick);
  }
  .note {
    grid-column: 1 / -1;
    border-left: 3px solid var(--ochre);
    padding-left: 6px;
  }
  .error {
    grid-column: 1 / -1;
    border-left: 3px solid var(--brick);
    padding-left: 6px;
  }
  .params.wide {
    grid-template-columns: auto 1fr auto 1fr;
  }
</style>
