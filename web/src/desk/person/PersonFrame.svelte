<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { Shape } from '$lib/api/client';
  import { minutesOf } from '$lib/hours/wallclock';
  import { clock } from '../clock.svelte';

  /** The head of a person's pages: the name, the sentence with the effect, and the ways between them. */
  let {
    member,
    here,
    sentence,
    children,
  }: {
    member: Shape<'StaffMember'>;
    here: 'hours' | 'week' | 'calendars' | 'away' | 'details';
    sentence: Snippet;
    children: Snippet;
  } = $props();

  /** The person's clock goes on from what the server said. */
  const told = $derived({ minute: minutesOf(member.present), at: Date.now() });
  let passed = $state(0);
  $effect(() => {
    passed = 0;
    const timer = setInterval(() => (passed = Math.floor((Date.now() - told.at) / 60_000)), 5_000);
    return () => clearInterval(timer);
  });
  const present = $derived.by(() => {
    const minute = (told.minute + passed) % 1440;
    const [h, m] = [Math.floor(minute / 60), String(minute % 60).padStart(2, '0')];
    return clock.kind === '24'
      ? `${String(h).padStart(2, '0')}:${m}`
      : `${((h + 11) % 12) + 1}:${m} ${h < 12 ? 'am' : 'pm'}`;
  });

  const tabs = $derived([
    { key: 'hours', label: 'Hours', href: `/team/${member.id}` },
    { key: 'week', label: 'Week', href: `/team/${member.id}/week` },
    { key: 'calendars', label: 'Calendars', href: `/team/${member.id}/calendars` },
    { key: 'away', label: 'Hand over', href: `/team/${member.id}/away` },
    { key: 'details', label: 'Details', href: `/team/${member.id}/details` },
  ]);
</script>

<svelte:head><title>{member.name} · Niche</title></svelte:head>

<div class="border-b border-edge">
  <div class="mx-auto w-full max-w-6xl px-6 pt-5">
    <p class="text-sm text-mute">
      <a class="hover:underline" href="/team">Team</a> ›
      {member.zone.replaceAll('_', ' ')}, {present} now
    </p>
    <h1 class="text-2xl">{member.name}</h1>
    <p class="mt-1 max-w-3xl text-base">{@render sentence()}</p>
    <nav class="mt-3 flex gap-5 font-semibold" aria-label={member.name}>
      {#each tabs as tab (tab.key)}
        <a
          href={tab.href}
          aria-current={tab.key === here ? 'page' : undefined}
          class="border-b-3 border-transparent px-0.5 py-2 text-mute hover:text-ink aria-[current]:border-primary aria-[current]:text-ink"
        >
          {tab.label}
        </a>
      {/each}
    </nav>
  </div>
</div>
<div class="mx-auto grid w-full max-w-6xl grid-cols-[minmax(0,1fr)] gap-5 px-6 py-5">
  {@render children()}
</div>
