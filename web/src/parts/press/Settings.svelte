<script lang="ts">
  // The settings of the shape or treatment that is open.
  import type { PressRepeat } from '../../api/client';
  import type { Press } from '../../lib/press.svelte';
  import NumberField from '../NumberField.svelte';
  import PressSetting from './PressSetting.svelte';

  let { press }: { press: Press } = $props();
  const repeat = $derived(press.shape?.repeat);
  const repeats: [PressRepeat['kind'] | '', string][] = [
    ['', 'once'],
    ['row', 'in a row'],
    ['circle', 'in a circle'],
    ['field', 'in a field'],
  ];
  const value = (name: string) => (press.item as unknown as Record<string, unknown>)[name];
  const set = (part: keyof PressRepeat) => ({
    preview: (v: number) => press.show(press.repeated({ [part]: v })),
    commit: (v: number) => press.change(press.repeated({ [part]: v })),
  });
</script>

<div class="settings" aria-label="Settings of the open part" role="group">
  {#if press.item && press.kind}
    <h3 class="font-semibold">{press.item.kind}</h3>
    <p class="quiet text-sm">{press.kind.help}</p>
    <div class="grid">
      {#each press.kind.settings ?? [] as s (s.name)}
        <PressSetting
          {s}
          value={value(s.name)}
          preview={(v) => press.show(press.setting(s.name, v))}
          commit={(v) => press.change(press.setting(s.name, v))}
          fail={(why) => (press.error = why)}
        />
      {/each}
      {#if press.shape}
        <span class="quiet">laid</span>
        <select
          class="pick"
          aria-label="Repeated"
          value={repeat?.kind ?? ''}
          onchange={(e) => press.setRepeat(e.currentTarget.value as PressRepeat['kind'])}
        >
          {#each repeats as [k, says] (k)}<option value={k}>{says}</option>{/each}
        </select>
        {#if repeat}
          <span class="quiet">how often</span>
          <NumberField label="How often" value={repeat.count} min={1} max={64} whole {...set('count')} />
          {#if repeat.kind === 'field'}
            <span class="quiet">rows</span>
            <NumberField label="Rows" value={repeat.rows ?? 1} min={1} max={32} whole {...set('rows')} />
          {/if}
          <span class="quiet">{repeat.kind === 'circle' ? 'radius' : 'distance'}</span>
          <NumberField
            label={repeat.kind === 'circle' ? 'Radius of the circle' : 'Distance'}
            value={repeat.step}
            min={0.01}
            max={2}
            scale={100}
            unit="%"
            {...set('step')}
          />
          <span class="quiet">from angle</span>
          <NumberField
            label="Angle of the row"
            value={repeat.angle ?? 0}
            min={-180}
            max={180}
            unit="°"
            {...set('angle')}
          />
          {#if repeat.kind === 'circle'}
            <span class="quiet">turned outward</span>
            <label class="tick"
              ><input
                type="checkbox"
                aria-label="Turned outward"
                checked={repeat.turn}
                onchange={(e) => press.change(press.repeated({ turn: e.currentTarget.checked }))}
              /></label
            >
          {/if}
        {/if}
      {/if}
    </div>
    {#if press.shape}<button class="chip self-start" onclick={() => press.double(press.open.at)}>Double</button>{/if}
  {:else}
    <p class="quiet">Add a shape to begin with, or take a stamp from below.</p>
  {/if}
</div>

<style>
  .settings {
    overflow: auto;
    padding: 8px 10px;
    display: flex;
    flex-direction: column;
    gap: 6px;
    border-left: 1px solid var(--line);
  }
  .grid {
    display: grid;
    grid-template-columns: 88px 1fr;
    gap: 3px 8px;
    align-items: center;
    font-size: 13px;
  }
</style>
