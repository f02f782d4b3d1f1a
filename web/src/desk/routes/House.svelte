<script lang="ts">
  import Closures from '../house/Closures.svelte';
  import Rooms from '../house/Rooms.svelte';
  import History from '../trail/History.svelte';
</script>

<svelte:head><title>House · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl gap-8 px-6 py-6 lg:grid-cols-2">
  <h1 class="sr-only">House</h1>
  <Rooms />
  <Closures />
  <div class="lg:col-span-2"><History kinds={['resource', 'closures']} thing={0} /></div>
</div>
