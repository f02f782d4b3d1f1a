<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { clock } from '../clock.svelte';

  /** The mail addresses of a client. */
  let {
    client,
    act,
  }: {
    client: Shape<'ShownClient'>;
    act: (what: () => Promise<Shape<'ShownClient'>>) => Promise<void>;
  } = $props();
  let mail = $state('');
  const query = { clock: clock.kind };

  async function add(e: SubmitEvent) {
    e.preventDefault();
    await act(() =>
      data(
        api.POST('/api/clients/{id}/mails', { params: { path: { id: client.id }, query }, body: { mail } }),
      ),
    );
    mail = '';
  }
  const remove = (gone: string) =>
    act(() =>
      data(
        api.DELETE('/api/clients/{id}/mails/{mail}', {
          params: { path: { id: client.id, mail: gone }, query },
        }),
      ),
    );
</script>

<section class="sheet grid gap-2 p-5">
  <h2 class="text-base font-bold">Mail addresses</h2>
  <ul class="divide-y divide-base-300">
    {#each client.mails as m (m.mail)}
      <li class="py-1.5">
        <div class="flex items-baseline gap-3">
          <span class="min-w-0 break-all">{m.mail}</span>
          {#if !m.used}<button
              type="button"
              class="link-plain ml-auto text-sm"
              onclick={() => void remove(m.mail)}>take away</button
            >{/if}
        </div>
        {#if m.broken}<p class="text-sm font-medium text-brick">{m.broken}</p>{/if}
      </li>
    {/each}
  </ul>
  <form class="flex gap-2" onsubmit={add}>
    <input
      class="input input-sm grow"
      type="email"
      aria-label="Another mail address"
      placeholder="another address"
      maxlength="254"
      bind:value={mail}
    />
    <button class="btn btn-sm" disabled={!mail}>Add</button>
  </form>
</section>
