<script lang="ts">
  /** What a client sees: the service's page itself, as it is saved, as on a telephone or wide. */
  let { page, changed, version }: { page: string; changed: boolean; version: number } = $props();
  let wide = $state(false);
</script>

<section class="grid gap-3" aria-label="What a client sees">
  <div class="flex flex-wrap items-baseline gap-x-4">
    <h2 class="text-lg">What a client sees</h2>
    {#if page}
      <div class="ml-auto flex gap-3 text-sm" role="group" aria-label="Size">
        <button type="button" class="link-plain" aria-pressed={!wide} onclick={() => (wide = false)}
          >on a telephone</button
        >
        <button type="button" class="link-plain" aria-pressed={wide} onclick={() => (wide = true)}
          >wide</button
        >
      </div>
    {/if}
    <p class="w-full text-sm text-mute">
      {#if !page}The page is there once the service is defined.
      {:else if changed}The page as it is saved: what is changed in the form shows once it is saved.
      {:else}The page as it is. Try it: nothing is booked before the last button.{/if}
    </p>
  </div>
  {#if page}
    {#key version}
      <iframe src="{page}?look=1" title="The page, as clients see it" class:wide></iframe>
    {/key}
  {/if}
</section>

<style>
  iframe {
    width: 390px;
    max-width: 100%;
    height: 700px;
    border: 1px solid var(--color-edge);
    border-radius: 18px 18px 3px 3px;
    background: var(--color-page);
    justify-self: center;
  }
  iframe.wide {
    width: 100%;
  }
  button[aria-pressed='true'] {
    font-weight: 700;
    text-decoration: none;
  }
</style>
