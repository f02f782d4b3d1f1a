<script lang="ts">
  /** The form of a kind: an arch for what is outside, a solid for a visit, bricks for busy time. */
  let { kind }: { kind: string } = $props();
  const broken = $derived(['link', 'unread', 'mail'].includes(kind));
</script>

<svg viewBox="0 0 26 26" width="26" height="26" aria-hidden="true">
  {#if kind === 'clash'}
    <rect x="1" y="8" width="16" height="16" rx="2" class="solid" />
    <path d="M10 2h6v5h-6zM18 2h7v5h-7zM10 9h9v5h-9zM21 9h4v5h-4z" class="brick" />
  {:else if kind === 'drift'}
    <path d="M1 24V10a6 6 0 0 1 12 0v14z" class="moss" />
    <path d="M12 22V12a5.5 5.5 0 0 1 11 0v10z" class="line" />
  {:else if kind === 'pending'}
    <path d="M4 24V11a9 9 0 0 1 18 0v13z" class="line" />
    <path d="M13 10v6l4 2" class="line" />
  {:else if kind === 'proof'}
    <path d="M1 24V16a4 4 0 0 1 8 0v8zM9 24V16a4 4 0 0 1 8 0v8z" class="line" />
    <path d="M17 24V16a4 4 0 0 1 8 0v8z" class="line brick-line" stroke-dasharray="3 2.6" />
  {:else if broken}
    <path d="M4 24V11a9 9 0 0 1 18 0v13z" class="line brick-line" stroke-dasharray="3 2.6" />
  {:else}
    <path d="M4 24V11a9 9 0 0 1 18 0v13z" class="line brick-line" />
    <path d="M9 16h8" class="line brick-line" />
  {/if}
</svg>

<style>
  .solid {
    fill: var(--color-primary);
  }
  .brick {
    fill: var(--color-edge);
  }
  .moss {
    fill: var(--color-moss-fill);
  }
  .line {
    fill: none;
    stroke: var(--color-mute);
    stroke-width: 2.2;
    stroke-linejoin: round;
    stroke-linecap: round;
  }
  .brick-line {
    stroke: var(--color-brick);
  }
</style>
