<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import type { Body } from '$lib/links/newLink.svelte';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Ways from './Ways.svelte';

  /** Behind an invitation: its staff member links a calendar, or says no. */
  let { token }: { token: string } = $props();

  const path = $derived({ params: { path: { token } } });
  const asked = query(() => data(api.GET('/api/invitations/{token}', path)), []);
  const first = $derived(asked.value?.name.split(' ')[0] ?? '');
  /** Whoever has come in: the invitation is used up by it. */
  let me = $state<Shape<'Myself'>>();
  let busy = $state(false);
  let fault = $state('');
  let declining = $state(false);
  let declined = $state(false);
  let why = $state('');

  async function doing(act: () => Promise<unknown>) {
    [busy, fault] = [true, ''];
    try {
      await act();
    } catch (cause) {
      fault = problemOf(cause).message;
    } finally {
      busy = false;
    }
  }
  const comeIn = () => doing(async () => (me = await data(api.POST('/api/invitations/{token}', path))));
  const decline = () =>
    doing(async () => {
      await api.POST('/api/invitations/{token}/no', { ...path, body: { why } });
      declined = true;
    });
  const send = (body: Body) => data(api.POST('/api/my/links', { body }));
</script>

<svelte:head><title>Link your calendar</title></svelte:head>

<main class="mx-auto grid w-full max-w-lg gap-5 px-4 py-8">
  {#if declined}
    <h1 class="text-2xl">Nothing is linked</h1>
    <p>{asked.value?.business} has been told. Ask there for a new address if you change your mind.</p>
  {:else if asked.value}
    <header class="grid gap-1">
      <p class="text-mute">{asked.value.business}</p>
      <h1 class="text-2xl">{first}, link your calendar</h1>
      <p class="text-lg text-mute">
        So that nobody books you while you are busy, and your visits stand where you look.
      </p>
    </header>
    {#if me}
      <Ways hosts={me.hosts} mail={me.email} {send} onlinked={() => location.assign('/my/calendars')} />
    {:else}
      {#if asked.value.atDesk}
        <Notice>
          You are signed in at the desk in this browser. This address is for {first}; beginning here signs you
          out there.
        </Notice>
      {/if}
      <button class="btn btn-primary btn-lg" disabled={busy} onclick={comeIn}>Begin</button>
    {/if}
    {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
    <dl class="grid gap-3 border-y border-edge py-4">
      <div>
        <dt class="inline font-bold">What Niche keeps:</dt>
        <dd class="inline text-mute">
          when you are busy. No titles, unless you show them; no places, notes or people.
        </dd>
      </div>
      <div>
        <dt class="inline font-bold">What Niche writes:</dt>
        <dd class="inline text-mute">your visits, into the calendars that you choose.</dd>
      </div>
      <div>
        <dt class="inline font-bold">Who sees it:</dt>
        <dd class="inline text-mute">
          at the desk of {asked.value.business} they see “busy”. Clients see only which times are free.
        </dd>
      </div>
    </dl>
    {#if !me}
      {#if declining}
        <form
          class="grid gap-3"
          onsubmit={(e) => {
            e.preventDefault();
            void decline();
          }}
        >
          <label class="grid gap-1">
            <span class="font-bold">Why, if you like</span>
            <input class="input w-full" maxlength="300" bind:value={why} />
          </label>
          <div class="flex gap-2">
            <button class="btn" disabled={busy}>Tell them that I do not want to</button>
            <button type="button" class="btn btn-ghost" onclick={() => (declining = false)}>Back</button>
          </div>
        </form>
      {:else}
        <p class="text-mute">
          This page is yours alone, works once, and ends on <span class="whitespace-nowrap"
            >{asked.value.until}</span
          >.
          <button type="button" class="link-plain" onclick={() => (declining = true)}
            >I do not want to link anything</button
          >
        </p>
      {/if}
    {/if}
  {:else if asked.problem}
    <h1 class="text-2xl">This way is closed</h1>
    <p>{asked.problem.message}</p>
    <p class="text-mute">
      If you have come in here before, in this browser, <a class="link-plain" href="/my/calendars"
        >go on to your pages</a
      >.
    </p>
  {/if}
</main>
