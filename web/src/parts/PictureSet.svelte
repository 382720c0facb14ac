<script lang="ts">
  // A material of a set of pictures: what each holds is told from its name and can be
  // corrected, then all are laid on with one placement.
  import { Button, Modal, Spinner } from 'flowbite-svelte';
  import { untrack } from 'svelte';
  import { api, type SetRow } from '../api/client';
  import { overOpen } from '../lib/materials';
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import NumberField from './NumberField.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  let rows = $state<SetRow[]>([]);
  let name = $state('');
  let laid = $state<'from three sides' | 'along the surface' | 'by UVs' | 'as a box'>('from three sides');
  let tiles = $state<'again' | 'mirrored' | 'at random'>('at random');
  let size = $state(0.1);
  let turn = $state(0);
  let busy = $state('');
  let error = $state('');
  const coming = $derived(ui.pictures);
  const bySheet = $derived(laid === 'by UVs');

  /** what the names of all have in common */
  function common(names: string[]): string {
    const words = names.map((n) => n.replace(/\.[^.]*$/, '').split(/[^A-Za-z0-9]+|(?<=[a-z])(?=[A-Z])/));
    const same = words[0].filter((w, i) => words.every((o) => o[i] === w));
    const text = (same.length && words.length > 1 ? same : words[0]).join(' ').trim();
    return text ? text[0].toUpperCase() + text.slice(1) : 'Pictures';
  }
  async function look(files: File[], known: string[]) {
    [rows, error] = [[], ''];
    const blobs = [...known];
    try {
      for (const [i, f] of files.entries()) {
        busy = `Sending ${f.name} (${i + 1} of ${files.length}) …`;
        const got = /\.zip$/i.test(f.name)
          ? await api.addPictureZip(session.id, f)
          : [await api.addPicture(session.id, f)];
        blobs.push(...got.map((p) => p.picture));
      }
      busy = 'Looking at them …';
      rows = await api.lookAtSet(session.id, [...new Set(blobs)]);
      name = common(rows.map((r) => r.name));
      size = Math.min(Math.max(ui.extent / 4, 0.001), 50);
    } catch (e) {
      error = (e as Error).message;
    }
    busy = '';
  }
  $effect(() => {
    if (coming) untrack(() => void look(coming.files, coming.known));
  });
  async function make() {
    busy = 'Making it …';
    error = '';
    try {
      const group = await api.makeSet(session.id, { name: name.trim() || 'Pictures', rows, laid, tiles, size, turn });
      session.op(overOpen(session, ui, group, {}));
      ui.choose(group.id, true);
      close();
    } catch (e) {
      error = (e as Error).message;
    }
    busy = '';
  }
  const close = () => (ui.pictures = null);
  const channels = [
    'baseColor',
    'roughness',
    'metallic',
    'normal',
    'height',
    'ambientOcclusion',
    'opacity',
    'emissive',
  ];
  const label = (c: string) => session.channels.find((i) => i.channel === c)?.label ?? c;
  const whole = (r: SetRow) => ['baseColor', 'normal', 'emissive', ''].includes(r.channel);
</script>

{#if coming}
  <Modal open title="A material of pictures" aria-label="A material of pictures" size="lg" onclose={close}>
    {#if error}<p class="error" role="alert">{error}</p>{/if}
    {#if rows.length}
      <table>
        <thead><tr><th></th><th>picture</th><th>holds</th><th>in</th><th></th><th>as was told</th></tr></thead>
        <tbody>
          {#each rows as r, i (i)}
            <tr class:out={!r.channel}>
              <td><img src={`/api/projects/${session.id}/pictures/${r.picture}`} alt="" /></td>
              <td class="name" title={r.name}>{r.name}</td>
              <td>
                <select class="pick" aria-label={`What ${r.name} holds`} bind:value={r.channel}>
                  <option value="">left out</option>
                  {#each channels as c (c)}<option value={c}>{label(c)}</option>{/each}
                </select>
              </td>
              <td>
                {#if !whole(r)}
                  <select class="pick" aria-label={`Component of ${r.name}`} bind:value={r.component}>
                    {#each ['red', 'green', 'blue', 'alpha'] as c, n (c)}<option value={n}>{c}</option>{/each}
                  </select>
                {/if}
              </td>
              <td>
                {#if r.channel === 'normal'}
                  <select class="pick" aria-label={`Green of ${r.name}`} bind:value={r.greenDown}>
                    <option value={false}>green goes up</option>
                    <option value={true}>green goes down</option>
                  </select>
                {:else if !whole(r)}
                  <label class="flex items-center gap-1"
                    ><input type="checkbox" bind:checked={r.invert} /> inverted</label
                  >
                {/if}
              </td>
              <td class="quiet text-sm"
                >{r.channel === 'normal' ? `sure to ${Math.round(r.sure * 100)} %` : (r.note ?? '')}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
      <div class="place">
        <label
          ><span>name</span><input
            class="text"
            bind:value={name}
            maxlength="80"
            aria-label="Name of the material"
          /></label
        >
        <label
          ><span>laid</span><select class="pick" bind:value={laid} aria-label="How the pictures are laid"
            ><option>from three sides</option><option>along the surface</option><option>as a box</option><option
              >by UVs</option
            ></select
          ></label
        >
        <label
          ><span>repeat</span><select class="pick" bind:value={tiles} aria-label="How the pictures repeat"
            ><option value="again">as they are</option><option value="mirrored">each second mirrored</option><option
              value="at random">broken up, no repeat shows</option
            ></select
          ></label
        >
        {#if !bySheet}
          <label
            ><span>width</span><NumberField
              label="Width of one repeat"
              value={size}
              min={0.0001}
              max={100}
              scale={1000}
              unit="mm"
              log
              commit={(v) => (size = v)}
            /></label
          >
        {/if}
        <label
          ><span>turn</span><NumberField
            label="Turn"
            value={turn}
            min={-180}
            max={180}
            unit="°"
            commit={(v) => (turn = v)}
          /></label
        >
      </div>
    {/if}
    <div class="flex items-center justify-end gap-2">
      {#if busy}<span class="quiet flex grow items-center gap-2"><Spinner size="5" /> {busy}</span>{/if}
      <Button color="alternative" onclick={close}>Leave it</Button>
      <Button color="primary" disabled={!!busy || !rows.some((r) => r.channel)} onclick={make}>Lay it on</Button>
    </div>
  </Modal>
{/if}

<style>
  table {
    width: 100%;
    font-size: 13.5px;
  }
  th {
    text-align: left;
    font-weight: normal;
    color: var(--quiet);
  }
  td {
    padding: 3px 8px 3px 0;
  }
  td img {
    width: 44px;
    height: 44px;
    object-fit: cover;
    border: 1px solid var(--line);
  }
  .name {
    max-width: 190px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .out {
    opacity: 0.55;
  }
  .place {
    display: flex;
    flex-wrap: wrap;
    gap: 10px 16px;
  }
  .place label {
    display: grid;
    gap: 2px;
    min-width: 110px;
  }
  .place span {
    color: var(--quiet);
    font-size: 12.5px;
  }
  .text {
    background: var(--field);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 2px 8px;
    min-height: 28px;
  }
  .error {
    border-left: 3px solid var(--brick);
    padding-left: 8px;
  }
</style>
