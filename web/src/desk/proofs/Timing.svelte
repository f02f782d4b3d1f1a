<script lang="ts">
  import { api, problemOf, type Shape } from '$lib/api/client';

  /** When everybody's links are proved by themselves. It is saved when it is changed. */
  let { schedule }: { schedule: Shape<'ProofSchedule'> } = $props();

  const days = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
  const hours = Array.from({ length: 24 }, (_, h) => `${String(h).padStart(2, '0')}:00`);
  let fault = $state('');

  async function save(change: Partial<Shape<'ProofSchedule'>>) {
    fault = '';
    try {
      await api.PUT('/api/proofs/schedule', { body: { ...schedule, ...change } });
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }
</script>

<div class="grid gap-2 text-sm">
  <label class="grid gap-1"
    >By itself
    <select
      class="select select-sm w-full"
      value={schedule.day}
      onchange={(e) => void save({ day: Number(e.currentTarget.value) })}
    >
      <option value={0}>never</option>
      {#each days as d, i (d)}<option value={i + 1}>every {d}</option>{/each}
    </select>
  </label>
  {#if schedule.day}
    <label class="grid gap-1"
      >at
      <select
        class="select select-sm w-full"
        value={schedule.time}
        onchange={(e) => void save({ time: e.currentTarget.value })}
      >
        {#if !hours.includes(schedule.time)}<option>{schedule.time}</option>{/if}
        {#each hours as h (h)}<option>{h}</option>{/each}
      </select>
    </label>
  {/if}
  {#if fault}<p class="text-brick" role="alert">{fault}</p>{/if}
  <p class="text-mute">
    A proof writes an event called “Niche proof” into each calendar, and takes it away again within seconds.
    Nobody is written to.
  </p>
</div>
