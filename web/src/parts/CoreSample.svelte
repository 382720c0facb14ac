<script lang="ts">
  // What every layer adds at the drilled point, outermost first.
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  let { session, ui, at }: { session: Session; ui: UI; at: { x: number; y: number } } = $props();
  const d = $derived(session.drill!);
  const css = (c?: number[]) => (c ? `rgb(${c.map((v) => Math.round(v * 255)).join(' ')})` : 'transparent');
  const num = (v?: number[]) => (v ? v[0].toFixed(2) : '');
</script>

<section
  style:left={`${at.x + 18}px`}
  style:top={`max(50px, min(${at.y}px, calc(100% - 330px)))`}
  aria-label="Core sample"
>
  <header class="quiet">{d.part} · {d.sheet}</header>
  <table>
    <thead>
      <tr class="quiet"
        ><th></th><th>layer</th><th title="mask times amount">here</th><th>rough</th><th>metal</th><th>height</th></tr
      >
    </thead>
    <tbody>
      {#each d.layers as l (l.layer)}
        <tr class:none={l.mask < 0.005} class:sel={l.layer === ui.selected}>
          <td><span class="dot" style:background={css(l.result.baseColor)}></span></td>
          <td
            ><button class="plain" onclick={() => (ui.selected = l.layer)}
              >{session.layer(l.layer)?.name ?? l.layer}</button
            ></td
          >
          <td>{Math.round(l.mask * 100)} %</td>
          <td>{num(l.result.roughness)}</td>
          <td>{num(l.result.metallic)}</td>
          <td>{(l.result.height?.[0] * 1000).toFixed(2)} mm</td>
        </tr>
      {/each}
    </tbody>
  </table>
</section>

<style>
  section {
    position: absolute;
    background: var(--panel);
    border: 1px solid var(--line);
    border-radius: 4px;
    padding: 6px 8px;
    font-size: 12.5px;
    max-height: 320px;
    overflow: auto;
  }
  th,
  td {
    padding: 1px 7px 1px 0;
    text-align: right;
    font-weight: 400;
  }
  td:nth-child(2),
  th:nth-child(2) {
    text-align: left;
  }
  .none {
    opacity: 0.55;
  }
  .sel {
    background: var(--plum-soft);
  }
  .dot {
    display: block;
    width: 20px;
    height: 16px;
  }
</style>
