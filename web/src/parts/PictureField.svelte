<script lang="ts">
  // Chooses one of the project's pictures, or brings a new one in.
  import { api, type StoredPicture } from '../api/client';
  import { pictureName } from '../lib/dropped';
  import type { Session } from '../lib/session.svelte';
  let {
    session,
    value,
    label,
    commit,
  }: { session: Session; value: string; label: string; commit: (v: string, name?: string) => void } = $props();
  let list = $state.raw<StoredPicture[]>([]);
  const chosen = (v: string) => commit(v, pictureName(list.find((p) => p.picture === v)?.name));
  let busy = $state(false);
  // svelte-ignore state_referenced_locally
  const load = () => api.pictures(session.id).then((p) => (list = p));
  load().catch(() => {});
  async function bring(e: Event) {
    const f = (e.currentTarget as HTMLInputElement).files?.[0];
    if (!f) return;
    busy = true;
    try {
      const p = await api.addPicture(session.id, f);
      await load();
      chosen(p.picture);
    } catch (err) {
      session.message = (err as Error).message;
    }
    busy = false;
  }
</script>

<span class="picture">
  {#if value}<img src={`/api/projects/${session.id}/pictures/${value}`} alt="" />{/if}
  <select class="pick" aria-label={label} {value} onchange={(e) => chosen(e.currentTarget.value)}>
    <option value="">none</option>
    {#each list as p (p.picture)}<option value={p.picture}>{p.name} · {p.width} × {p.height}</option>{/each}
    {#if value && !list.some((p) => p.picture === value)}<option {value}>a picture of another project</option>{/if}
  </select>
  <label class="chip"
    >{busy ? 'reading …' : 'bring in'}<input
      type="file"
      accept=".png,.jpg,.jpeg,.tif,.tiff,.webp,.exr,.hdr,.svg"
      aria-label={`Bring in a ${label}`}
      onchange={bring}
    /></label
  >
</span>

<style>
  .picture {
    display: flex;
    gap: 4px;
    min-width: 190px;
  }
  img {
    width: 28px;
    height: 28px;
    object-fit: cover;
  }
  select {
    flex: 1;
    min-width: 0;
  }
  .chip {
    cursor: pointer;
    white-space: nowrap;
  }
  input {
    position: absolute;
    width: 1px;
    height: 1px;
    opacity: 0;
  }
</style>
