<script lang="ts">
  // Symmetry: where each stroke is repeated.
  import type { Session } from '../../lib/session.svelte';
  import type { Target } from '../../lib/target';
  import type { UI } from '../../lib/ui.svelte';
  import Choice from '../Choice.svelte';
  import NumberField from '../NumberField.svelte';
  import OtherSide from '../OtherSide.svelte';

  let { session, ui, t }: { session: Session; ui: UI; t: Target } = $props();
</script>

<div class="brush-grid">
  <OtherSide {session} {ui} {t} />
  <span class="quiet">over planes</span>
  <span class="wide flex gap-1">
    {#each ['x', 'y', 'z'] as const as axis (axis)}
      <button
        class="chip"
        aria-label={`Mirror across ${axis}`}
        aria-pressed={ui.mirror[axis]}
        class:on={ui.mirror[axis]}
        onclick={() => (ui.mirror[axis] = !ui.mirror[axis])}>{axis}</button
      >
    {/each}
    <button
      class="chip"
      aria-pressed={!!ui.mirror.plane}
      class:on={!!ui.mirror.plane}
      title="A plane of any direction: click a face that looks straight across it"
      onclick={() =>
        ui.mirror.plane
          ? (ui.mirror.plane = null)
          : (ui.taking = {
              label: 'pick a face that looks straight across the plane',
              take: (_, __, nrm) => (ui.mirror.plane = nrm),
            })}>any</button
    >
  </span>
  <span class="quiet" title="Where planes and axis go through">through</span>
  <span class="wide flex gap-1">
    <button class="chip" class:on={!ui.mirror.at} aria-pressed={!ui.mirror.at} onclick={() => (ui.mirror.at = null)}
      >the middle</button
    >
    <button
      class="chip"
      class:on={!!ui.mirror.at}
      aria-pressed={!!ui.mirror.at}
      onclick={() =>
        (ui.taking = {
          label: 'pick where the symmetry goes through',
          take: (_, pos) => (ui.mirror.at = pos),
        })}>a place</button
    >
  </span>
  <span class="quiet" title="Strokes weaken near the planes, so that both sides do not meet as twins">fade</span>
  <NumberField
    label="Fade near the planes"
    value={ui.mirror.fade}
    min={0}
    max={0.5}
    scale={1000}
    unit="mm"
    nought="none"
    fallback={0}
    commit={(v) => (ui.mirror.fade = v)}
  />
  <span class="quiet">times around</span>
  <NumberField
    label="Times around the axis"
    value={ui.mirror.times}
    min={1}
    max={32}
    whole
    fallback={1}
    commit={(v) => (ui.mirror.times = v)}
  />
  <Choice
    name="Axis of the repeats"
    label="the axis"
    value={ui.mirror.axis}
    options={[
      ['x', 'x'],
      ['y', 'y, upright'],
      ['z', 'z'],
    ]}
    take={(v) => (ui.mirror.axis = v as 'x' | 'y' | 'z')}
  />
</div>
