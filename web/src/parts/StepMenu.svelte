<script lang="ts">
  // The list of all kinds of steps, found by typing.
  import { Dropdown } from 'flowbite-svelte';
  import type { StepKind } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { addStep } from '../lib/stack';
  import type { UI } from '../lib/ui.svelte';
  import { keyNow } from '../lib/shortcuts.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  let open = $state(false);
  let find = $state('');
  /** what is called so comes before what begins so, contains it, or speaks of it */
  const rank = (s: StepKind, words: string) => {
    const label = s.label.toLowerCase();
    if (label === words) return 0;
    if (label.startsWith(words)) return 1;
    return label.includes(words) ? 2 : 3;
  };
  const found = $derived.by(() => {
    const words = find.trim().toLowerCase();
    return (session.about.steps ?? [])
      .filter((s) => `${s.label} ${s.help} ${s.role} ${s.group ?? ''}`.toLowerCase().includes(words))
      .sort((a, b) => (words ? rank(a, words) - rank(b, words) : 0));
  });
  const groups = ['Agents', 'Noises', 'Patterns', 'Marks', 'Gradients', 'Picks', 'Readings', 'Shapers'];
  const heads: Record<string, string> = {
    Agents: 'Agents: weather and use',
    Readings: 'Readings: pictures, baked maps, other layers, the hand',
    Shapers: 'Shapers change what came before',
  };
  const group = (s: StepKind) => (s.role === 'shaper' ? 'Shapers' : (s.group ?? 'Readings'));
  /** what has a picture of its own: the rest shows nothing by itself */
  const pictured = (s: StepKind) =>
    !['hand', 'follow', 'bundle', 'picture', 'id', 'parts', 'islands', 'faces', 'gradient-distance'].includes(s.kind);
  const focus = (el: HTMLInputElement) => void setTimeout(() => el.focus());
  function add(kind: string) {
    open = false;
    find = '';
    addStep(session, ui, kind);
  }
</script>

<button class="chip whitespace-nowrap" id="add-step" title={`Add a step (${keyNow('q')})`}>+ Step</button>
<Dropdown simple triggeredBy="#add-step" bind:isOpen={open} placement="top-start" class="w-[600px]">
  {#if open}<div class="menu">
      <input
        use:focus
        bind:value={find}
        placeholder="find a step"
        aria-label="Find a step"
        onkeydown={(e) => {
          e.stopPropagation();
          if (e.key === 'Enter' && found.length) add(found[0].kind);
          if (e.key === 'Escape') open = false;
        }}
      />
      {#each groups as g (g)}
        {@const list = found.filter((s) => group(s) === g)}
        {#if list.length}
          <h3 class="quiet">{heads[g] ?? g}</h3>
          <div class="kinds">
            {#each list as s (s.kind)}
              <button
                class="kind"
                title={s.help}
                aria-label={`${s.label} ${s.role}: ${s.help}`}
                onclick={() => add(s.kind)}
              >
                {#if pictured(s)}
                  <img src={`/api/steps/${s.kind}/picture`} alt="" loading="lazy" width="88" height="64" />
                {:else}
                  <span class="blank" aria-hidden="true">{s.label[0]}</span>
                {/if}
                <span>{s.label}</span>
              </button>
            {/each}
          </div>
        {/if}
      {/each}
      {#if !found.length}<p class="quiet p-2">No step is called that.</p>{/if}
    </div>{/if}
</Dropdown>

<style>
  .menu {
    padding: 8px;
    max-height: 460px;
    overflow: auto;
  }
  input {
    width: 100%;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 4px 8px;
  }
  h3 {
    font-size: 12.5px;
    padding: 8px 8px 2px;
  }
  .kinds {
    display: grid;
    grid-template-columns: repeat(6, 1fr);
    gap: 4px;
  }
  .kind {
    display: flex;
    flex-direction: column;
    align-items: center;
    gap: 2px;
    padding: 3px 2px;
    border-radius: 3px;
    font-size: 12.5px;
    line-height: 1.15;
    text-align: center;
  }
  .kind img,
  .blank {
    width: 88px;
    height: 64px;
    border-radius: 2px;
    object-fit: cover;
    background: var(--field);
  }
  .blank {
    display: grid;
    place-content: center;
    color: var(--quiet);
    font-size: 22px;
  }
  .kind:hover,
  .kind:focus-visible {
    background: var(--plum-soft);
  }
</style>
