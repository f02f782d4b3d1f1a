import { api, data, lost, type Shape } from '$lib/api/client';
import { keepReasons } from '$lib/lane/reasons';
import { dates } from '$lib/ui/DateInput.svelte';
import { followBusiness } from './clock.svelte';

/** Who is signed in, undefined until the server has said; and whether the session has ended while something was open. */
export const session = $state<{ now: Shape<'Session'> | undefined; lost: boolean }>({
  now: undefined,
  lost: false,
});

lost.tell = () => {
  session.lost = session.now?.administrator !== undefined;
};

/** Asks who is signed in. What was open stays open when the same person comes back. */
export async function loadSession(): Promise<void> {
  const now = await data(api.GET('/api/session'));
  const before = session.now?.administrator?.id;
  if (session.lost && now.administrator && now.administrator.id !== before) {
    location.reload();
    return;
  }
  if (session.lost && !now.administrator) return;
  keepReasons(now.reasons);
  [session.now, session.lost] = [now, false];
  if (!now.business) return;
  followBusiness(now.business.clock);
  dates.order = now.business.order ?? 'dmy';
}

export async function signOut(): Promise<void> {
  await api.DELETE('/api/session');
  session.now = undefined;
  await loadSession();
}
