<script lang="ts">
  // A dial that the artist makes: what a group looks like with it down, then with it up; it
  // moves all that differs.
  import type { Dial, Layer } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { movesBetween } from '../lib/dials';

  let { session, layer }: { session: Session; layer: Layer } = $props();
  /** the group with the dial down, once that is so */
  let down = $state.raw<Layer | null>(null);
  let name = $state('');
  const moves = $derived(down ? movesBetween(down, layer) : []);
  const MOST = 64;
  const taken = $derived((layer.dials ?? []).some((d) => d.name === name.trim()));
  $effect(() => {
    if (down && down.id !== layer.id) down = null; // another group is open
  });
  function make() {
    const dial = { name: name.trim(), value: 1, usual: 1, moves } as Dial;
    session.op({ kind: 'layer.set', target: layer.id, path: 'dials', value: [...(layer.dials ?? []), dial] });
    [down, name] = [null, ''];
  }
</script>

{#if !down}
  <button
    class="chip"
    title="A control that moves several settings of this group: show it two states"
    onclick={() => (down = $state.snapshot(layer) as Layer)}>New dial</button
  >
{:else}
  <div class="new">
    <p class="text-sm">
      {moves.length
        ? `It moves ${moves.length} setting${moves.length === 1 ? '' : 's'}: from what they were to what they are now.`
        : 'As it is now is the dial at 0. Set the group as it is to look with the dial at 100.'}
    </p>
    {#if moves.length}
      <input
        bind:value={name}
        maxlength="60"
        placeholder="what it turns up"
        aria-label="Name of the dial"
        onkeydown={(e) => (e.stopPropagation(), e.key === 'Enter' && name.trim() && !taken && make())}
      />
      <button class="chip" disabled={!name.trim() || taken || moves.length > MOST} onclick={make}>Make it</button>
      {#if moves.length > MOST}<span class="quiet text-sm">more than {MOST} settings</span>{/if}
      {#if taken}<span class="quiet text-sm">there is a dial called so</span>{/if}
    {/if}
    <button class="chip" onclick={() => (down = null)}>Leave it</button>
  </div>
{/if}

<style>
  .new {
    display: flex;
    flex-wrap: wrap;
    gap: 5px;
    align-items: center;
    border-left: 3px solid var(--verdigris);
    padding-left: 8px;
    width: 100%;
  }
  .new p {
    width: 100%;
  }
  input {
    background: var(--field);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 2px 8px;
    min-height: 28px;
    width: 150px;
  }
</style>
