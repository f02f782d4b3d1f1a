<script lang="ts">
  import { api, problemOf, type Problem, type Shape } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';

  /** An own password, instead of a one-time address by mail each time. */
  let { me, onchanged }: { me: Shape<'Myself'>; onchanged: () => void } = $props();

  let [current, password] = $state(['', '']);
  let busy = $state(false);
  let done = $state('');
  let problem = $state<Problem>();

  async function change(to: string, said: string) {
    [busy, problem, done] = [true, undefined, ''];
    try {
      await api.PUT('/api/my/password', { body: { current, password: to } });
      [current, password, done] = ['', '', said];
      onchanged();
    } catch (cause) {
      problem = problemOf(cause);
    } finally {
      busy = false;
    }
  }
  function save(e: SubmitEvent) {
    e.preventDefault();
    if (password)
      void change(password, 'It is your password from now on. All other browsers are signed out.');
  }
</script>

<details>
  <summary class="cursor-pointer text-sm text-mute"
    >{me.password ? 'You have a password' : 'You come in by mail; choose a password instead'}</summary
  >
  <form class="mt-3 grid max-w-md gap-4" onsubmit={save} novalidate>
    {#if me.password}
      <Field
        label="Present password"
        hint="Not needed within a quarter of an hour of coming in by mail."
        error={problem?.fields.current}
      >
        {#snippet children(tie)}
          <input
            class="input w-full"
            type="password"
            autocomplete="current-password"
            bind:value={current}
            {...tie}
          />
        {/snippet}
      </Field>
    {/if}
    <Field
      label={me.password ? 'New password' : 'Password'}
      hint="At least 10 characters. You sign in with it and {me.email || 'your mail address'}."
      error={problem?.fields.password}
    >
      {#snippet children(tie)}
        <input
          class="input w-full"
          type="password"
          autocomplete="new-password"
          bind:value={password}
          {...tie}
        />
      {/snippet}
    </Field>
    {#if problem && !problem.fields.password && !problem.fields.current}
      <Notice tone="wrong">{problem.message}</Notice>
    {/if}
    <div class="flex flex-wrap gap-3">
      <button class="btn btn-primary" disabled={busy || !password}>Save the password</button>
      {#if me.password}
        <button
          type="button"
          class="btn"
          disabled={busy}
          onclick={() => void change('', 'You have no password any more, and come in by mail.')}
          >Give the password up</button
        >
      {/if}
    </div>
    <p class="text-sm text-mute" role="status">{done}</p>
  </form>
</details>
