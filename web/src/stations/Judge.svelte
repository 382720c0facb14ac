<script lang="ts">
  // The drawer of Judge: light, lens, and the looks and views that are kept.
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import LightColumn from '../parts/judge/LightColumn.svelte';
  import LensColumn from '../parts/judge/LensColumn.svelte';
  import KeptColumn from '../parts/judge/KeptColumn.svelte';
  let { ui, session, id }: { ui: UI; session: Session; id: string } = $props();
</script>

<section class="drawer">
  <LightColumn {ui} {session} />
  <LensColumn {ui} {session} />
  <KeptColumn {ui} {session} {id} />
</section>

<style>
  .drawer {
    display: grid;
    grid-template-columns: minmax(330px, 1.15fr) minmax(300px, 1fr) minmax(300px, 1.2fr);
    max-height: min(232px, 38vh);
    overflow: auto;
  }
  .drawer > :global(*) {
    padding: 8px 14px 10px;
    border-left: 1px solid var(--line);
    min-width: 0;
  }
  .drawer > :global(*:first-child) {
    border-left: 0;
  }
  @media (min-width: 1900px) {
    .drawer {
      grid-template-columns: minmax(330px, 560px) minmax(300px, 440px) 1fr;
    }
  }
  @media (max-width: 1000px) {
    .drawer {
      grid-template-columns: 1fr;
    }
  }
</style>
