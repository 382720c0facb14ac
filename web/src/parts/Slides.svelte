<script lang="ts">
  // The slides of a layer: held again, exchanged, taken away.
  import type { Layer, Slide } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { holdSlide, setSlide } from '../lib/slides';
  import type { UI } from '../lib/ui.svelte';
  import PictureField from './PictureField.svelte';

  let { session, ui, layer }: { session: Session; ui: UI; layer: Layer } = $props();
  const list = $derived((layer.slides ?? []) as Slide[]);
  const exchange = (s: Slide, picture: string) =>
    picture &&
    session.op(setSlide(layer.id, { ...s, stencil: { ...s.stencil, picture } } as Slide, `Picture of ${s.name}`));
</script>

<ul aria-label={`Slides of ${layer.name}`}>
  {#each list as s (s.id)}
    <li>
      <span class="name">{s.name}</span>
      <PictureField {session} value={s.stencil.picture} label={`picture of ${s.name}`} commit={(p) => exchange(s, p)} />
      <button class="chip" aria-pressed={ui.slide === s.id} onclick={() => holdSlide(ui, s)}>Hold</button>
      <button
        class="chip"
        aria-label={`Take away ${s.name}`}
        onclick={() => session.op({ kind: 'slide.remove', target: layer.id, slide: s.id })}>✕</button
      >
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
