<script lang="ts">
  // A sign beside a word: nothing for who listens, the word says it.
  import { icons, type IconName } from '../lib/icons';
  let { of, size = 15 }: { of: IconName; size?: number } = $props();
  const Sign = $derived(icons[of]);
</script>

<Sign {size} strokeWidth={1.75} aria-hidden="true" class="sign" />
