<script lang="ts">
  import type { Snippet } from 'svelte';

  /** Something that is told once: to be copied or written down before it goes. */
  let {
    title,
    lines,
    ondone,
    children,
  }: { title: string; lines: string[]; ondone: () => void; children: Snippet } = $props();

  let copied = $state(false);
  async function copy() {
    await navigator.clipboard.writeText(lines.join('\n'));
    copied = true;
  }
</script>

<div class="grid gap-2 rounded-sm border-l-4 border-gold bg-gold-soft px-4 py-3" role="status">
  <b>{title}</b>
  <p class="text-sm">{@render children()}</p>
  <ul
    class={lines.length > 1 && lines.every((l) => l.length < 40)
      ? 'grid grid-cols-1 gap-x-6 sm:grid-cols-2'
      : 'grid gap-1'}
  >
    {#each lines as line (line)}<li><code class="break-all">{line}</code></li>{/each}
  </ul>
  <div class="flex items-center gap-3">
    {#if navigator.clipboard}
      <button type="button" class="btn btn-sm" onclick={() => void copy()}
        >{copied ? 'Copied' : 'Copy'}</button
      >
    {/if}
    <button type="button" class="btn btn-sm" onclick={ondone}>I have it</button>
  </div>
</div>
