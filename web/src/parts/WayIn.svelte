<script lang="ts">
  // What a new project begins with: cards that go when they were used, or are put away.
  import type { IconName } from '../lib/icons';
  import { Readiness } from '../lib/ready.svelte';
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import Icon from './Icon.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  // svelte-ignore state_referenced_locally
  const ready = new Readiness(session);
  $effect(() => ready.look());
  /** those that were used or put away in this browser, of this project */
  // svelte-ignore state_referenced_locally
  const place = `way in ${session.id}`;
  let gone = $state((localStorage.getItem(place) ?? '').split(' '));
  function put(...what: string[]) {
    gone = [...gone, ...what];
    localStorage.setItem(place, gone.join(' ').trim());
  }
  interface Card {
    id: string;
    icon: IconName;
    title: string;
    text: string;
    act: string;
    busy?: boolean;
    run: () => void;
  }
  const maps = ['ao', 'curvature', 'thickness', 'sky'];
  const cards = $derived.by(() => {
    const list: Card[] = [];
    const add = (when: boolean, c: Card) => when && !gone.includes(c.id) && list.push(c);
    add(true, {
      id: 'look',
      icon: 'ruler',
      title: 'Look the model over',
      text: 'A checker shows whether its UVs stretch, and what overlaps.',
      act: 'Look',
      run: () => {
        put('look');
        ui.station = 'Prepare';
      },
    });
    add(ready.bare, {
      id: 'unwrap',
      icon: 'map',
      title: 'Unwrap it',
      text: 'It has no UVs yet; without them nothing lies on it.',
      act: ready.unwrapping ? 'Unwrapping …' : 'Unwrap',
      busy: ready.unwrapping,
      run: () => void ready.unwrap(),
    });
    add(!ready.bare && ready.lacking(maps).length > 0, {
      id: 'bake',
      icon: 'drill',
      title: 'Bake its maps',
      text: 'Edges, hollows and open sides, for all that wears and gathers.',
      act: ready.baking ? 'Baking …' : 'Bake',
      busy: ready.baking,
      run: () => void ready.bake(ready.lacking(maps)),
    });
    add(true, {
      id: 'material',
      icon: 'stock',
      title: 'Put a material on',
      text: 'Open the stock, hold one over a part, and drop it where it fits.',
      act: 'Choose',
      run: () => {
        put('material');
        ui.shelf = 'materials';
        ui.stock = true;
      },
    });
    return list;
  });
</script>

{#if cards.length}
  <section aria-label="A way in">
    <header>
      <h3 class="quiet">A way in</h3>
      <button class="chip" title="They are not shown again" onclick={() => put(...cards.map((c) => c.id))}
        >Put away</button
      >
    </header>
    {#each cards as c (c.id)}
      <article>
        <Icon of={c.icon} size={20} />
        <div>
          <h4 class="font-semibold">{c.title}</h4>
          <p class="quiet">{c.text}</p>
        </div>
        <button class="chip" disabled={c.busy || ready.asked} onclick={c.run}>{c.act}</button>
      </article>
    {/each}
    <p class="quiet">
      <button class="link" onclick={() => ui.openGuide()}>The guide</button> tells what each station is for (?).
    </p>
  </section>
{/if}

<style>
  section {
    padding: 12px;
    display: grid;
    gap: 8px;
  }
  header {
    display: flex;
    align-items: center;
    justify-content: space-between;
  }
  article {
    display: grid;
    grid-template-columns: auto 1fr auto;
    align-items: center;
    gap: 10px;
    padding: 8px 10px;
    border: 1px solid var(--line);
    border-left: 3px solid var(--verdigris);
    border-radius: 3px;
    background: var(--raised);
  }
  article p {
    font-size: 12.5px;
    line-height: 1.35;
  }
  .link {
    color: var(--plum);
    text-decoration: underline;
  }
</style>
