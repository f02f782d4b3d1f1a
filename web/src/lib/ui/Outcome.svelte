<script lang="ts" generics="Value, Body, Now extends Versioned">
  import type { Form, Versioned } from '$lib/api/form.svelte';
  import type { Part } from '$lib/edit/parts';
  import Conflict from './Conflict.svelte';
  import Misfits from './Misfits.svelte';
  import Notice from './Notice.svelte';

  /** What became of saving, where it did not simply go well: bookings that would no longer fit, a newer version, a refusal. */
  let {
    form,
    parts,
    quiet = false,
    step = false,
  }: {
    form: Form<Value, Body, Now>;
    parts: (mine: Body, theirs: Body) => Part<Body>[];
    /** Whether what is wrong with single fields is said at these only. */
    quiet?: boolean;
    /** Whether each change of a list is saved by itself: what is not saved is let go of. */
    step?: boolean;
  } = $props();

  const problem = $derived(form.problem);
  const mine = $derived(form.how.body(form.value));
  const base = $derived(form.now ? form.how.body(form.how.value(form.now)) : mine);
  const theirs = $derived(form.theirs && form.how.body(form.how.value(form.theirs)));
</script>

{#snippet said()}
  {#if theirs}
    {#key theirs}
      <Conflict
        {base}
        {mine}
        {theirs}
        parts={parts(mine, theirs)}
        busy={form.busy}
        onsettle={(mixture) => void form.settle(mixture)}
      />
    {/key}
  {:else if problem?.misfitCount}
    <Misfits
      {problem}
      onaccept={() => void form.save(problem.misfitCount)}
      onback={() => (step ? form.discard() : (form.problem = undefined))}
    />
  {:else if problem}
    <Notice tone="wrong">{problem.message} Nothing was saved.</Notice>
  {/if}
{/snippet}

{#if problem && !(quiet && Object.keys(problem.fields).length)}
  <!-- It comes into view by itself: forms are longer than screens, and their buttons stay in sight. -->
  <div class="scroll-my-32" {@attach (el) => el.scrollIntoView({ block: 'nearest' })}>{@render said()}</div>
{/if}
