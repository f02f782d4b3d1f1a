<script lang="ts">
  import About from '../settings/About.svelte';
  import Administrators from '../settings/Administrators.svelte';
  import Business from '../settings/Business.svelte';
  import Gateways from '../settings/Gateways.svelte';
  import Hosts from '../settings/Hosts.svelte';
  import Mail from '../settings/Mail.svelte';
  import OwnSignIn from '../settings/OwnSignIn.svelte';
</script>

<svelte:head><title>Settings · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl gap-x-8 gap-y-10 px-6 py-6 lg:grid-cols-2">
  <h1 class="sr-only">Settings</h1>
  <div class="grid content-start gap-10">
    <Business />
    <Mail />
  </div>
  <div class="grid content-start gap-10">
    <OwnSignIn />
    <Administrators />
    <Hosts />
    <Gateways />
    <About />
  </div>
</div>
