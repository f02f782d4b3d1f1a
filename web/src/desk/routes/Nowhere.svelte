<script lang="ts">
  import { p } from '../router';
</script>

<svelte:head><title>Nothing here · Niche</title></svelte:head>

<div class="mx-auto grid max-w-md gap-3 px-6 py-24">
  <h1 class="text-2xl">There is nothing at this address</h1>
  <p class="text-mute">Perhaps it was typed wrong, or what it led to is no longer there.</p>
  <a class="btn btn-primary justify-self-start" href={p('/')}>Go to the wall</a>
</div>
