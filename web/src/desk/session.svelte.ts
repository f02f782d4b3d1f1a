import { api, data, type Shape } from '$lib/api/client';

/** Who is signed in; undefined until the server has said. */
export const session = $state<{ now: Shape<'Session'> | undefined }>({ now: undefined });

export async function loadSession(): Promise<void> {
  session.now = await data(api.GET('/api/session'));
}

export async function signOut(): Promise<void> {
  await api.DELETE('/api/session');
  await loadSession();
}
