<script lang="ts">
  import type { Snippet } from 'svelte';

  let { tone = 'attention', children }: { tone?: 'attention' | 'wrong'; children: Snippet } = $props();
</script>

<p
  class="rounded-sm border-l-4 px-3 py-2 {tone === 'wrong'
    ? 'border-brick bg-brick-soft'
    : 'border-gold bg-gold-soft'}"
  role={tone === 'wrong' ? 'alert' : undefined}
>
  {@render children()}
</p>
