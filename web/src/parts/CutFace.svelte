<script lang="ts">
  // A layer's part of the cut face: its colour, as thick as it is at the drilled point.
  import { css } from '../lib/color';
  import type { Row, Session } from '../lib/session.svelte';

  let { session, row }: { session: Session; row: Row } = $props();
  const layer = $derived(row.layer);
  const group = $derived(layer.kind === 'group');

  const drilled = $derived(session.drill?.layers.find((d) => d.layer === layer.id));
  /** the colour on the cut face: the layer's own, as thick as it is at the drilled point */
  const face = $derived(
    css(
      drilled?.own.baseColor ??
        (group ? drilled?.result.baseColor : null) ??
        (layer.channels?.baseColor?.on ? layer.channels.baseColor.value : null),
    ),
  );
  const inside = $derived(
    group && drilled
      ? session.rows
          .filter((r) => r.parent === layer.id)
          .map((r) => session.drill!.layers.find((d) => d.layer === r.layer.id))
      : [drilled],
  );
  const thick = $derived(
    drilled
      ? drilled.shown
        ? Math.max(0, ...inside.flatMap((d) => Object.values(d?.cover ?? {}))) *
          (group ? drilled.mask * drilled.amount : 1)
        : 0
      : layer.visible && !group
        ? layer.amount
        : 0,
  );
</script>

<div class="face" title="Cut face: what this layer adds at the drilled point">
  <span style:background={face} style:width={`${Math.max(thick, 0.08) * 100}%`} style:opacity={thick > 0 ? 1 : 0.15}
  ></span>
</div>

<style>
  .face {
    background: color-mix(in srgb, var(--bg) 60%, black);
    display: flex;
  }
  .face span {
    display: block;
    height: 100%;
  }
</style>
