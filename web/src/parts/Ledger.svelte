<script lang="ts">
  // The history of everything done: named marks, jumps to any point, and what was
  // jumped over, which is kept as a branch.
  import type { LedgerLine, Session } from '../lib/session.svelte';
  import { LineUp, MOST } from '../lib/lineup.svelte';
  import type { UI } from '../lib/ui.svelte';
  import Drawer from './Drawer.svelte';
  let { session, ui, close }: { session: Session; ui: UI; close: () => void } = $props();
  const named = $derived(session.ledger.filter((l) => l.mark));
  /** Compares the marked states, newest first, with the present one. */
  function lineUp() {
    const list = named.slice(0, MOST - 1).map((l) => ({ label: l.mark!, seq: l.seq }));
    ui.lineup = new LineUp('Marked states', [{ label: 'As it is' }, ...list]);
    close();
  }
  let naming = $state<number | null>(null);
  let marked = $state(false);
  const head = $derived(session.ledger.find((l) => l.on)?.seq ?? 0);
  const list = $derived(session.ledger.filter((l) => !marked || l.mark));
  const focus = (el: HTMLInputElement) => el.select();
  function mark(l: LedgerLine, e: Event) {
    const name = (e.currentTarget as HTMLInputElement).value.trim();
    naming = null;
    if (name !== (l.mark ?? '')) session.change({ t: 'mark', seq: l.seq, name });
  }
  async function takeUp(l: LedgerLine) {
    const { target, step = '', stroke } = l.out as unknown as { target: string; step?: string; stroke: string };
    ui.choose(target);
    if (step) ui.step = step;
    ui.tool = 'line';
    const found = await session.takeUp({ layer: target, step, stroke });
    if (found) ui.stroke = found;
    close();
  }
  const time = (l: LedgerLine) =>
    l.seq ? new Date(l.at).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' }) : '';
</script>

<Drawer label="Ledger" {close} style="right: 0; top: 44px; bottom: 0; width: 380px; z-index: 15; zoom: var(--scale)">
  <header class="flex items-center gap-2 p-2">
    <h2 class="grow font-semibold">Ledger</h2>
    <button class="chip" disabled={!session.undoLabel} onclick={() => session.undo()}>Undo</button>
    <button class="chip" disabled={!session.redoLabel} onclick={() => session.redo()}>Redo</button>
    <button class="chip" disabled={!named.length} title="Compare the marked states with this one" onclick={lineUp}
      >Line up</button
    >
    <button class="chip" aria-pressed={marked} onclick={() => (marked = !marked)}>Marks</button>
    <button class="chip" onclick={close}>Close</button>
  </header>
  <p class="quiet px-3 pb-2 text-sm">
    A click on a line goes back to it. What came later is kept as a branch, set in; a click goes there again.
  </p>
  <ol>
    {#each list as l (l.seq)}
      <li class:head={l.seq === head} class:branch={!l.on}>
        <button
          class="plain go"
          title="Go to this state"
          aria-label={`Go to ${l.seq}: ${l.label}`}
          aria-current={l.seq === head ? 'step' : undefined}
          onclick={() => session.change({ t: 'jump', seq: l.seq })}
        >
          <span class="quiet w-8 shrink-0 text-right text-xs">{l.seq || ''}</span>
          <span class="grow" class:quiet={l.kind === 'undo' || l.kind === 'redo'}>{l.label}</span>
        </button>
        {#if naming === l.seq}
          <input
            class="naming"
            value={l.mark ?? ''}
            aria-label="Name of the mark"
            placeholder="name, or empty for none"
            use:focus
            onblur={(e) => mark(l, e)}
            onkeydown={(e) => (
              e.stopPropagation(),
              e.key === 'Enter' && mark(l, e),
              e.key === 'Escape' && (naming = null)
            )}
          />
        {:else}
          {#if l.out}
            <button
              class="plain flag"
              title="Take this stroke up again: pull its line, change it"
              aria-label={`Take up the stroke of ${l.seq}`}
              onclick={() => takeUp(l)}>take up</button
            >
            <button
              class="plain flag"
              title="Take this stroke out, and leave all that came after it"
              aria-label={`Take out the stroke of ${l.seq}`}
              onclick={() => session.op(l.out!)}>take out</button
            >
          {/if}
          <button
            class="plain flag"
            class:set={l.mark}
            title={l.mark ? 'Rename the mark' : 'Name this state'}
            aria-label={`Mark ${l.seq}`}
            onclick={() => (naming = l.seq)}>{l.mark || 'mark'}</button
          >
          <span class="quiet text-xs whitespace-nowrap">{l.mine || !l.seq ? '' : 'other · '}{time(l)}</span>
        {/if}
      </li>
    {:else}
      <li class="quiet p-3">{marked ? 'No state is marked yet.' : 'Nothing has been done in this project yet.'}</li>
    {/each}
  </ol>
</Drawer>

<style>
  ol {
    overflow: auto;
  }
  li {
    display: flex;
    gap: 6px;
    align-items: center;
    padding: 1px 10px 1px 4px;
    border-top: 1px solid var(--line);
    min-height: 30px;
  }
  .go {
    display: flex;
    gap: 8px;
    flex: 1;
    min-width: 0;
    min-height: 28px;
    align-items: center;
    text-align: left;
  }
  .branch .go {
    padding-left: 22px;
    color: var(--quiet);
    background: linear-gradient(var(--line), var(--line)) 12px 0 / 2px 100% no-repeat;
  }
  .head {
    background: var(--plum-soft);
    box-shadow: inset 3px 0 var(--plum);
  }
  .flag {
    font-size: 12px;
    color: var(--quiet);
    opacity: 0;
    max-width: 130px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  li:hover .flag,
  .flag:focus-visible,
  .flag.set {
    opacity: 1;
  }
  .flag.set {
    color: var(--text);
    border-left: 3px solid var(--ochre);
    padding-left: 6px;
  }
  .naming {
    width: 150px;
    background: var(--field);
    color: var(--text);
    font: inherit;
    font-size: 12.5px;
  }
  .chip[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
