<script lang="ts">
  import { api, data, problemOf, type Problem } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Brand from '$lib/ui/Brand.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import PasswordField from '$lib/ui/PasswordField.svelte';
  import Recess from './Recess.svelte';

  /** Behind a one-time address: a new administrator, or one who was given a way back in, chooses a password. */
  let { token }: { token: string } = $props();

  const who = query(() => data(api.GET('/api/ways-in/{token}', { params: { path: { token } } })), []);
  let password = $state('');
  let busy = $state(false);
  let problem = $state<Problem>();

  async function submit(e: SubmitEvent) {
    e.preventDefault();
    [busy, problem] = [true, undefined];
    try {
      await api.POST('/api/ways-in/{token}', { params: { path: { token } }, body: { password } });
      location.assign('/');
    } catch (cause) {
      problem = problemOf(cause);
    } finally {
      busy = false;
    }
  }
</script>

<svelte:head><title>Come in · Niche</title></svelte:head>

<Recess>
  {#if who.value}
    <form class="grid gap-4" onsubmit={submit} novalidate>
      <div class="flex items-center gap-2.5 text-lg font-bold"><Brand /> Niche</div>
      <div>
        <h1 class="text-2xl">Choose a password</h1>
        <p class="mt-1 text-mute">
          {who.value.name}, you look after the desk of <b class="text-ink">{who.value.business}</b>. From now
          on you sign in with <b class="break-words text-ink">{who.value.email}</b> and the password that you choose
          here.
        </p>
      </div>
      {#if problem && !problem.fields.password}<Notice tone="wrong">{problem.message}</Notice>{/if}
      <input type="hidden" autocomplete="username" value={who.value.email} />
      <PasswordField bind:value={password} fresh error={problem?.fields.password} />
      <button class="btn btn-primary" disabled={busy}>Come in</button>
    </form>
  {:else if who.problem}
    <div class="grid gap-4">
      <div class="flex items-center gap-2.5 text-lg font-bold"><Brand /> Niche</div>
      <h1 class="text-2xl">This way is closed</h1>
      <p>{who.problem.message}</p>
      <a class="btn justify-self-start" href="/">Sign in instead</a>
    </div>
  {/if}
</Recess>
