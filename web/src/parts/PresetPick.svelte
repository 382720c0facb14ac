<script lang="ts">
  // The presets of an agent.
  import type { Layer, Step, StepKind } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { title } from '../lib/stack';

  let { session, layer, step, kind }: { session: Session; layer: Layer; step: Step; kind: StepKind } = $props();
  /** Takes a preset: its parameters, and the usual ones for the rest but the seed and what is followed. */
  function take(name: string) {
    const preset = kind.presets?.find((p) => p.name === name);
    if (!preset) return;
    const kept = Object.fromEntries(
      Object.entries(step.params ?? {}).filter(([k]) => ['seed', 'layer', 'what'].includes(k)),
    );
    session.op({
      kind: 'step.set',
      target: layer.id,
      step: step.id,
      path: 'params',
      value: { ...kept, ...preset.params },
      label: `${name} for ${title(session.about.steps!, step)}`,
    });
  }
</script>

{#if kind.presets?.length}
  <select
    class="pick"
    aria-label="Preset"
    value=""
    onchange={(e) => (take(e.currentTarget.value), (e.currentTarget.value = ''))}
  >
    <option value="">presets</option>
    {#each kind.presets as p (p.name)}<option>{p.name}</option>{/each}
  </select>
{/if}
