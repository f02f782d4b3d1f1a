<script lang="ts">
  import type { Shape } from '$lib/api/client';

  /** How a client takes a visit into an own calendar. */
  let { booked }: { booked: Shape<'Booked'> } = $props();

  const path = $derived(`${booked.manage.replace('/booking/', '/api/my-bookings/')}/visit.ics`);
  const follow = $derived(`webcal://${location.host}${path}`);
</script>

<div class="flex flex-wrap gap-2">
  <a class="btn btn-secondary" href={path} download>Add to my calendar</a>
  <a class="btn" href={follow}>Follow it in my calendar</a>
</div>
<p class="text-sm text-mute">What is added once stays as it is; what is followed moves with the visit.</p>
