<script lang="ts">
  import { untrack } from 'svelte';
  import { api, problemOf, type Problem } from '$lib/api/client';
  import Brand from '$lib/ui/Brand.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import PasswordField from '$lib/ui/PasswordField.svelte';
  import ZonePicker from '$lib/ui/ZonePicker.svelte';
  import Recess from './Recess.svelte';
  import { loadSession, session } from './session.svelte';

  /** Signing in, or on a fresh install the first administrator; or again, because a session has ended. */
  let { setUp, again = false }: { setUp: boolean; again?: boolean } = $props();

  let business = $state('');
  let zone = $state(Intl.DateTimeFormat().resolvedOptions().timeZone);
  let name = $state('');
  let email = $state(untrack(() => (again ? (session.now?.administrator?.email ?? '') : '')));
  let password = $state('');
  let code = $state('');
  let asksCode = $state(false);
  let busy = $state(false);
  let problem = $state<Problem>();
  const fault = (field: string) => problem?.fields[field] ?? '';

  async function submit(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    problem = undefined;
    try {
      if (setUp) {
        await api.POST('/api/setup', {
          body: { code, business: { name: business, zone }, name, email, password },
        });
      } else {
        await api.POST('/api/session', { body: { email, password, code: code || undefined } });
      }
      await loadSession();
    } catch (cause) {
      const said = problemOf(cause);
      // That a code is wanted is no fault yet.
      problem = said.asksCode && !asksCode ? undefined : said;
      asksCode ||= said.asksCode;
    } finally {
      busy = false;
    }
  }
</script>

<svelte:head><title>{setUp ? 'Set up' : 'Sign in'} · Niche</title></svelte:head>

<Recess>
  <form class="grid gap-4" onsubmit={submit} novalidate>
    <div class="flex items-center gap-2.5 text-lg font-bold"><Brand /> Niche</div>
    <div>
      <h1 class="text-2xl">{setUp ? 'Set up your desk' : again ? 'Sign in again' : 'Sign in'}</h1>
      <p class="mt-1 text-mute">
        {setUp
          ? 'You become its first administrator. Others can be added later.'
          : again
            ? 'Your session has ended. What you typed is still here, behind this.'
            : 'A busy hour is never sold. A sold hour always shows up outside. And anyone can see why.'}
      </p>
    </div>
    {#if problem && (Object.keys(problem.fields).length === 0 || (!setUp && !problem.asksCode))}
      <Notice tone="wrong">{problem.message}</Notice>
    {/if}
    {#if setUp}
      <Field
        label="Set-up code"
        hint="Printed where Niche was started, and kept in the file setup-code of its data folder."
        error={fault('code')}
      >
        {#snippet children(tie)}<input
            class="input w-full tabular-nums"
            autocomplete="off"
            autocapitalize="characters"
            spellcheck="false"
            placeholder="ABCD-EFGH-JKLM"
            bind:value={code}
            {...tie}
          />{/snippet}
      </Field>
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
    <PasswordField bind:value={password} fresh={setUp} error={setUp ? fault('password') : ''} />
    {#if asksCode && !setUp}
      <Field
        label="One-time code"
        hint="From your device, or one of your recovery codes."
        error={fault('code')}
      >
        {#snippet children(tie)}
          <!-- svelte-ignore a11y_autofocus -->
          <input
            class="input w-full tabular-nums"
            autocomplete="one-time-code"
            inputmode="text"
            autofocus
            bind:value={code}
            {...tie}
          />
        {/snippet}
      </Field>
    {/if}
    <button class="btn btn-primary" disabled={busy}>{setUp ? 'Set up' : 'Sign in'}</button>
  </form>
</Recess>
