<script lang="ts">
  // One setting of a shape or treatment of the stamp press, drawn from its description.
  import type { PressSetting } from '../../api/client';
  import CurveField from '../CurveField.svelte';
  import NumberField from '../NumberField.svelte';

  interface Props {
    s: PressSetting;
    value: unknown;
    /** while it is dragged, and when it is let go */
    preview: (v: unknown) => void;
    commit: (v: unknown) => void;
    fail: (why: string) => void;
  }
  let { s, value, preview, commit, fail }: Props = $props();
  const shown = $derived(value ?? s.default);
  async function bring(e: Event) {
    const f = (e.currentTarget as HTMLInputElement).files?.[0];
    if (!f) return;
    if (f.size > 4 << 20) return fail(`${f.name} has ${(f.size / 1048576).toFixed(1)} MB; at most 4 are possible.`);
    const bytes = new Uint8Array(await f.arrayBuffer());
    let text = '';
    for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
    commit(btoa(text));
  }
</script>

{#if s.kind !== 'profile' && s.kind !== 'outline'}<span class="quiet" title={s.help}>{s.label}</span>{/if}
{#if s.kind === 'choice'}
  <select
    class="pick"
    aria-label={s.label}
    value={(shown as string) || s.choices?.[0]}
    onchange={(e) => commit(e.currentTarget.value)}
  >
    {#each s.choices ?? [] as c (c)}<option>{c}</option>{/each}
  </select>
{:else if s.kind === 'text'}
  <input
    class="text"
    aria-label={s.label}
    maxlength={s.max}
    value={shown as string}
    onkeydown={(e) => e.stopPropagation()}
    oninput={(e) => preview(e.currentTarget.value)}
    onchange={(e) => commit(e.currentTarget.value)}
  />
{:else if s.kind === 'switch'}
  <label class="tick"
    ><input
      type="checkbox"
      aria-label={s.label}
      checked={!!shown}
      onchange={(e) => commit(e.currentTarget.checked)}
    /></label
  >
{:else if s.kind === 'file'}
  <label class="chip file"
    >{value ? 'bring another in' : 'bring in'}<input
      type="file"
      accept=".svg,.png,.jpg,.jpeg,.tif,.tiff,.webp,.exr,.hdr"
      aria-label={`Bring in a ${s.label}`}
      onchange={bring}
    /></label
  >
{:else if s.kind === 'profile'}
  <span class="wide"><CurveField label={s.label} value={shown as number[][]} {preview} {commit} /></span>
{:else if s.kind === 'outline'}
  <span class="quiet wide"
    >Drag the outline's points on the picture; a click on a line adds one, a double click takes one away.</span
  >
{:else}
  <NumberField
    label={s.label}
    value={shown as number}
    min={s.min}
    max={s.max}
    unit={s.unit ?? ''}
    scale={s.scale}
    whole={s.kind === 'integer'}
    fallback={s.default as number}
    nought={s.nought}
    {preview}
    {commit}
  />
{/if}

<style>
  .wide {
    grid-column: 1 / -1;
  }
  .text {
    min-width: 0;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 3px 6px;
  }
  .file {
    display: inline-flex;
    align-items: center;
    justify-content: center;
  }
  .file input {
    position: absolute;
    opacity: 0;
    width: 1px;
    height: 1px;
  }
</style>
