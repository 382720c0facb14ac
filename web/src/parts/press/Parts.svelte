<script lang="ts">
  // What a stamp is made of: its shapes, and what is done to all of them.
  import type { PressShape } from '../../api/client';
  import type { List, Press } from '../../lib/press.svelte';

  let { press }: { press: Press } = $props();
  const lists: [List, string, string][] = [
    ['shapes', 'shape', 'Add a shape'],
    ['after', 'treatment', 'Add a treatment'],
  ];
  const kinds = (l: List) => (l === 'shapes' ? press.info?.shapes : press.info?.treats) ?? [];
  function add(l: List, kind: string) {
    if (l === 'shapes') press.addShape(kind);
    else press.addTreat(kind);
  }
</script>

<div class="parts">
  {#each lists as [l, what, label] (l)}
    {#if l === 'after'}<h3 class="quiet">then, all of it</h3>{/if}
    {#each press.recipe[l] ?? [] as s, i (i)}
      {@const is = press.open.list === l && press.open.at === i}
      <div class="row" class:is class:off={s.off}>
        <label class="tick"
          ><input
            type="checkbox"
            aria-label={`Use ${s.kind} ${i + 1}`}
            checked={!s.off}
            onchange={(e) => press.change((r) => (r[l]![i].off = !e.currentTarget.checked || undefined))}
          /></label
        >
        <button class="plain grow truncate" aria-expanded={is} onclick={() => (press.open = { list: l, at: i })}
          >{(s as PressShape).text || s.kind}<span class="quiet pl-2"
            >{l === 'shapes' && i ? ((s as PressShape).combine ?? 'highest') : ''}</span
          ></button
        >
        {#if is}
          <button class="plain" aria-label="Up" disabled={!i} onclick={() => press.shift(l, i, -1)}>↑</button>
          <button class="plain" aria-label="Down" onclick={() => press.shift(l, i, 1)}>↓</button>
          <button class="plain" aria-label={`Take ${s.kind} away`} onclick={() => press.drop(l, i)}>✕</button>
        {/if}
      </div>
    {/each}
    <select
      class="pick add"
      aria-label={label}
      value=""
      onchange={(e) => (add(l, e.currentTarget.value), (e.currentTarget.value = ''))}
    >
      <option value="">+ {what}</option>
      {#each kinds(l) as k (k.kind)}<option value={k.kind} title={k.help}>{k.kind}</option>{/each}
    </select>
  {/each}
</div>

<style>
  .parts {
    overflow: auto;
    padding: 8px 10px;
    display: flex;
    flex-direction: column;
    gap: 2px;
    border-right: 1px solid var(--line);
  }
  h3 {
    padding-top: 10px;
    font-size: 13px;
  }
  .row {
    display: flex;
    gap: 6px;
    align-items: center;
    min-height: 30px;
    padding: 0 4px;
    border-left: 3px solid transparent;
  }
  .row.is {
    background: var(--plum-soft);
    border-left-color: var(--plum);
  }
  .row.off {
    opacity: 0.5;
  }
  .row .plain:not(.grow) {
    min-width: 28px;
    text-align: center;
  }
  .row .plain {
    min-height: 28px;
    min-width: 18px;
  }
  .add {
    color: var(--quiet);
    align-self: start;
  }
</style>
