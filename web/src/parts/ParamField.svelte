<script lang="ts">
  // The control of one parameter, drawn from its description.
  import type { Param, Step } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { fitted, type Reach } from '../lib/stack';
  import type { UI } from '../lib/ui.svelte';
  import ColorField from './ColorField.svelte';
  import CurveField from './CurveField.svelte';
  import DirectionField from './DirectionField.svelte';
  import NumberField from './NumberField.svelte';
  import PicksField from './PicksField.svelte';
  import PictureField from './PictureField.svelte';
  import PlaceField from './PlaceField.svelte';
  import RampField from './RampField.svelte';

  interface Props {
    session: Session;
    ui: UI;
    param: Param;
    step: Step;
    preview: (v: unknown) => void;
    commit: (v: unknown) => void;
  }
  let { session, ui, param: p, step, preview, commit }: Props = $props();
  const value = $derived((step.params?.[p.name] ?? p.default) as never);
  const fallback = $derived(
    fitted(session.about, p, ui.extentOf(session.layer(ui.selected)?.reach ?? ({} as Reach))) as number,
  );
  /** what a follow step can read of the layer it follows */
  const outputs = $derived.by(() => {
    const below = step.params?.layer === 'below';
    const all = session.channels.map((c) => [c.channel, c.label]);
    return below ? all : [['mask', 'its mask'], ...all];
  });
</script>

{#if p.kind === 'choice'}
  <select class="pick w-full" aria-label={p.label} {value} onchange={(e) => commit(e.currentTarget.value)}>
    {#each p.choices ?? [] as c (c)}<option>{c}</option>{/each}
  </select>
{:else if p.kind === 'layer'}
  <select class="pick w-full" aria-label={p.label} {value} onchange={(e) => commit(e.currentTarget.value)}>
    <option value="">none</option>
    <option value="below">all that lies below</option>
    {#each [...session.rows].reverse() as r (r.layer.id)}<option value={r.layer.id}>{r.layer.name}</option>{/each}
  </select>
{:else if p.kind === 'output'}
  <select class="pick w-full" aria-label={p.label} {value} onchange={(e) => commit(e.currentTarget.value)}>
    {#each outputs as [id, label] (id)}<option value={id}>{label}</option>{/each}
  </select>
{:else if p.kind === 'switch'}
  <label class="tick"
    ><input
      type="checkbox"
      aria-label={p.label}
      checked={value}
      onchange={(e) => commit(e.currentTarget.checked)}
    /></label
  >
{:else if p.kind === 'color'}
  <ColorField label={p.label} {ui} {value} {preview} {commit} />
{:else if p.kind === 'ramp'}
  <RampField label={p.label} {ui} {value} between={(step.params?.between as string) ?? 'straight'} {preview} {commit} />
{:else if p.kind === 'curve'}
  <CurveField label={p.label} {value} {preview} {commit} />
{:else if p.kind === 'direction'}
  <DirectionField label={p.label} {value} {preview} {commit} />
{:else if p.kind === 'point' || p.kind === 'points'}
  <PlaceField label={p.label} {ui} {value} many={p.kind === 'points'} {commit} />
{:else if p.kind === 'names' || p.kind === 'numbers'}
  <PicksField name={p.name} label={p.label} {ui} {value} {commit} />
{:else if p.kind === 'picture'}
  <PictureField {session} label={p.label} {value} {commit} />
{:else if p.kind === 'seed'}
  <span class="flex gap-1">
    <NumberField label={p.label} {value} min={p.min} max={p.max} whole {commit} />
    <button
      class="chip"
      style="padding: 0 6px"
      title="Another pattern"
      onclick={() => commit(((value as number) + 1) % (p.max + 1))}>next</button
    >
  </span>
{:else}
  <NumberField
    label={p.label}
    {value}
    min={p.min}
    max={p.max}
    unit={p.unit ?? ''}
    scale={p.scale}
    log={p.log}
    whole={p.kind === 'integer'}
    {fallback}
    {preview}
    {commit}
  />
{/if}
