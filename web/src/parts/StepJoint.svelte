<script lang="ts">
  // How a step meets what came before it: its blend mode and how strongly.
  import type { Layer, Step, StepKind } from '../api/client';
  import type { Op, Session } from '../lib/session.svelte';
  import NumberField from './NumberField.svelte';

  interface Props {
    session: Session;
    layer: Layer;
    step: Step;
    kind: StepKind;
    first: boolean;
    color: boolean;
  }
  let { session, layer, step, kind, first, color }: Props = $props();
  const op = (path: string, value: unknown): Op => ({ kind: 'step.set', target: layer.id, step: step.id, path, value });
  const modes = $derived((color ? session.about.modes : session.about.scalarModes) ?? []);
  const strength = $derived(!kind.hand && (kind.role === 'shaper' || !first));
</script>

{#if !first && kind.role !== 'shaper' && !kind.hand}
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
</style>
