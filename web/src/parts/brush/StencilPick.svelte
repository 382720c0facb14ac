<script lang="ts">
  // Takes a picture, or a stamp of the shelf, as the stencil through which strokes go.
  import { api, type KnownStamp } from '../../api/client';
  import type { Session } from '../../lib/session.svelte';
  import type { UI } from '../../lib/ui.svelte';
  import PictureField from '../PictureField.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  let stamps = $state.raw<KnownStamp[]>([]);
  let busy = $state(false);
  const load = () => {
    if (!stamps.length)
      api.press().then(
        (p) => (stamps = p.list ?? []),
        (e) => (session.message = e.message),
      );
  };

  /** Holds a picture before the view, two thirds as tall as that. */
  async function take(picture: string, stamp = false) {
    if (!picture) return void (ui.stencil = null);
    const img = new Image();
    img.src = `/api/projects/${session.id}/pictures/${picture}`;
    await img.decode();
    const form = img.naturalWidth / img.naturalHeight;
    const s = ui.stencil;
    const rest = s ?? {
      at: [0, 0] as [number, number],
      wide: 1.3 * Math.min(form, 1.6),
      turn: 0,
      invert: false,
      soft: 0,
    };
    ui.stencil = { ...rest, picture, form, tiled: s?.tiled ?? false, colors: s?.colors ?? !stamp };
  }
  async function takeStamp(id: string) {
    const stamp = stamps.find((x) => x.id === id);
    if (!stamp) return;
    busy = true;
    try {
      await take((await api.stampPicture(session.id, stamp.recipe, 1024)).picture, true);
    } catch (e) {
      session.message = (e as Error).message;
    }
    busy = false;
  }
</script>

<span class="wide flex flex-wrap gap-1">
  {#key ui.stencil?.picture}
    <PictureField
      {session}
      value={ui.stencil?.picture ?? ''}
      label="stencil"
      commit={(p) => take(p).catch((e) => (session.message = e.message))}
    />
  {/key}
  <select
    class="pick"
    aria-label="A stamp as stencil"
    value=""
    onpointerdown={load}
    onfocus={load}
    onchange={(e) => (takeStamp(e.currentTarget.value), (e.currentTarget.value = ''))}
  >
    <option value="">{busy ? 'drawing …' : 'a stamp …'}</option>
    {#each stamps as s (s.id)}<option value={s.id}>{s.recipe.name}</option>{/each}
  </select>
</span>
