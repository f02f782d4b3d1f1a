<script lang="ts">
  import { untrack } from 'svelte';
  import { problemOf, type Shape } from '$lib/api/client';
  import { ownDoors } from '$lib/links/doors';
  import LinkFields from '$lib/links/LinkFields.svelte';
  import { NewLink, type Body } from '$lib/links/newLink.svelte';
  import Notice from '$lib/ui/Notice.svelte';

  /** The ways to link an own calendar, of which one opens. */
  let {
    hosts,
    mail,
    send,
    signIn = ownDoors.signIn,
    onlinked,
  }: {
    hosts: Shape<'NamedHost'>[];
    mail: string;
    send: (body: Body) => Promise<unknown>;
    /** Leaves for a host, to sign in there. */
    signIn?: (host: number) => Promise<void>;
    onlinked: () => void;
  } = $props();

  const link = new NewLink(
    () => hosts,
    (body) => send(body),
  );
  // Who it is is known: the user is often their mail address, and its host may be known too.
  untrack(() => {
    link.username = mail;
    link.guess();
  });
  const ways = [
    {
      kind: 'account',
      label: 'Use an app password',
      about: 'Your calendar’s host gives one to other programs. You can take it back there at any time.',
      go: 'Sign in and find my calendars',
      going: 'Signing in…',
    },
    {
      kind: 'feed',
      label: 'Paste a calendar’s address',
      about: 'Only its times are read; nothing is written to it.',
      go: 'Read it and link it',
      going: 'Reading it…',
    },
  ] as const;
  let open = $state<'account' | 'feed'>();

  function choose(kind: 'account' | 'feed') {
    open = open === kind ? undefined : kind;
    link.kind = kind;
    link.problem = undefined;
  }
  const letting = $derived(hosts.filter((h) => h.letsSignIn));
  let fault = $state('');
  async function leave(host: number) {
    fault = '';
    try {
      await signIn?.(host);
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }
  async function make(e: SubmitEvent) {
    e.preventDefault();
    if (await link.make()) onlinked();
  }
</script>

<div class="grid gap-3">
  {#each letting as h (h.id)}
    <button type="button" class="sheet grid gap-0.5 px-4 py-3 text-left" onclick={() => void leave(h.id)}>
      <b class="text-lg">Sign in at {h.name}</b>
      <span class="text-mute"
        >You are asked there whether Niche may see your calendars. No password comes here.</span
      >
    </button>
  {/each}
  {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
  {#each ways as w (w.kind)}
    <section class="sheet" class:chosen={open === w.kind}>
      <button
        type="button"
        class="grid w-full gap-0.5 px-4 py-3 text-left"
        aria-expanded={open === w.kind}
        onclick={() => choose(w.kind)}
      >
        <b class="text-lg">{w.label}</b>
        <span class="text-mute">{w.about}</span>
      </button>
      {#if open === w.kind}
        <form class="grid gap-4 border-t border-base-300 p-4" onsubmit={make} novalidate>
          <LinkFields {link} {hosts} stacked {onlinked} />
          {#if link.fault}<Notice tone="wrong">{link.fault}</Notice>{/if}
          <button class="btn btn-primary" disabled={link.busy}>{link.busy ? w.going : w.go}</button>
        </form>
      {/if}
    </section>
  {/each}
</div>

<style>
  .chosen {
    border-color: var(--color-primary);
    box-shadow: inset 0 -3px 0 var(--color-primary);
  }
</style>
