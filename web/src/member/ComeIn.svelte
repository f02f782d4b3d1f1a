<script lang="ts">
  import { api, problemOf, type Problem } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';

  /** The way in to a staff member's own pages: by a one-time address that comes by mail, and is opened here with its token. */
  let { token }: { token?: string } = $props();

  let email = $state('');
  let password = $state('');
  let byPassword = $state(false);
  let busy = $state(false);
  let sent = $state('');
  let problem = $state<Problem>();

  async function doing(act: () => Promise<unknown>) {
    [busy, problem] = [true, undefined];
    try {
      await act();
    } catch (cause) {
      problem = problemOf(cause);
    } finally {
      busy = false;
    }
  }
  const ask = (e: SubmitEvent) => {
    e.preventDefault();
    return doing(async () => {
      if (byPassword) {
        await api.POST('/api/my/session', { body: { email, password } });
        location.reload();
      } else {
        await api.POST('/api/my/asked', { body: { email } });
        sent = email;
      }
    });
  };
  const comeIn = () =>
    doing(async () => {
      await api.POST('/api/my/session/{token}', { params: { path: { token: token ?? '' } } });
      location.assign('/my');
    });
</script>

<svelte:head><title>Come in</title></svelte:head>

{#if sent}
  <h1 class="text-2xl">Look into your mail</h1>
  <p>
    If somebody here has the address <b class="break-all">{sent}</b>, a mail is on its way to it. The address
    in it works once, for a quarter of an hour, <b>in this browser</b>.
  </p>
  <button type="button" class="btn justify-self-start" onclick={() => (sent = '')}
    >Nothing came; ask again</button
  >
{:else if token && !problem}
  <h1 class="text-2xl">Your own pages</h1>
  <p>Come in here, and stay in for as long as you look in once a month.</p>
  <button type="button" class="btn btn-primary btn-lg" disabled={busy} onclick={() => void comeIn()}
    >Come in</button
  >
{:else}
  <h1 class="text-2xl">Your own pages</h1>
  {#if token && problem}<Notice tone="wrong">{problem.message}</Notice>{/if}
  <p>
    You are not signed in here. Your way in comes by mail, or is a password that you have chosen here; or ask
    at your desk for an address.
  </p>
  <form class="grid max-w-md gap-4" onsubmit={(e) => void ask(e)} novalidate>
    <Field
      label="Your mail address"
      hint="The one that your desk knows you by."
      error={problem?.fields.email}
    >
      {#snippet children(tie)}
        <input class="input w-full" type="email" autocomplete="email" bind:value={email} {...tie} />
      {/snippet}
    </Field>
    {#if byPassword}
      <Field label="Your password" error={problem?.fields.password}>
        {#snippet children(tie)}
          <input
            class="input w-full"
            type="password"
            autocomplete="current-password"
            bind:value={password}
            {...tie}
          />
        {/snippet}
      </Field>
    {/if}
    {#if problem && !token && !problem.fields.email && !problem.fields.password}<Notice tone="wrong"
        >{problem.message}</Notice
      >{/if}
    <button class="btn btn-primary" disabled={busy || (byPassword && !password)}
      >{busy ? 'One moment…' : byPassword ? 'Come in' : 'Mail me my way in'}</button
    >
    <button
      type="button"
      class="link-plain justify-self-start text-sm"
      onclick={() => ([byPassword, problem] = [!byPassword, undefined])}
      >{byPassword ? 'I have no password, or forgot it' : 'I have a password'}</button
    >
  </form>
{/if}
