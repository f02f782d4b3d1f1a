<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { Query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Trail from '$lib/ui/Trail.svelte';

  /** Why a booking was taken, out of the case that was kept with it. */
  let { booking }: { booking: number } = $props();

  const id = $props.id();
  const decided = new Query<Shape<'Decided'>>();
  let open = $state(false);
  $effect(() => {
    const params = { path: { id: booking } };
    if (open) void decided.ask(() => data(api.GET('/api/bookings/{id}/case', { params })));
  });
</script>

<button
  type="button"
  class="link-plain justify-self-start"
  aria-expanded={open}
  aria-controls={id}
  onclick={() => (open = !open)}>{open ? 'hide why it was sold' : 'why was this sold?'}</button
>
{#if open}
  <div {id}>
    {#if decided.problem}<Notice>{decided.problem.message}</Notice>{/if}
    {#if decided.value}
      <p>{decided.value.words}</p>
      {#each decided.value.staff as p (p.staff.id)}
        <Trail
          title={decided.value.staff.length > 1 ? `${p.words} with ${p.staff.name}` : p.words}
          rules={p.rules}
        />
      {/each}
    {/if}
  </div>
{/if}
