<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import { differing, partsOfDays, partsOfHours, type Part } from '$lib/edit/parts';
  import { shortDate } from '$lib/hours/dates';

  /** Lines of the trail, each with what became of which field. */
  let { lines }: { lines: Shape<'TrailEntry'>[] } = $props();

  type Entry = Shape<'TrailEntry'>;
  type Row = { label: string; from?: string; to?: string };

  function said(v: unknown): string | undefined {
    if (v === undefined || v === null) return undefined;
    if (typeof v === 'boolean') return v ? 'yes' : 'no';
    if (Array.isArray(v)) return v.join(', ');
    return typeof v === 'object' ? JSON.stringify(v) : String(v);
  }
  /** A field as people call it: getsBookings is “gets bookings”. */
  const named = (field: string) => field.replace(/([A-Z])/g, (c) => ` ${c.toLowerCase()}`);
  const told = <B,>(parts: Part<B>[], a: B, b: B): Row[] =>
    differing(parts, a, b).map((p) => ({ label: p.label, from: p.text(a), to: p.text(b) }));
  /** One side of a change, of fields that are lists. */
  const side = (e: Entry, which: 'from' | 'to', field: string) =>
    (e.changes.find((c) => c.field === field)?.[which] ?? []) as never[];

  /** What became of which field; of hours and days in the words of their editors. */
  function rows(e: Entry): Row[] {
    if (e.kind === 'hours') {
      const [a, b] = [{ patterns: side(e, 'from', 'patterns') }, { patterns: side(e, 'to', 'patterns') }];
      return told(partsOfHours(a, b), a, b);
    }
    if (e.kind === 'days') {
      const of = (which: 'from' | 'to') => ({
        oneOffs: side(e, which, 'oneOffs'),
        absences: side(e, which, 'absences'),
      });
      const [a, b] = [of('from'), of('to')];
      return told(partsOfDays(a, b), a, b);
    }
    return e.changes.map((c) => ({
      label: e.kind === 'closures' ? shortDate(c.field) : named(c.field),
      from: said(c.from),
      to: said(c.to),
    }));
  }
</script>

<ol class="sheet divide-y divide-base-300">
  {#each lines as e (e.id)}
    <li class="grid gap-x-4 px-4 py-2 sm:grid-cols-[12rem_1fr]">
      <time class="text-sm whitespace-nowrap text-mute" datetime={e.at}>{e.when}</time>
      <div class="min-w-0">
        <span class="break-words">{e.words}</span>
        {#if e.network}<span class="text-sm text-mute"> from {e.network}</span>{/if}
        {#if e.changes.length}
          <dl class="mt-1 grid gap-x-3 text-sm sm:grid-cols-[max-content_1fr]">
            {#each rows(e) as r (r.label)}
              <dt class="text-mute">{r.label}</dt>
              <dd class="min-w-0 break-words">
                {#if r.from !== undefined}<del class="opacity-75">{r.from}</del> →{/if}
                {r.to ?? 'nothing'}
              </dd>
            {/each}
          </dl>
        {/if}
      </div>
    </li>
  {:else}
    <li class="px-4 py-3 text-mute">Nothing has been changed here yet.</li>
  {/each}
</ol>
