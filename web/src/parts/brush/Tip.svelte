<script lang="ts">
  // The form that is set down, and how close.
  import type { Brushes, Kit } from '../../api/client';
  import type { Session } from '../../lib/session.svelte';
  import type { UI } from '../../lib/ui.svelte';
  import Choice from '../Choice.svelte';
  import CurveField from '../CurveField.svelte';
  import NumberField from '../NumberField.svelte';
  import PictureField from '../PictureField.svelte';
  import { pair, sloping } from './curve';
  import KitNumber from './KitNumber.svelte';
  import { keyNow } from '../../lib/shortcuts.svelte';

  let { session, ui, about }: { session: Session; ui: UI; about: Brushes | null } = $props();
  const b = $derived(ui.brush);
  const k = $derived(b.kit);
</script>

<div class="brush-grid">
  <Choice
    name="Tip"
    label="tip"
    value={k?.tip ?? ''}
    options={(about?.tips ?? []).map((x) => [x.name, x.name || 'round', x.help] as const)}
    take={(v) => ui.brush.setKit('tip', v)}
  />
  <span class="quiet" title="A picture of the project as the tip: white lays, black does not">stamp</span>
  <span class="wide whole flex items-center gap-1">
    <PictureField
      {session}
      label="picture for the tip"
      value={k?.picture ?? ''}
      commit={(v) => {
        ui.brush.setKit('picture', v || undefined);
        if (v && (k?.spacing ?? 0) < 0.5) ui.brush.setKit('spacing', 1.2);
      }}
    />
    <button class="chip" title={`Make a stamp, or take one (${keyNow('shift+p')})`} onclick={() => (ui.press = true)}
      >press …</button
    >
  </span>
  <KitNumber
    {ui}
    of="spacing"
    label="spacing"
    value={k?.spacing ?? 0}
    min={0.02}
    max={5}
    help="from dab to dab, in diameters"
    nought="swept"
  />
  <KitNumber
    {ui}
    of="flow"
    label="flow"
    value={k?.flow ?? 1}
    min={0}
    max={1}
    help="what one dab lays of what is missing to the strength"
  />
  <KitNumber
    {ui}
    of="round"
    label="roundness"
    value={k?.round || 1}
    min={0.05}
    max={1}
    help="height of a dab over its width"
  />
  <KitNumber
    {ui}
    of="angle"
    label="angle"
    value={k?.angle ?? 0}
    min={-180}
    max={180}
    scale={1}
    unit="°"
    help="a dab is turned so far"
  />
  <span class="quiet">turns</span>
  <span class="wide flex gap-3">
    <label
      ><input
        type="checkbox"
        checked={k?.along ?? false}
        onchange={(e) => ui.brush.setKit('along', e.currentTarget.checked)}
      /> with the stroke</label
    >
  </span>
  {#if !k?.tip && !k?.picture}
    <Choice
      name="Falloff"
      label="falloff"
      help="What a dab lays from its middle to its rim"
      value={k?.falloff ? 'curve' : ''}
      options={[
        ['', 'by hardness'],
        ['curve', 'a curve'],
      ]}
      take={(v) => ui.brush.setKit('falloff', v ? sloping() : undefined)}
    />
    {#if k?.falloff}
      <div class="curve">
        <CurveField
          label="Falloff from the middle to the rim"
          value={k.falloff as number[][]}
          preview={(v) => ui.brush.setKit('falloff', v)}
          commit={(v) => ui.brush.setKit('falloff', pair(v))}
        />
      </div>
    {/if}
  {/if}
  <Choice
    name="Grain"
    label="grain"
    value={k?.grain?.kind ?? ''}
    options={[['', 'none'], ...(about?.grains ?? []).map((g) => [g, g] as const)]}
    take={(kind) =>
      ui.brush.setKit('grain', kind ? ({ size: 0.0015, amount: 0.8, ...k?.grain, kind } as Kit['grain']) : undefined)}
  />
  {#if k?.grain}
    {@const g = k.grain}
    <Choice
      name="What the grain belongs to"
      label="lies in"
      help="Where the grain lies: paint laid twice meets the same hills, or not"
      value={g.in ?? ''}
      options={[
        ['', 'the surface'],
        ['line', 'the line, along it'],
        ['tip', 'the tip, each dab'],
      ]}
      take={(v) => ui.brush.setKit('grain', { ...g, in: v || undefined } as Kit['grain'])}
    />
    <span class="quiet">its size</span>
    <NumberField
      label="Size of the grain"
      value={g.size}
      min={0.0001}
      max={0.1}
      log
      scale={1000}
      unit="mm"
      fallback={0.0015}
      commit={(v) => (g.size = v)}
    />
    <span class="quiet">its depth</span>
    <NumberField
      label="Depth of the grain"
      value={g.amount}
      min={0}
      max={1}
      scale={100}
      unit="%"
      fallback={0.8}
      commit={(v) => (g.amount = v)}
    />
  {/if}
  <span class="quiet">resting pen</span>
  <span class="whitespace-nowrap">
    <label
      ><input
        type="checkbox"
        checked={k?.build ?? false}
        onchange={(e) => ui.brush.setKit('build', e.currentTarget.checked)}
      /> builds up</label
    >
  </span>
  {#if k}
    <button class="chip" onclick={() => (b.kit = null)} title="A round brush that is swept, without dabs"
      >Plain and round</button
    >
  {/if}
</div>
