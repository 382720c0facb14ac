<script lang="ts">
  // A number of a brush's kit.
  import type { Kit } from '../../api/client';
  import type { UI } from '../../lib/ui.svelte';
  import NumberField from '../NumberField.svelte';

  interface Props {
    ui: UI;
    of: keyof Kit;
    label: string;
    help: string;
    value: number;
    min: number;
    max: number;
    scale?: number;
    unit?: string;
    nought?: string;
    whole?: boolean;
  }
  let { ui, of, label, help, value, min, max, scale = 100, unit = '%', nought = '', whole = false }: Props = $props();
</script>

<span class="quiet" title={help}>{label}</span>
<NumberField
  {label}
  {value}
  {min}
  {max}
  {scale}
  {unit}
  {whole}
  {nought}
  fallback={min}
  commit={(v) => ui.brush.setKit(of, v as never)}
/>
