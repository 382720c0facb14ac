<script lang="ts">
  // Below the view: every file that will be written, what there is to know before, and, after it, how
  // what was written differs from what is here.
  import type { DeliveryWarning } from '../../api/client';
  import { bytes, type Ordering } from '../../lib/ordering.svelte';
  import type { UI } from '../../lib/ui.svelte';

  let { ui, o }: { ui: UI; o: Ordering } = $props();
  /** the warning whose place is shown */
  let shown = $state.raw<DeliveryWarning | null>(null);
  const about = $derived(new Set(shown?.files ?? []));
  const warned = $derived(new Set((o.warnings ?? []).flatMap((w) => w.files ?? [])));
  function find(w: DeliveryWarning) {
    if (shown === w) {
      shown = null;
      ui.alone = '';
      return;
    }
    shown = w;
    ui.alone = (w.channel ?? '') as typeof ui.alone;
    if (!w.place) return;
    const { eye, at } = ui.judge?.view() ?? { eye: [0, 0, 1], at: [0, 0, 0] };
    const away = eye.map((v, k) => v - at[k]);
    const long = Math.hypot(...away) || 1;
    const far = Math.min(long, ui.extent * 0.45);
    ui.goTo(
      w.place.map((v, k) => v + (away[k] / long) * far),
      [...w.place],
    );
  }
  const number = (v: number) => (v === 0 ? '0' : v < 1e-4 ? v.toExponential(1) : v.toPrecision(2));
</script>

{#if o.open}
  <section class="written" aria-label="What will be written">
    {#if o.compared}
      <header>
        <h2 class="grow font-semibold">
          What was written, beside what is here
          <span class="quiet">differences of components, over the islands; of 1</span>
        </h2>
        <button
          class="chip"
          onclick={() => ((o.compared = null), ui.lineup?.title === 'Delivered' && (ui.lineup = null))}
          >Back to the table</button
        >
      </header>
      {#if !o.compared.files}<p class="quiet">reading the files again …</p>
      {:else}
        <table>
          <thead
            ><tr
              ><th>file</th><th class="n">largest</th><th class="n">mean</th><th class="n">rounding alone</th><th
                >found</th
              ></tr
            ></thead
          >
          <tbody>
            {#each o.compared.files as f (f.name)}
              <tr class:bad={(f.found ?? []).length > 0}>
                <td>{f.name}</td>
                <td class="n" title={`texel ${(f.at ?? []).join(', ')}`}>{f.missing ? '' : number(f.max)}</td>
                <td class="n">{f.missing ? '' : number(f.mean)}</td>
                <td class="n">{f.step ? number(f.step) : '–'}</td>
                <td>
                  {#each f.found ?? [] as s, i (i)}<span class="fault">{s}</span>{:else}<span class="good"
                      >{f.step && f.max > f.step * 1.02 ? 'the project has changed since' : 'as it should be'}</span
                    >{/each}
                </td>
              </tr>
            {/each}
          </tbody>
        </table>
      {/if}
    {:else}
      {#if o.there.length}
        <p class="warn over" role="status">
          {o.there.length === 1 ? 'One file is' : `${o.there.length} files are`} in the folder already and will be written
          over:
          {o.there.join(', ')}
        </p>
      {/if}
      {#if o.warnings?.length}
        <ul aria-label="To know before">
          {#each o.warnings as w, i (i)}
            <li class="warn">
              <button
                class="chip"
                aria-pressed={shown === w}
                disabled={!w.place && !w.channel && !w.files?.length}
                title={w.place ? 'Show the place' : 'Show what it is about'}
                onclick={() => find(w)}>{w.place ? 'place' : 'show'}</button
              >
              {w.text}
            </li>
          {/each}
        </ul>
      {/if}
      <table>
        <thead
          ><tr
            ><th>sheet</th><th>map</th><th>channels</th><th>encoding</th><th class="n">bits</th><th class="n">size</th
            ><th>file</th><th class="n">about</th></tr
          ></thead
        >
        <tbody>
          {#each o.plan as f (f.name)}
            <tr class:about={about.has(f.name)} class:warned={warned.has(f.name)}
              ><td>{f.sheet}</td><td>{f.map}</td><td class="quiet">{f.packing}</td><td>{f.encoding}</td><td class="n"
                >{f.scene ? '' : f.depth || ''}</td
              ><td class="n">{f.size || ''}</td><td class="name">{f.name}</td><td class="n">{bytes(f.estimate)}</td></tr
            >
          {/each}
        </tbody>
      </table>
      <p class="quiet">
        Where to: {o.folder ? `the folder ${o.folder} on the server, and ` : ''}your browser's download folder, file by
        file or as one zip.
      </p>
    {/if}
  </section>
{/if}

<style>
  .written {
    max-height: min(300px, 40vh);
    overflow: auto;
    padding: 8px 14px;
  }
  header {
    display: flex;
    align-items: center;
    gap: 10px;
  }
  table {
    width: 100%;
    font-size: 12.5px;
  }
  th {
    text-align: left;
    font-weight: normal;
    color: var(--quiet);
    padding-right: 12px;
  }
  td {
    border-top: 1px solid var(--line);
    padding: 2px 12px 2px 0;
    vertical-align: top;
  }
  .n {
    text-align: right;
    white-space: nowrap;
  }
  .name {
    overflow-wrap: anywhere;
  }
  .warn {
    display: flex;
    gap: 8px;
    align-items: baseline;
    padding: 1px 0;
  }
  ul {
    margin-bottom: 6px;
    padding-left: 8px;
    border-left: 3px solid var(--ochre);
  }
  .over {
    padding-left: 8px;
    border-left: 3px solid var(--brick);
  }
  .warned td:first-child {
    box-shadow: inset 2px 0 var(--ochre);
    padding-left: 6px;
  }
  .about {
    background: var(--plum-soft);
  }
  .fault {
    display: block;
    color: var(--brick);
  }
  .good {
    color: var(--verdigris);
  }
</style>
