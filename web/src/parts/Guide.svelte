<script lang="ts">
  // The guide: a page a station and more, and all keys, which can be changed.
  import { tabs } from '../lib/tabs';
  import { Modal, TabItem, Tabs } from 'flowbite-svelte';
  import { html, pages } from '../lib/guide';
  import { bound, changeKey, resetKeys, shortcuts, spelled, type Shortcut } from '../lib/shortcuts.svelte';
  import type { UI } from '../lib/ui.svelte';

  let { ui }: { ui: UI } = $props();
  const groups = [...new Set(shortcuts.map((s) => s.group))];
  /** the key that is being changed, and why the last one was not taken */
  let waits = $state.raw<Shortcut | null>(null);
  let why = $state('');
  const changed = $derived(shortcuts.some((s) => s.on && bound(s) !== s.on));

  function press(e: KeyboardEvent) {
    if (!waits) return;
    e.preventDefault();
    e.stopPropagation();
    if (['Shift', 'Control', 'Alt', 'Meta'].includes(e.key)) return;
    if (e.key !== 'Escape') why = changeKey(waits, e);
    waits = null;
  }
  /** Links from page to page stay here. */
  function follow(e: MouseEvent) {
    const to = (e.target as HTMLElement).closest('a')?.getAttribute('href') ?? '';
    const page = to.replace(/\.md$/, '');
    if (!pages[page]) return;
    e.preventDefault();
    ui.guide = page;
  }
</script>

<svelte:window onkeydowncapture={press} />
<Modal
  open
  size="xl"
  title={ui.guide === 'keys' ? 'All keys' : 'Guide'}
  aria-label={ui.guide === 'keys' ? 'All keys' : 'Guide'}
  onclose={() => (ui.guide = '')}
  classes={{ body: 'guide-body' }}
>
  <div class="guide">
    <Tabs
      {@attach tabs}
      aria-label="Pages of the guide"
      aria-orientation="vertical"
      class="guide-pages"
      classes={{ content: 'guide-page' }}
      divider={false}
      bind:selected={() => ui.guide, (id) => id && (ui.guide = id)}
    >
      {#each Object.entries(pages) as [id, p] (id)}
        <TabItem key={id} title={p.title} open={ui.guide === id} classes={{ button: 'guide-tab' }}>
          <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
          <div class="page" onclick={follow}>
            <!-- our own pages, shipped with the application -->
            <!-- eslint-disable-next-line svelte/no-at-html-tags -->
            {@html html(id)}
          </div>
        </TabItem>
      {/each}
      <TabItem key="keys" title="All keys" open={ui.guide === 'keys'} classes={{ button: 'guide-tab' }}>
        <div class="keys">
          <p class="quiet">
            A click on a key changes it.
            {#if changed}<button class="chip" onclick={resetKeys}>All as they were</button>{/if}
          </p>
          {#if why}<p class="why" role="alert">{why}</p>{/if}
          <div class="columns">
            {#each groups as g (g)}
              <section>
                <h3 class="quiet">{g}</h3>
                <dl>
                  {#each shortcuts.filter((s) => s.group === g && s.says) as s (s.says)}
                    <dt>
                      {#if s.on && s.keys.split(' ').length < 4 && !s.keys.includes('↓')}
                        <button
                          class="key"
                          class:other={bound(s) !== s.on}
                          aria-label={`Change the key of: ${s.says}`}
                          title={bound(s) === s.on ? 'A click changes it' : `Changed; it was ${s.keys}`}
                          onclick={() => ((waits = s), (why = ''))}>{waits === s ? 'press a key …' : spelled(s)}</button
                        >
                      {:else}{s.keys}{/if}
                    </dt>
                    <dd>{s.says}</dd>
                  {/each}
                </dl>
              </section>
            {/each}
          </div>
        </div>
      </TabItem>
    </Tabs>
  </div>
</Modal>

<style>
  .guide {
    color: var(--text);
    display: grid;
    grid-template-columns: 120px 1fr;
    gap: 22px;
  }
  .guide :global(.guide-pages) {
    display: flex;
    flex-direction: column;
    position: sticky;
    top: 0;
    align-self: start;
  }
  .guide :global(.guide-pages li) {
    margin: 0;
  }
  .guide :global(.guide-tab) {
    width: 100%;
    min-height: 30px;
    padding: 0 8px;
    text-align: left;
    border-radius: 0;
    background: none;
    color: var(--quiet);
    font-weight: 400;
  }
  .guide :global(.guide-tab[aria-selected='true']) {
    color: var(--text);
    box-shadow: inset 2px 0 var(--plum);
  }
  .guide :global(.guide-page) {
    margin: 0;
    padding: 0;
    background: none;
  }
  .columns {
    columns: 2;
    column-gap: 34px;
  }
  section {
    break-inside: avoid;
    padding-top: 10px;
  }
  dl {
    display: grid;
    grid-template-columns: 112px 1fr;
    gap: 2px 10px;
    align-items: center;
  }
  dt {
    font-weight: 600;
  }
  .key {
    min-height: 28px;
    min-width: 28px;
    padding: 0 7px;
    border: 1px solid var(--line);
    border-radius: 3px;
    background: var(--field);
  }
  .key:hover {
    border-color: var(--plum);
  }
  .key.other {
    border-color: var(--verdigris);
  }
  .why {
    border-left: 3px solid var(--ochre);
    padding-left: 8px;
  }
  .page {
    max-width: 720px;
    line-height: 1.5;
  }
  .page :global(h1) {
    font-size: 20px;
    font-weight: 600;
  }
  .page :global(h2) {
    font-weight: 600;
    margin: 16px 0 4px;
  }
  .page :global(p),
  .page :global(ul),
  .page :global(ol) {
    margin: 6px 0;
  }
  .page :global(ul) {
    list-style: disc;
    padding-left: 20px;
  }
  .page :global(ol) {
    list-style: decimal;
    padding-left: 20px;
  }
  .page :global(td),
  .page :global(th) {
    padding: 2px 12px 2px 0;
    vertical-align: top;
    text-align: left;
  }
  .page :global(code) {
    background: var(--field);
    padding: 0 4px;
    border-radius: 2px;
  }
  .page :global(a) {
    color: var(--plum);
    text-decoration: underline;
  }
</style>
