<script lang="ts">
  // The slides of a layer: held again, exchanged, taken away.
  import type { Layer, Slide } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { holdSlide, setSlide } from '../lib/slides';
  import type { UI } from '../lib/ui.svelte';
  import NumberField from './NumberField.svelte';
  import PictureField from './PictureField.svelte';

  let { session, ui, layer }: { session: Session; ui: UI; layer: Layer } = $props();
  const list = $derived((layer.slides ?? []) as Slide[]);
  const exchange = (s: Slide, picture: string) =>
    picture &&
    session.op(setSlide(layer.id, { ...s, stencil: { ...s.stencil, picture } } as Slide, `Picture of ${s.name}`));
  /** A slide with one of its limits changed; the other one gives way. */
  function limited(s: Slide, label: string, v: number): Slide {
    const { fades = 0, ends = 0 } = s.stencil;
    const both =
      label === 'Ends at'
        ? { ends: v, fades: Math.min(fades, v) }
        : { fades: v, ends: Math.max(ends, Math.min(v, 180)) };
    if (ui.slide === s.id && ui.stencil) ui.stencil = { ...ui.stencil, ...both };
    return { ...s, stencil: { ...s.stencil, ...both } } as Slide;
  }
  /** how far the camera stands from what it looks at */
  const away = (s: Slide) => Math.hypot(...s.eye!.map((v, k) => v - s.target![k]));
  /** a slide that ends at a depth before its view; 0: it does not */
  function ending(s: Slide, deep: number): Slide {
    if (ui.slide === s.id && ui.stencil) ui.stencil = Object.assign({ ...ui.stencil }, { deep });
    return { ...s, stencil: { ...s.stencil, deep } } as Slide;
  }
</script>

{#snippet limit(s: Slide, label: string, value: number, fallback: number)}
  <NumberField
    label={`${label}, ${s.name}`}
    {value}
    min={0}
    max={180}
    unit="°"
    scale={1}
    {fallback}
    preview={(v) => session.preview(setSlide(layer.id, limited(s, label, v)))}
    commit={(v) => session.op(setSlide(layer.id, limited(s, label, v), `${label} of ${s.name}`))}
  />
{/snippet}

<ul aria-label={`Slides of ${layer.name}`}>
  {#each list as s (s.id)}
    <li>
      <span class="name">{s.name}</span>
      <button class="chip" aria-pressed={ui.slide === s.id} onclick={() => holdSlide(ui, s)}>Hold</button>
      <button
        class="chip"
        aria-label={`Take away ${s.name}`}
        onclick={() => session.op({ kind: 'slide.remove', target: layer.id, slide: s.id })}>✕</button
      >
      <span class="whole">
        <PictureField
          {session}
          value={s.stencil.picture}
          label={`picture of ${s.name}`}
          commit={(p) => exchange(s, p)}
        />
      </span>
      <span class="limits whole" title="by how many degrees the surface may turn away from the view">
        <span class="quiet">fades from</span>
        <span class="w-14">{@render limit(s, 'Fades from', s.stencil.fades ?? 0, 60)}</span>
        <span class="quiet">to</span>
        <span class="w-14">{@render limit(s, 'Ends at', s.stencil.ends ?? 0, 80)}</span>
      </span>
      <span class="limits whole" title="how far behind what the camera looks at it still paints">
        <label class="limits quiet"
          ><input
            type="checkbox"
            checked={!!s.stencil.deep}
            onchange={(e) =>
              session.op(setSlide(layer.id, ending(s, e.currentTarget.checked ? away(s) : 0), `Depth of ${s.name}`))}
          />ends in depth</label
        >
        {#if s.stencil.deep}
          <span class="w-24"
            ><NumberField
              label={`Depth, ${s.name}`}
              value={s.stencil.deep - away(s)}
              min={-0.95 * away(s)}
              max={4 * away(s)}
              unit="mm"
              scale={1000}
              fallback={0}
              preview={(v) => session.preview(setSlide(layer.id, ending(s, away(s) + v)))}
              commit={(v) => session.op(setSlide(layer.id, ending(s, away(s) + v), `Depth of ${s.name}`))}
            /></span
          >
        {/if}
      </span>
    </li>
  {/each}
</ul>

<style>
  li {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px;
    padding: 2px 0;
    font-size: 13px;
  }
  .limits {
    display: flex;
    align-items: center;
    gap: 4px;
  }
  .whole {
    width: 100%;
  }
  .name {
    flex: 1;
    min-width: 60px;
  }
  .chip {
    padding: 0 6px;
  }
  .chip[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
