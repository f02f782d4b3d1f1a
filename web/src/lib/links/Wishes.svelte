<script lang="ts">
  import { problemOf, type Shape } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';
  import Switch from '$lib/ui/Switch.svelte';

  /** What the owner of a link wishes of the copies in it. Each wish is saved when it is made. */
  type Wishes = Shape<'LinkWishes'>;
  let {
    wishes,
    save,
    onsaved,
  }: { wishes: Wishes; save: (w: Wishes) => Promise<unknown>; onsaved: () => void } = $props();

  let fault = $state('');
  let saved = $state(false);
  async function change(part: Partial<Wishes>, by?: HTMLSelectElement) {
    const was = { ...wishes };
    [fault, saved] = ['', false];
    try {
      await save({ ...wishes, ...part });
      saved = true;
      onsaved();
    } catch (cause) {
      fault = problemOf(cause).message;
      for (const key of Object.keys(part) as (keyof Wishes)[]) if (by) by.value = String(was[key]); // what is shown is what is kept
    }
  }
  const usual = [0, 5, 10, 15, 30, 60, 120, 1440];
  const alarms = $derived([...new Set([...usual, wishes.alarm])].sort((a, b) => a - b));
  const before = (m: number) =>
    m === 0
      ? 'does not remind'
      : `reminds ${m % 1440 === 0 ? `${m / 1440} d` : m % 60 === 0 ? `${m / 60} h` : `${m} min`} before`;
</script>

<div class="grid gap-2 border-t border-base-300 pt-3 text-sm">
  <div class="flex flex-wrap items-center gap-x-5 gap-y-2">
    <label class="flex items-center gap-2">
      A visit written here
      <select
        class="select select-sm w-auto"
        value={wishes.alarm}
        onchange={(e) => void change({ alarm: Number(e.currentTarget.value) }, e.currentTarget)}
      >
        {#each alarms as m (m)}<option value={m}>{before(m)}</option>{/each}
      </select>
    </label>
    <label class="flex items-center gap-2">
      names clients
      <select
        class="select select-sm w-auto"
        value={wishes.clients}
        onchange={(e) =>
          void change({ clients: e.currentTarget.value as Wishes['clients'] }, e.currentTarget)}
      >
        <option value="named">in words</option>
        <option value="guests">as guests too, unwritten to</option>
        <option value="unnamed">by reference alone</option>
      </select>
    </label>
    <label class="flex flex-wrap items-center gap-2">
      and when it is changed in the calendar
      <select
        class="select select-sm w-auto"
        value={wishes.drift}
        onchange={(e) => void change({ drift: e.currentTarget.value as Wishes['drift'] }, e.currentTarget)}
      >
        <option value="ask">ask which holds</option>
        <option value="put back">put it back</option>
        <option value="follow">move the booking, when the rules allow</option>
      </select>
    </label>
  </div>
  <div class="flex flex-wrap items-center gap-x-5 gap-y-2">
    <Switch label="Is private" checked={wishes.private} onchange={(on) => void change({ private: on })} />
    <Switch
      label="Also when it is only asked for"
      checked={wishes.pending}
      onchange={(on) => void change({ pending: on })}
    />
    <Switch
      label="With the time before and after"
      checked={wishes.buffers}
      onchange={(on) => void change({ buffers: on })}
    />
  </div>
  <p class="sr-only" role="status">{saved ? 'Saved' : ''}</p>
  {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
</div>
