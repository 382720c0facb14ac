<script lang="ts">
  import type { Layer, Param, Step } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import NumberField from './NumberField.svelte';
  import Picture from './Picture.svelte';

  let {
    session,
    ui,
    layer,
    step,
    first,
    dragstart,
  }: { session: Session; ui: UI; layer: Layer; step: Step; first: boolean; dragstart: () => void } = $props();
  const kind = $derived(session.about.steps!.find((k) => k.kind === step.kind)!);
  const open = $derived(ui.step === step.id);
  const op = (path: string, value: unknown) => ({ kind: 'step.set', target: layer.id, step: step.id, path, value });
  const value = (p: Param) => (step.params?.[p.name] ?? p.default) as never;
  const shown = $derived(open ? kind.params! : kind.params!.slice(0, 2));
  const strokes = $derived(session.strokes[step.id] ?? 0);
</script>

{#if !first && kind.role === 'source' && !kind.hand}
  <span class="joint">
    <select
      class="pick"
      aria-label="Blend mode"
      value={step.blend || 'normal'}
      onchange={(e) => session.op(op('blend', e.currentTarget.value))}
    >
      {#each session.about.scalarModes ?? [] as m (m)}<option>{m}</option>{/each}
    </select>
    <NumberField
      label="Amount"
      value={step.amount}
      min={0}
      max={1}
      scale={100}
      fallback={1}
      preview={(v) => session.preview(op('amount', v))}
      commit={(v) => session.op(op('amount', v))}
    />
  </span>
{:else if !first}
  <span class="joint quiet">then</span>
{/if}
<article class="card" class:open class:off={!step.on} aria-label={kind.label}>
  <button
    class="shot"
    draggable="true"
    ondragstart={dragstart}
    aria-pressed={step.on}
    aria-label={`${step.on ? 'Switch off' : 'Switch on'} ${kind.label}`}
    title={step.on ? 'Click to switch off, drag to move' : 'Click to switch on'}
    onclick={() => session.op(op('on', !step.on))}
  >
    <Picture image={session.pictures[`${layer.id}/${step.id}`]} label={`Mask up to ${kind.label}`} />
  </button>
  <div class="title">
    <button
      class="plain grow font-semibold"
      aria-expanded={open}
      title={kind.help}
      onclick={() => (ui.step = open ? '' : step.id)}>{kind.label}</button
    >
    <span class="quiet text-xs">{kind.hand ? `${strokes} stroke${strokes === 1 ? '' : 's'}` : kind.role}</span>
    {#if open}<button
        class="plain quiet"
        aria-label={`Delete ${kind.label}`}
        title="Delete this step"
        onclick={() => session.op({ kind: 'step.remove', target: layer.id, step: step.id })}>✕</button
      >{/if}
  </div>
  <div class="params" class:wide={open && kind.params!.length > 2}>
    {#each shown as p (p.name)}
      <span class="quiet" title={p.help}>{p.label}</span>
      {#if p.kind === 'choice'}
        <select
          class="pick w-full"
          aria-label={p.label}
          value={value(p)}
          onchange={(e) => session.op(op(`params.${p.name}`, e.currentTarget.value))}
        >
          {#each p.choices ?? [] as c (c)}<option>{c}</option>{/each}
        </select>
      {:else if p.kind === 'seed'}
        <span class="flex gap-1">
          <NumberField
            label={p.label}
            value={value(p)}
            min={p.min}
            max={p.max}
            whole
            commit={(v) => session.op(op(`params.${p.name}`, v))}
          />
          <button
            class="chip"
            style="padding: 0 6px"
            title="Another pattern"
            onclick={() => session.op(op(`params.${p.name}`, (value(p) as number) + 1))}>next</button
          >
        </span>
      {:else}
        <NumberField
          label={p.label}
          value={value(p)}
          min={p.min}
          max={p.max}
          unit={p.unit ?? ''}
          scale={p.scale}
          log={p.log}
          whole={p.kind === 'integer'}
          fallback={p.default as number}
          preview={(v) => session.preview(op(`params.${p.name}`, v))}
          commit={(v) => session.op(op(`params.${p.name}`, v))}
        />
      {/if}
    {/each}
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
    width: 196px;
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
    gap: 2px 6px;
    padding: 0 8px 4px;
    font-size: 12.5px;
    overflow: auto;
  }
  .params.wide {
    grid-template-columns: auto 1fr auto 1fr;
  }
</style>
