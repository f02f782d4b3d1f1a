<script lang="ts">
  import type { Snippet } from 'svelte';

  /** The way in: a tall niche in an empty wall. */
  let { children }: { children: Snippet } = $props();
</script>

<main class="gate">
  <div class="recess">
    {@render children()}
  </div>
</main>

<style>
  .gate {
    min-height: 100dvh;
    display: grid;
    align-items: end;
    justify-items: center;
    background: var(--color-wall);
    padding: 5vh 1rem 0;
  }
  .recess {
    width: min(27rem, 100%);
    min-height: min(44rem, 88dvh);
    display: grid;
    align-content: center;
    padding: 5rem 2.25rem 3rem;
    background: var(--color-alcove);
    border-radius: 13.5rem 13.5rem 0 0;
    box-shadow:
      inset 0 10px 14px -5px var(--color-recess),
      inset 1px 0 0 var(--color-edge),
      inset -1px 0 0 var(--color-edge);
  }
  @media (max-width: 479px) {
    .recess {
      padding: 5.5rem 1.25rem 2rem;
    }
  }
</style>
