<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import PasswordField from '$lib/ui/PasswordField.svelte';
  import Hears from './Hears.svelte';
  import Told from '$lib/ui/Told.svelte';
  import { moment } from './moments';

  /** How the one who looks signs in: password, second factor, and where they are signed in. */
  const ask = () => data(api.GET('/api/me'));
  const me = query(ask, ['time']);
  const now = $derived(me.value);
  /** What is being changed. */
  let open = $state<'' | 'password' | 'factor' | 'off' | 'codes'>('');
  let current = $state('');
  let password = $state('');
  let code = $state('');
  let factor = $state<Shape<'Factor'>>();
  let codes = $state<string[]>([]);
  let said = $state('');
  let problem = $state<Problem>();

  async function begin(what: typeof open) {
    [open, current, password, code, problem, said] = [what, '', '', '', undefined, ''];
    if (what === 'factor') factor = await data(api.POST('/api/me/second-factor/new'));
  }

  async function doing(act: () => Promise<unknown>): Promise<void> {
    problem = undefined;
    try {
      await act();
      open = '';
      await me.ask(ask);
    } catch (cause) {
      problem = problemOf(cause);
    }
  }

  async function submit(e: SubmitEvent) {
    e.preventDefault();
    await doing(async () => {
      if (open === 'password') {
        await api.PUT('/api/me/password', { body: { current, password } });
        said = 'Your password is changed. Everywhere else you are signed out.';
      } else if (open === 'factor' && factor) {
        const secret = factor.secret;
        codes = (await data(api.PUT('/api/me/second-factor', { body: { current, secret, code } }))).codes;
      } else if (open === 'codes') {
        codes = (await data(api.POST('/api/me/recovery-codes', { body: { current } }))).codes;
      } else {
        await api.POST('/api/me/second-factor/off', { body: { current } });
      }
    });
  }

  const end = (id: number) => doing(() => api.DELETE('/api/me/sessions/{id}', { params: { path: { id } } }));
  const endOthers = () => doing(() => api.DELETE('/api/me/sessions'));
  const others = $derived((now?.sessions ?? []).filter((s) => !s.here).length);
  const buttons = {
    password: 'Change the password',
    factor: 'Turn it on',
    off: 'Turn it off',
    codes: 'Make new codes',
  };
</script>

<section class="grid content-start gap-4" aria-labelledby="own">
  <div>
    <h2 class="text-2xl" id="own">How you sign in</h2>
    {#if now}
      <p class="text-mute">
        {#if now.secondFactor}
          By your password and a one-time code.
          {#if now.codesLeft === 0}<b class="text-brick">No recovery code is left: make new ones.</b>
          {:else}{now.codesLeft} recovery {now.codesLeft === 1 ? 'code is' : 'codes are'} left.{/if}
        {:else}
          By your password alone. A second factor keeps out whoever learns it.
        {/if}
      </p>
    {/if}
  </div>
  {#if codes.length}
    <Told title="Your recovery codes" lines={codes} ondone={() => (codes = [])}>
      Each signs you in once, when you do not have your device. Keep them where you keep papers; they are not
      shown again.
    </Told>
  {/if}
  {#if now}
    <div class="sheet grid gap-4 p-5">
      <div class="flex flex-wrap gap-2">
        <button type="button" class="btn" onclick={() => void begin('password')}>New password</button>
        {#if now.secondFactor}
          <button type="button" class="btn" onclick={() => void begin('codes')}>New recovery codes</button>
          <button type="button" class="btn" onclick={() => void begin('off')}
            >Turn the second factor off</button
          >
        {:else}
          <button type="button" class="btn" onclick={() => void begin('factor')}>Add a second factor</button>
        {/if}
      </div>
      {#if said}<p role="status">{said}</p>{/if}
      {#if open}
        <form class="grid gap-4" onsubmit={submit} novalidate>
          {#if open === 'factor' && factor}
            <div class="grid items-center gap-5 sm:grid-cols-[auto_1fr]">
              <img
                src={factor.picture}
                alt="The secret, to be read by a camera"
                width="160"
                height="160"
                class="rounded-sm"
              />
              <div class="grid gap-2">
                <p>
                  Read this with a program for one-time codes on your telephone, then give the code that it
                  shows.
                </p>
                <p class="text-sm text-mute">
                  Or type in <code class="break-all text-ink"
                    >{factor.secret.match(/.{1,4}/g)?.join(' ')}</code
                  >, or
                  <a class="link-plain" href={factor.address}>open it on this device</a>.
                </p>
              </div>
            </div>
            <Field label="Code" error={problem?.fields.code}>
              {#snippet children(tie)}
                <input
                  class="input w-40 tabular-nums"
                  autocomplete="one-time-code"
                  inputmode="numeric"
                  bind:value={code}
                  {...tie}
                />
              {/snippet}
            </Field>
          {/if}
          <PasswordField label="Present password" bind:value={current} error={problem?.fields.current} />
          {#if open === 'password'}
            <PasswordField
              label="New password"
              fresh
              bind:value={password}
              error={problem?.fields.password}
            />
          {/if}
          {#if problem && Object.keys(problem.fields).length === 0}<Notice tone="wrong"
              >{problem.message}</Notice
            >{/if}
          <div class="flex gap-2">
            <button class="btn btn-primary">{buttons[open]}</button>
            <button type="button" class="btn" onclick={() => (open = '')}>Not now</button>
          </div>
        </form>
      {/if}
      <Hears hears={now.hears} onchanged={() => void me.ask(ask)} />
      <div class="grid gap-1">
        <h3 class="text-sm font-semibold">Where you are signed in</h3>
        <ul class="divide-y divide-base-300">
          {#each now.sessions as s (s.id)}
            <li class="flex flex-wrap items-baseline gap-x-3 py-1.5">
              <span class="grow">
                {s.device}{#if s.here}<b>, this one</b>{/if}
                <span class="block text-sm text-mute"
                  >from {s.network}, since {moment(s.began)}, last {moment(s.seen)}</span
                >
              </span>
              {#if !s.here}
                <button type="button" class="link-plain text-sm" onclick={() => void end(s.id)}>end</button>
              {/if}
            </li>
          {/each}
        </ul>
        {#if others > 1}
          <button type="button" class="link-plain justify-self-start text-sm" onclick={() => void endOthers()}
            >End all others</button
          >
        {/if}
      </div>
    </div>
  {:else if me.problem}
    <Notice tone="wrong">{me.problem.message}</Notice>
  {/if}
</section>
