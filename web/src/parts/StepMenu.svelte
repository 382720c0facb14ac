<script lang="ts">
  // The list of all kinds of steps, found by typing.
  import { Dropdown } from 'flowbite-svelte';
  import type { Session } from '../lib/session.svelte';
  import { addStep } from '../lib/stack';
  import type { UI } from '../lib/ui.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  let open = $state(false);
  let find = $state('');
  const found = $derived(
    (session.about.steps ?? []).filter((s) =>
      `${s.label} ${s.help} ${s.role}`.toLowerCase().includes(find.toLowerCase()),
    ),
  );
  const focus = (el: HTMLInputElement) => void setTimeout(() => el.focus());
  function add(kind: string) {
    open = false;
    find = '';
    addStep(session, ui, kind);
  }
</script>

<button class="chip whitespace-nowrap" id="add-step" title="Add a step (Q)">+ Step</button>
<Dropdown simple triggeredBy="#add-step" bind:isOpen={open} placement="top-start" class="w-[430px]">
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
      {#each ['source', 'shaper'] as role (role)}
        {@const list = found.filter((s) => s.role === role)}
        {#if list.length}
          <h3 class="quiet">{role === 'source' ? 'Sources add something' : 'Shapers change what came before'}</h3>
          <div class="grid grid-cols-2">
            {#each list as s (s.kind)}
              <button
                class="kind"
                title={s.help}
                aria-label={`${s.label} ${s.role}: ${s.help}`}
                onclick={() => add(s.kind)}>{s.label}</button
              >
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
    max-height: 420px;
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
  .kind {
    text-align: left;
    padding: 4px 8px;
    min-height: 28px;
    border-radius: 3px;
  }
  .kind:hover,
  .kind:focus-visible {
    background: var(--plum-soft);
  }
</style>
