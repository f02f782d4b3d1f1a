<script lang="ts">
  import { problemOf, type Shape } from '$lib/api/client';
  import { Form } from '$lib/api/form.svelte';
  import { fields } from '$lib/edit/parts';
  import Notice from '$lib/ui/Notice.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import { deskDoors, type LinkDoors } from './doors';
  import Renew from './Renew.svelte';
  import CalendarRow from './CalendarRow.svelte';
  import Wishes from './Wishes.svelte';
  import { copies } from './words';

  let {
    link,
    doors = deskDoors,
    onchanged,
  }: { link: Shape<'Link'>; doors?: LinkDoors; onchanged: () => void } = $props();

  type Choice = Shape<'Choice'>;
  const choiceOf = (c: Choice): Choice => {
    const { blocks, getsBookings, padBefore, padAfter, tentativeFree, allDayFree, titles } = c;
    return { blocks, getsBookings, padBefore, padAfter, tentativeFree, allDayFree, titles };
  };
  /** What becomes of the copies in a calendar that no longer gets bookings, once somebody has said so. */
  let ending: 'keep' | 'remove' | undefined;
  const form = new Form<Choice, Choice, Shape<'Calendar'>>(
    {
      save: (id, body, version) => doors.save(id, body, version, ending),
      value: choiceOf,
      body: (choice) => choice,
    },
    { blocks: false, getsBookings: false },
  );
  const parts = fields<Choice>({
    blocks: 'Blocks time',
    getsBookings: 'Gets bookings',
    padBefore: 'Minutes kept free before',
    padAfter: 'Minutes kept free after',
    tentativeFree: 'Tentative events take no time',
    allDayFree: 'All-day events take no time',
    titles: 'Shows titles',
  });

  /** One choice after the other, each over what the one before has made: two quick taps are no conflict. */
  let turn = Promise.resolve();
  /** What undoes the last choice, and of which calendar that was. */
  let back = $state.raw<{ id: number; name: string; change: Partial<Choice> }>();
  function choose(id: number, change: Partial<Choice>) {
    turn = turn.then(async () => {
      back = undefined;
      const [shown, kept] = [link.calendars.find((c) => c.id === id), form.now];
      const c = kept?.id === id && kept.version >= (shown?.version ?? 0) ? kept : shown;
      if (!c) return;
      ending = undefined;
      form.take(c, id);
      const was = choiceOf(c);
      const keys = Object.keys(change) as (keyof Choice)[];
      form.value = { ...form.value, ...change };
      await save();
      if (!form.problem)
        back = { id, name: c.name, change: Object.fromEntries(keys.map((key) => [key, was[key]])) };
    });
  }
  async function save(how?: 'keep' | 'remove') {
    ending = how;
    await form.save();
    onchanged();
  }
  /** How many copies lie in a calendar that is to get no more bookings. */
  const asked = $derived(form.problem?.copies ?? 0);
  const turned = $derived(form.now?.name ?? '');

  /** Whether it is being asked if the link is to go. */
  let leaving = $state(false);
  /** Whether the link is being given a new key. */
  let renewing = $state(false);
  let busy = $state(false);
  let fault = $state('');
  const held = $derived(link.calendars.reduce((sum, c) => sum + c.copies, 0));

  async function remove(how?: 'remove' | 'leave') {
    [busy, fault] = [true, ''];
    try {
      await doors.remove(link.id, how);
      leaving = false;
      onchanged();
    } catch (cause) {
      fault = problemOf(cause).message;
    } finally {
      busy = false;
    }
  }

  async function prove() {
    fault = '';
    try {
      await doors.prove?.(link.id);
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }

  const used = $derived(link.calendars.filter((c) => c.blocks || c.getsBookings));
  const trouble = $derived(used.find((c) => c.error));
  const shut = $derived(link.calendars.find((c) => c.getsBookings && !c.canWrite));
  const since = $derived(
    new Date(link.createdAt).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' }),
  );
  const who = $derived(link.kind === 'feed' ? 'published calendar' : link.username);
</script>

<section class="sheet overflow-hidden" aria-label="{link.host}, {who}">
  <header class="flex flex-wrap items-center gap-x-3 border-b border-base-300 bg-base-200 px-4 py-2.5">
    <span class="arch" class:wrong={trouble} class:idle={used.length === 0} aria-hidden="true"></span>
    <h2 class="text-base font-bold" title={link.at}>{link.host}</h2>
    <span class="text-mute">{who} · linked {since}</span>
    <span class="ml-auto flex items-baseline gap-4">
      {#if used.length === 0 && !link.closing}<b class="text-brick">Nothing chosen yet</b>{/if}
      {#if !link.closing}
        <button type="button" class="link-plain text-sm" onclick={() => (renewing = !renewing)}>renew</button>
        <button type="button" class="link-plain text-sm" onclick={() => (leaving = !leaving)}>unlink</button>
      {/if}
    </span>
  </header>
  {#if link.closing}
    <div class="grid gap-3 p-4">
      <Notice>
        This link is being taken away.
        {link.left
          ? `${copies(link.left)} ${link.left === 1 ? 'is' : 'are'} still to be removed from its calendars.`
          : 'It goes in a moment.'}
        {#if trouble}{trouble.error}{/if}
      </Notice>
      {#if link.left}
        <button
          type="button"
          class="btn btn-sm justify-self-start"
          disabled={busy}
          onclick={() => remove('leave')}>Leave them there, and end it now</button
        >
      {/if}
    </div>
  {:else}
    {#if renewing}
      <Renew
        {link}
        {doors}
        onrenewed={() => {
          renewing = false;
          onchanged();
        }}
        oncancel={() => (renewing = false)}
      />
    {/if}
    {#if leaving}
      <div class="grid gap-3 border-b border-base-300 p-4" role="alert">
        <Notice>
          Unlinked, its events block nothing any more, and no booking is written there.
          {#if held}{copies(held)} {held === 1 ? 'lies' : 'lie'} in its calendars.{/if}
        </Notice>
        <div class="flex flex-wrap gap-2">
          {#if held}
            <button type="button" class="btn btn-error" disabled={busy} onclick={() => remove('remove')}
              >Unlink, and remove {held === 1 ? 'the copy' : 'the copies'}</button
            >
            <button type="button" class="btn" disabled={busy} onclick={() => remove('leave')}
              >Unlink, and leave {held === 1 ? 'it' : 'them'} there</button
            >
          {:else}
            <button type="button" class="btn btn-error" disabled={busy} onclick={() => remove()}
              >Unlink {link.host}</button
            >
          {/if}
          <button type="button" class="btn" onclick={() => (leaving = false)}>Keep the link</button>
        </div>
      </div>
    {/if}
    <ul class="divide-y divide-base-300">
      {#each link.calendars as c (c.id)}
        <CalendarRow
          calendar={c}
          feed={link.kind === 'feed'}
          owner={doors.owner}
          onchoose={(change) => choose(c.id, change)}
        />
      {/each}
    </ul>
  {/if}
  <div class="grid gap-3 p-4 pt-1 not-has-[>*]:hidden">
    {#if asked}
      <div class="grid gap-3" role="alert">
        <Notice>
          {copies(asked)}
          {asked === 1 ? 'lies' : 'lie'} in {turned}, which is to get no more. What becomes of {asked === 1
            ? 'it'
            : 'them'}?
        </Notice>
        <div class="flex flex-wrap gap-2">
          <button type="button" class="btn btn-primary" disabled={form.busy} onclick={() => save('remove')}
            >Remove {asked === 1 ? 'it' : 'them'}</button
          >
          <button type="button" class="btn" disabled={form.busy} onclick={() => save('keep')}
            >Leave {asked === 1 ? 'it' : 'them'} there, and keep {asked === 1 ? 'it' : 'them'} right</button
          >
          <button type="button" class="btn" onclick={() => form.discard()}>Go on writing there</button>
        </div>
      </div>
    {:else}
      <Outcome {form} parts={() => parts} step />
    {/if}
    {#if back && !link.closing}
      {@const last = back}
      <button
        type="button"
        class="link-plain justify-self-start text-sm"
        onclick={() => choose(last.id, last.change)}>undo the last choice, for {last.name}</button
      >
    {/if}
    {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
    {#if shut && !link.closing}
      <Notice tone="wrong">
        {shut.name} can only be read now, so bookings can no longer be written there. Let its owner give the account
        the right to write, or choose another calendar.
      </Notice>
    {/if}
    {#if trouble && !link.closing}
      <Notice tone="attention">
        {trouble.error} What was read last still blocks time.
        {#if !renewing && (trouble.state === 'refused' || trouble.state === 'gone')}
          <button type="button" class="link-plain" onclick={() => (renewing = true)}>Renew the link</button>
        {/if}
      </Notice>
    {:else if link.error && !link.closing}
      <Notice tone="attention">{link.error}</Notice>
    {/if}
    {#if !link.closing && used.length && (link.proof || doors.prove)}
      <div class="flex flex-wrap items-baseline gap-x-3 gap-y-1 text-sm">
        {#if link.proof}
          <span
            ><b class={link.proof.held ? 'text-moss' : 'text-brick'}
              >{link.proof.held ? 'Proved' : 'The proof failed'}</b
            >
            {link.proof.when}: {link.proof.words}</span
          >
        {:else}<span class="text-mute">Never proved.</span>{/if}
        {#if doors.prove}
          {#if link.proof}<a class="link-plain" href="/proofs?link={link.id}">see it</a>{/if}
          <button type="button" class="link-plain" disabled={busy} onclick={() => void prove()}
            >prove it now</button
          >
        {/if}
      </div>
    {/if}
    {#if !link.closing && used.some((c) => c.getsBookings)}
      <Wishes wishes={link.wishes} save={(w) => doors.wish(link.id, w)} onsaved={onchanged} />
    {/if}
  </div>
</section>

<style>
  .arch {
    width: 15px;
    height: 18px;
    border-radius: 8px 8px 1px 1px;
    background: var(--color-moss-fill);
  }
  .arch.wrong,
  .arch.idle {
    background: none;
    border: 2px dashed var(--color-brick);
  }
</style>
