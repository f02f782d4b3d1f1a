<script lang="ts">
  /** What a thing in a lane is, beside it, while it is pointed at or has the focus. */
  let { near, title, lines }: { near: DOMRect; title: string; lines: string[] } = $props();

  const width = 264;
  const x = $derived(Math.min(Math.max(8, near.left), window.innerWidth - width - 8));
  const under = $derived(near.bottom + 150 < window.innerHeight);
</script>

<div
  class="card"
  role="tooltip"
  style="left:{x}px;max-width:{width}px;{under
    ? `top:${near.bottom + 6}px`
    : `bottom:${window.innerHeight - near.top + 6}px`}"
>
  <b>{title}</b>
  {#each lines as line (line)}<span>{line}</span>{/each}
</div>

<style>
  .card {
    position: fixed;
    z-index: 20;
    display: grid;
    gap: 1px;
    padding: 8px 11px;
    border-radius: 10px 10px 3px 3px;
    background: var(--color-neutral);
    color: var(--color-neutral-content);
    font-size: 0.8125rem;
    line-height: 1.35;
    text-align: left;
    pointer-events: none;
  }
</style>
