<script lang="ts">
  import type { Shape } from '$lib/api/client';

  /** What a client would receive: the mail that the texts in the form make, of a booking that there is. */
  let { example, kind }: { example: Shape<'MessageExample'> | undefined; kind: string } = $props();
  const name = $derived(example?.kinds.find((k) => k.kind === kind)?.name ?? '');
</script>

<section class="grid gap-3" aria-label="What a client would receive">
  <div>
    <h2 class="text-lg">What a client would receive</h2>
    {#if example}
      <p class="text-sm text-mute">
        {name}{example.of ? `, as of booking ${example.of}` : ', as an example'}, with the words in the form.
      </p>
    {:else}
      <p class="text-sm text-mute">The mail is shown here once the service is defined.</p>
    {/if}
  </div>
  {#if example}
    <div class="letter">
      {#if kind !== 'text reminder'}<p class="text-base font-bold break-words">{example.subject}</p>{/if}
      <p class="break-words whitespace-pre-line">{example.body}</p>
      {#if example.invite}<p class="invite">
          {kind === 'cancelled' ? 'A calendar entry that takes the visit away' : 'A calendar invitation'} goes with
          it.
        </p>{/if}
    </div>
  {/if}
</section>

<style>
  .letter {
    display: grid;
    gap: 10px;
    max-width: 38rem;
    padding: 20px 24px;
    border: 1px solid var(--color-edge);
    border-radius: 18px 18px 3px 3px;
    background: var(--color-base-100);
    font-size: 0.9375rem;
  }
  .invite {
    padding-top: 10px;
    border-top: 1px dashed var(--color-edge);
    font-size: 0.875rem;
    font-weight: 600;
  }
</style>
