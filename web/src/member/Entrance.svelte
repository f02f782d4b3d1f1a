<script lang="ts">
  import ComeIn from './ComeIn.svelte';

  /** Behind a one-time address. Nothing is used up by looking at it, as programs do that check mail. */
  let { token }: { token: string } = $props();
</script>

<main class="mx-auto grid w-full max-w-2xl content-start gap-5 px-4 py-6"><ComeIn {token} /></main>
