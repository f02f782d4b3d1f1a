<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { lengthOf } from '$lib/hours/wallclock';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { navigate, route } from '../router';

  const fresh: Shape<'ServiceFields'> = {
    name: '',
    slug: '',
    place: '',
    hue: 0,
    length: 60,
    step: 30,
    anchor: 'clock',
    bufferBefore: 0,
    bufferAfter: 0,
    buffersInsideHours: false,
    notice: 240,
    windowDays: 60,
    unreachable: 'ask',
    staff: [],
  };
  const hues = ['Petrol', 'Plum', 'Indigo', 'Olive', 'Rust', 'Slate', 'Berry', 'Pine'];

  const id = $derived(route.params.id === 'new' ? 0 : Number(route.params.id));
  let form = $state({ ...fresh });
  let page = $state('');
  let kept = $state('');
  let team = $state<Shape<'StaffMember'>[]>([]);
  let problem = $state<Problem>();
  let missing = $state('');
  let saved = $state(false);

  const changed = $derived(JSON.stringify(form) !== kept);
  const fault = (field: string) => problem?.fields[field] ?? '';

  function take(s: Shape<'Service'>) {
    form = Object.fromEntries(
      Object.keys(fresh).map((key) => [key, s[key as keyof typeof fresh]]),
    ) as typeof fresh;
    page = s.page;
    kept = JSON.stringify(form);
  }

  async function load(id: number) {
    missing = '';
    try {
      team = (await data(api.GET('/api/staff'))).items;
      if (id) take(await data(api.GET('/api/services/{id}', { params: { path: { id } } })));
      else [form, page, kept] = [{ ...fresh, hue: Math.floor(Math.random() * 8) }, '', ''];
    } catch (cause) {
      missing = problemOf(cause).message;
    }
  }
  $effect(() => void load(id));

  async function save(e: SubmitEvent) {
    e.preventDefault();
    problem = undefined;
    saved = false;
    try {
      if (id) {
        take(await data(api.PUT('/api/services/{id}', { params: { path: { id } }, body: form })));
        saved = true;
      } else {
        const made = await data(api.POST('/api/services', { body: form }));
        await navigate('/services/:id', { params: { id: String(made.id) } });
      }
    } catch (cause) {
      problem = problemOf(cause);
    }
  }

  function perform(member: number, on: boolean) {
    form.staff = on ? [...form.staff, member] : form.staff.filter((m) => m !== member);
  }
  const occupied = $derived(form.length + form.bufferBefore + form.bufferAfter);
  const ahead = $derived(
    form.notice >= 1440 ? `${+(form.notice / 1440).toFixed(1)} days` : lengthOf(form.notice || 0),
  );
</script>

<svelte:head><title>{form.name || 'A new service'} · Niche</title></svelte:head>

