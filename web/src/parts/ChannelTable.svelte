<script lang="ts">
  // The open layer: a line a channel, with on/off, value, blend mode and amount.
  import type { ChannelInfo, Coat, Layer } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import ColorField from './ColorField.svelte';
  import NumberField from './NumberField.svelte';

  let { session, layer }: { session: Session; layer: Layer } = $props();

  function coat(c: ChannelInfo): Coat {
    return layer.channels?.[c.channel] ?? { on: false, value: c.suggested, blend: c.blend, amount: 1 };
  }
  const op = (c: ChannelInfo, change: Partial<Coat>) => ({
    kind: 'layer.set',
    target: layer.id,
    path: `channels.${c.channel}`,
    value: { ...coat(c), ...change },
  });
  const modes = (c: ChannelInfo) => (c.components === 1 ? session.about.scalarModes : session.about.modes) ?? [];
</script>

<div class="table" role="table" aria-label={`Channels of ${layer.name}`}>
  {#each session.about.channels ?? [] as c (c.channel)}
    {@const k = coat(c)}
    <div class="line" class:off={!k.on} role="row">
      <span role="cell"
        ><input
          type="checkbox"
          checked={k.on}
          aria-label={`${c.label} on`}
          onchange={(e) => session.op(op(c, { on: e.currentTarget.checked }))}
        /></span
      >
      <span class="label" role="cell">{c.label}</span>
      {#if k.on}
        <span role="cell">
          {#if layer.kind === 'paint'}
            <span class="quiet">painted</span>
          {:else if c.components === 3}
            <ColorField
              label={c.label}
              value={k.value!}
              preview={(value) => session.preview(op(c, { value }))}
              commit={(value) => session.op(op(c, { value }))}
            />
          {:else}
            <NumberField
              label={c.label}
              value={k.value![0]}
              min={c.channel === 'height' ? -0.002 : c.min}
              max={c.channel === 'height' ? 0.002 : c.max}
              unit={c.unit}
              scale={c.scale}
              fallback={c.suggested![0]}
              preview={(v) => session.preview(op(c, { value: [v] }))}
              commit={(v) => session.op(op(c, { value: [v] }))}
            />
          {/if}
        </span>
        <span role="cell">
          <select
            class="pick w-full"
            aria-label={`${c.label} blend mode`}
            value={k.blend || 'normal'}
            onchange={(e) => session.op(op(c, { blend: e.currentTarget.value }))}
          >
            {#each modes(c) as m (m)}<option>{m}</option>{/each}
          </select>
        </span>
        <span role="cell"
          ><NumberField
            label={`${c.label} amount`}
            value={k.amount}
            min={0}
            max={1}
            scale={100}
            whole={false}
            fallback={1}
            preview={(amount) => session.preview(op(c, { amount }))}
            commit={(amount) => session.op(op(c, { amount }))}
          /></span
        >
      {/if}
    </div>
  {/each}
</div>

<style>
  .table {
    margin-top: 6px;
  }
  .line {
    display: grid;
    grid-template-columns: 20px 62px 1fr 62px 46px;
    align-items: center;
    gap: 4px;
    min-height: 32px;
    font-size: 13px;
  }
  .line.off {
    min-height: 26px;
    opacity: 0.75;
    grid-template-columns: 20px 1fr;
  }
  .label {
    line-height: 1.1;
  }
  input[type='checkbox'] {
    width: 15px;
    height: 15px;
    border-radius: 2px;
    accent-color: var(--verdigris);
    color: var(--verdigris);
    background-color: var(--field);
  }
  input[type='checkbox']:checked {
    background-color: var(--verdigris);
    border-color: transparent;
  }
</style>
