<script lang="ts">
  import { api, problemOf, type Problem } from '$lib/api/client';
  import Brand from '$lib/ui/Brand.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import ZonePicker from '$lib/ui/ZonePicker.svelte';
  import { loadSession } from './session.svelte';

  /** Signing in, or on a fresh install the first administrator. */
  let { setUp }: { setUp: boolean } = $props();

  let business = $state('');
  let zone = $state(Intl.DateTimeFormat().resolvedOptions().timeZone);
  let name = $state('');
  let email = $state('');
  let password = $state('');
  let busy = $state(false);
  let problem = $state<Problem>();
  const fault = (field: string) => problem?.fields[field] ?? '';

  async function submit(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    problem = undefined;
    try {
      if (setUp) {
        await api.POST('/api/setup', { body: { business: { name: business, zone }, name, email, password } });
      } else {
        await api.POST('/api/session', { body: { email, password } });
      }
      await loadSession();
    } catch (cause) {
      problem = problemOf(cause);
    } finally {
      busy = false;
    }
  }
</script>

<svelte:head><title>{setUp ? 'Set up' : 'Sign in'} · Niche</title></svelte:head>

<main class="gate">
  <div class="recess">
    <form class="grid gap-4" onsubmit={submit} novalidate>
      <div class="flex items-center gap-2.5 text-lg font-bold"><Brand /> Niche</div>
      <div>
        <h1 class="text-2xl">{setUp ? 'Set up your desk' : 'Sign in'}</h1>
        <p class="mt-1 text-mute">
          {setUp
            ? 'You become its first administrator. Others can be added later.'
            : 'A busy hour is never sold. A sold hour always shows up outside. And anyone can see why.'}
        </p>
      </div>
      {#if problem && (Object.keys(problem.fields).length === 0 || !setUp)}
        <Notice tone="wrong">{problem.message}</Notice>
      {/if}
      {#if setUp}
        <Field label="Business" error={fault('business.name')}>
          {#snippet children(tie)}<input
              class="input w-full"
              autocomplete="organization"
              bind:value={business}
              {...tie}
            />{/snippet}
        </Field>
        <Field
          label="Home zone"
          hint="Booking windows and days count by this zone’s clock."
          error={fault('business.zone')}
        >
          {#snippet children(tie)}<ZonePicker bind:value={zone} {...tie} />{/snippet}
        </Field>
        <Field label="Your name" error={fault('name')}>
          {#snippet children(tie)}<input
              class="input w-full"
              autocomplete="name"
              bind:value={name}
              {...tie}
            />{/snippet}
        </Field>
      {/if}
      <Field label="Mail address" error={setUp ? fault('email') : ''}>
        {#snippet children(tie)}
          <input class="input w-full" type="email" autocomplete="username" bind:value={email} {...tie} />
        {/snippet}
      </Field>
      <Field
        label="Password"
        hint={setUp ? 'At least 10 characters.' : ''}
        error={setUp ? fault('password') : ''}
      >
        {#snippet children(tie)}
          <input
            class="input w-full"
            type="password"
            autocomplete={setUp ? 'new-password' : 'current-password'}
            bind:value={password}
            {...tie}
          />
        {/snippet}
      </Field>
      <button class="btn btn-primary" disabled={busy}>{setUp ? 'Set up' : 'Sign in'}</button>
    </form>
  </div>
</main>

<style>
  .gate {
    min-height: 100dvh;
    display: grid;
    align-items: end;
    justify-items: center;
    background: var(--color-wall);
    padding: 5vh 1rem 0;
  }
  .recess {
    width: min(27rem, 100%);
    min-height: min(44rem, 88dvh);
    display: grid;
    align-content: center;
    padding: 5rem 2.25rem 3rem;
    background: var(--color-alcove);
    border-radius: 13.5rem 13.5rem 0 0;
    box-shadow:
      inset 0 10px 14px -5px var(--color-recess),
      inset 1px 0 0 var(--color-edge),
      inset -1px 0 0 var(--color-edge);
  }
</style>
