<script lang="ts">
  // The stroke that was taken up again: what it is, and what becomes of it.
  import type { Session } from '../lib/session.svelte';
  import { closed } from '../lib/taken';
  import { closeStroke, moveStroke, removeStroke, setStroke, showStroke } from '../lib/strokes';
  import { target } from '../lib/target';
  import type { UI } from '../lib/ui.svelte';
  import ColorField from './ColorField.svelte';
  import Icon from './Icon.svelte';
  import NumberField from './NumberField.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  const taken = $derived(ui.stroke!);
  const s = $derived(taken.stroke);
  const ring = $derived(closed(s.points ?? [], s.radius));
  const change = (over: Partial<typeof s>, label: string) => setStroke(session, ui, over, label);
  const show = (over: Partial<typeof s>) => showStroke(session, ui, over);
  const channels = $derived(session.channels.filter((c) => s.values?.[c.channel]?.length === 1));
  /** The brush in hand, in place of the one that it was drawn with. */
  function asBrush() {
    const b = ui.brush;
    const values = { ...s.values };
    for (const c of target(session, ui).channels) {
      if (!values[c]) continue;
      if (c === 'mask') values[c] = [b.mask];
      else if (c === 'baseColor') values[c] = [...b.color];
      else if (c === 'emissive') values[c] = [...b.emissive];
      else if (values[c]!.length === 1) values[c] = [b.values[c] ?? 0];
    }
    const kit = b.kit ? JSON.parse(JSON.stringify(b.kit)) : undefined;
    change(
      {
        radius: b.onScreen ? s.radius : b.size,
        strength: b.strength,
        hardness: b.hardness,
        blend: b.blend,
        does: s.does === 'clone' || s.does === 'opposite' ? s.does : (b.does as typeof s.does),
        kit,
        values,
      },
      'stroke by another brush',
    );
  }
</script>

<section class="stroke settings" aria-label="Stroke">
  <header>
    <h3 class="font-semibold">{s.erase ? 'Erasing stroke' : 'Stroke'}</h3>
    <span class="quiet"
      >{taken.index + 1} of {taken.count}, {(s.points?.length ?? 0) / 7} points{ring ? ', closed' : ''}</span
    >
    <button class="chip" title="Esc" onclick={() => (ui.stroke = null)}>Let go</button>
  </header>
  <div class="fields">
    <span class="quiet">Radius</span>
    <NumberField
      label="Radius of the stroke"
      value={s.radius}
      min={1e-5}
      max={Math.max(ui.brush.largest, s.radius)}
      scale={1000}
      unit="mm"
      log
      preview={(v) => show({ radius: v })}
      commit={(v) => change({ radius: v }, 'radius of a stroke')}
    />
    <span class="quiet">Strength</span>
    <NumberField
      label="Strength of the stroke"
      value={s.strength}
      min={0}
      max={1}
      scale={100}
      unit="%"
      preview={(v) => show({ strength: v })}
      commit={(v) => change({ strength: v }, 'strength of a stroke')}
    />
    <span class="quiet">Hardness</span>
    <NumberField
      label="Hardness of the stroke"
      value={s.hardness}
      min={0}
      max={1}
      scale={100}
      unit="%"
      preview={(v) => show({ hardness: v })}
      commit={(v) => change({ hardness: v }, 'hardness of a stroke')}
    />
    {#if s.values?.baseColor}
      <span class="quiet">Colour</span>
      <ColorField
        label="Colour of the stroke"
        value={s.values.baseColor}
        preview={(v) => show({ values: { ...s.values, baseColor: v } })}
        commit={(v) => change({ values: { ...s.values, baseColor: v } }, 'colour of a stroke')}
      />
    {/if}
    {#each channels as c (c.channel)}
      <span class="quiet">{c.label}</span>
      <NumberField
        label={`${c.label} of the stroke`}
        value={s.values![c.channel]![0]}
        min={c.min}
        max={c.max}
        scale={c.scale}
        unit={c.unit}
        preview={(v) => show({ values: { ...s.values, [c.channel]: [v] } })}
        commit={(v) => change({ values: { ...s.values, [c.channel]: [v] } }, `${c.label} of a stroke`)}
      />
    {/each}
  </div>
  <div class="tools">
    <button class="chip" title="Size, strength, tip and values of the brush in hand" onclick={asBrush}
      ><Icon of="brush" />As the brush is</button
    >
    <button
      class="chip"
      disabled={taken.index === 0}
      title="Laid before the stroke that lies under it"
      onclick={() => moveStroke(session, ui, -1)}>Lower</button
    >
    <button
      class="chip"
      disabled={taken.index === taken.count - 1}
      title="Laid after the stroke that lies over it"
      onclick={() => moveStroke(session, ui, 1)}>Higher</button
    >
    <button
      class="chip"
      disabled={ring || (s.points?.length ?? 0) < 28}
      title="It goes on over the surface until it ends where it begins"
      onclick={() => closeStroke(session, ui, ui.onto)}>Close</button
    >
    <button
      class="chip"
      aria-pressed={ui.joining}
      disabled={ring}
      title="Then click another stroke of this layer: it becomes one with this one, end to nearest end"
      onclick={() => (ui.joining = !ui.joining)}>Join</button
    >
    <button class="chip" title="It is no more laid" onclick={() => removeStroke(session, ui)}
      ><Icon of="trash" />Take out</button
    >
  </div>
</section>

<style>
  .stroke {
    flex: none;
    width: min(680px, 68%);
    margin-left: auto;
    overflow: auto;
    border: 1px solid var(--verdigris);
    border-radius: 4px;
    background: var(--raised);
    padding: 3px 8px 4px;
  }
  header {
    display: flex;
    align-items: center;
    gap: 10px;
  }
  header .chip {
    margin-left: auto;
  }
  .fields {
    display: grid;
    grid-template-columns: repeat(3, auto 1fr);
    gap: 4px 8px;
    align-items: center;
    padding: 6px 0;
  }
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
  }
</style>