{#if missing}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{missing}</Notice></div>
{:else}
  <form class="mx-auto grid w-full max-w-4xl gap-5 px-6 py-6" onsubmit={save} novalidate>
    <div>
      <p class="text-sm text-mute"><a class="hover:underline" href="/services">Services</a> ›</p>
      <h1 class="text-2xl">{form.name || 'A new service'}</h1>
      <p class="mt-1 max-w-3xl text-base">
        A visit lasts <b>{lengthOf(form.length || 0)}</b> and takes <b>{lengthOf(occupied || 0)}</b> of
        somebody’s time, buffers included. It can be booked until
        <b>{form.notice ? `${ahead} before` : 'the moment'}</b>
        it starts, and
        <b>{form.windowDays} days</b> ahead.
        {#if page}Its page is <a class="link-plain" href={page} target="_blank" rel="noopener">{page}</a
          >.{/if}
      </p>
    </div>

    <fieldset class="sheet grid gap-4 p-5 md:grid-cols-3">
      <legend class="sr-only">What it is</legend>
      <Field label="Name" error={fault('name')}>
        {#snippet children(tie)}<input class="input w-full" bind:value={form.name} {...tie} />{/snippet}
      </Field>
      <Field label="Where" hint="As clients read it." error={fault('place')}>
        {#snippet children(tie)}<input class="input w-full" bind:value={form.place} {...tie} />{/snippet}
      </Field>
      <Field
        label="Address of its page"
        hint={form.slug ? '' : 'Made from the name when empty.'}
        error={fault('slug')}
      >
        {#snippet children(tie)}
          <label class="input w-full"
            ><span class="label">/book/</span><input bind:value={form.slug} {...tie} /></label
          >
        {/snippet}
      </Field>
      <div class="md:col-span-3">
        <p class="mb-1 text-sm font-semibold" id="hue">Colour on the wall</p>
        <div class="flex flex-wrap gap-2" role="radiogroup" aria-labelledby="hue">
          {#each hues as name, i (name)}
            <label class="hue" style="--hue:var(--color-hue-{i})" title={name}>
              <input type="radio" name="hue" value={i} bind:group={form.hue} aria-label={name} />
            </label>
          {/each}
        </div>
      </div>
    </fieldset>

    <fieldset class="sheet grid gap-4 p-5 md:grid-cols-3">
      <legend class="sr-only">Time</legend>
      <Field label="Lasts, minutes" error={fault('length')}>
        {#snippet children(tie)}<input
            class="input w-full"
            type="number"
            min="5"
            step="5"
            bind:value={form.length}
            {...tie}
          />{/snippet}
      </Field>
      <Field label="Can start every, minutes" error={fault('step')}>
        {#snippet children(tie)}<input
            class="input w-full"
            type="number"
            min="5"
            step="5"
            bind:value={form.step}
            {...tie}
          />{/snippet}
      </Field>
      <Field label="Counted" error={fault('anchor')}>
        {#snippet children(tie)}
          <select class="select w-full" bind:value={form.anchor} {...tie}>
            <option value="clock">on the clock</option>
            <option value="opening">from opening</option>
          </select>
        {/snippet}
      </Field>
      <Field label="Buffer before, minutes" error={fault('bufferBefore')}>
        {#snippet children(tie)}<input
            class="input w-full"
            type="number"
            min="0"
            step="5"
            bind:value={form.bufferBefore}
            {...tie}
          />{/snippet}
      </Field>
      <Field label="Buffer after, minutes" error={fault('bufferAfter')}>
        {#snippet children(tie)}<input
            class="input w-full"
            type="number"
            min="0"
            step="5"
            bind:value={form.bufferAfter}
            {...tie}
          />{/snippet}
      </Field>
      <Field label="Buffers" error={fault('buffersInsideHours')}>
        {#snippet children(tie)}
          <select class="select w-full" bind:value={form.buffersInsideHours} {...tie}>
            <option value={false}>may lie outside hours</option>
            <option value={true}>stay inside hours</option>
          </select>
        {/snippet}
      </Field>
      <Field
        label="Notice, minutes"
        hint="How long before the start it must be booked."
        error={fault('notice')}
      >
        {#snippet children(tie)}<input
            class="input w-full"
            type="number"
            min="0"
            step="30"
            bind:value={form.notice}
            {...tie}
          />{/snippet}
      </Field>
      <Field label="Booking window, days" hint="How far ahead it can be booked." error={fault('windowDays')}>
        {#snippet children(tie)}<input
            class="input w-full"
            type="number"
            min="0"
            bind:value={form.windowDays}
            {...tie}
          />{/snippet}
      </Field>
      <Field label="If a calendar cannot be read" error={fault('unreachable')}>
        {#snippet children(tie)}
          <select class="select w-full" bind:value={form.unreachable} {...tie}>
            <option value="take">take the booking</option>
            <option value="ask">ask the administrator</option>
            <option value="refuse">refuse the booking</option>
          </select>
        {/snippet}
      </Field>
    </fieldset>

    <fieldset class="sheet p-5">
      <legend class="sr-only">Who performs it</legend>
      <p class="text-sm font-semibold">Who performs it</p>
      <p class="mb-2 text-sm text-mute">
        Any one of them takes a visit; the first in order who is free is picked.
      </p>
      <div class="flex flex-wrap gap-x-6 gap-y-2">
        {#each team as m (m.id)}
          <label class="flex items-center gap-2">
            <input
              class="checkbox checkbox-sm checkbox-primary"
              type="checkbox"
              checked={form.staff.includes(m.id)}
              onchange={(e) => perform(m.id, e.currentTarget.checked)}
            />
            {m.name}
          </label>
        {:else}
          <p>There is nobody yet. <a class="link-plain" href="/team">Add the first person.</a></p>
        {/each}
      </div>
    </fieldset>

    {#if problem}<Notice tone="wrong">{problem.message} Nothing was saved.</Notice>{/if}
    <div class="sticky bottom-0 flex items-center gap-3 border-t border-edge bg-page py-3">
      <button class="btn btn-primary" disabled={!changed}>{id ? 'Save' : 'Define the service'}</button>
      {#if id}<button type="button" class="btn" disabled={!changed} onclick={() => load(id)}>Discard</button
        >{/if}
      <p class="text-sm text-mute" role="status">{id && changed ? 'Not saved yet' : saved ? 'Saved' : ''}</p>
    </div>
  </form>
{/if}

<style>
  .hue {
    width: 30px;
    height: 34px;
    border-radius: 8px 8px 2px 2px;
    background: var(--hue);
    cursor: pointer;
  }
  .hue:has(:checked) {
    box-shadow:
      0 0 0 2px var(--color-base-100),
      0 0 0 4px var(--color-ink);
  }
  .hue:has(:focus-visible) {
    outline: 2px solid var(--color-primary);
    outline-offset: 5px;
  }
  .hue input {
    appearance: none;
  }
</style>
