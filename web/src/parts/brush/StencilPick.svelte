<script lang="ts">
  // Takes a picture, or a stamp of the shelf, as the stencil through which strokes go.
  import type { Session } from '../../lib/session.svelte';
  import type { UI } from '../../lib/ui.svelte';
  import PictureField from '../PictureField.svelte';
  import StampPick from '../StampPick.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();

  /** Holds a picture before the view, two thirds as tall as that. */
  async function take(picture: string, stamp = false) {
    if (!picture) return void (ui.stencil = null);
    const img = new Image();
    img.src = `/api/projects/${session.id}/pictures/${picture}?edge=1024`;
    await img.decode();
    const form = img.naturalWidth / img.naturalHeight;
    const s = ui.stencil;
    const rest = s ?? {
      at: [0, 0] as [number, number],
      wide: 1.3 * Math.min(form, 1.6),
      turn: 0,
      invert: false,
      soft: 0,
      both: false,
    };
    ui.stencil = { ...rest, picture, form, tiled: s?.tiled ?? false, colors: s?.colors ?? !stamp };
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
  <StampPick {session} label="A stamp as stencil" first="stencils" take={(p) => take(p, true)} />
</span>
