<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import { dayWords } from '$lib/edit/parts';
  import { rangeWords, shortDate } from '$lib/hours/dates';
  import type { Days } from '$lib/hours/days';
  import { draftPatterns, spanWords } from '$lib/hours/patterns';
  import { dayKeys, dayNames } from '$lib/hours/week';

  /** Somebody's hours and days where their desk keeps them: to look at. */
  let { drafts, days, today }: { drafts: Shape<'Pattern'>[]; days: Days; today: string } = $props();

  const coming = $derived(drafts.filter((p) => !p.until || p.until >= today));
  const apart = $derived(
    [
      ...days.absences
        .filter((a) => a.until >= today)
        .map((a) => ({ at: a.from, when: rangeWords(a.from, a.until), what: 'away', note: a.note })),
      ...days.oneOffs
        .filter((o) => o.date >= today)
        .map((o) => ({
          at: o.date,
          when: shortDate(o.date),
          what: o.spans.length ? dayWords({ spans: o.spans, breaks: [] }) : 'away',
          note: o.note,
        })),
    ].sort((a, b) => a.at.localeCompare(b.at)),
  );
</script>

<p class="rounded-md bg-secondary px-4 py-3">Your desk keeps your hours. Ask there for a change.</p>
{#each coming as p, i (i)}
  {@const draft = draftPatterns([p])[0]}
  {#each p.cycle as week, w (w)}
    <section class="sheet p-4" aria-label="Hours">
      {#if coming.length > 1 || p.cycle.length > 1}
        <h2 class="mb-2 text-lg">
          {draft ? spanWords(draft) : ''}{p.cycle.length > 1 ? `, week ${w + 1} of ${p.cycle.length}` : ''}
        </h2>
      {/if}
      <dl class="grid grid-cols-[7rem_minmax(0,1fr)] gap-y-1">
        {#each dayKeys as key (key)}
          <dt class="font-bold">{dayNames[key]}</dt>
          <dd>{dayWords(week[key])}</dd>
        {/each}
      </dl>
    </section>
  {/each}
{/each}
{#if apart.length}
  <section class="sheet p-4" aria-label="One-off days and absences">
    <h2 class="mb-2 text-lg">One-off days and absences</h2>
    <ul class="grid gap-1">
      {#each apart as a (a.when + a.what)}
        <li>
          <b>{a.when}</b>
          {a.what}{#if a.note}<span class="text-mute">, {a.note}</span>{/if}
        </li>
      {/each}
    </ul>
  </section>
{/if}
