import { api, data, type Shape } from '$lib/api/client';
import { over } from '$lib/api/form.svelte';

/** How calendars are chosen for and links taken away: by an administrator, or by whose they are. */
export interface LinkDoors {
  save: (
    id: number,
    body: Shape<'Choice'>,
    version: number,
    copies?: 'keep' | 'remove',
  ) => Promise<Shape<'Calendar'>>;
  remove: (id: number, copies?: 'remove' | 'leave') => Promise<unknown>;
  renew: (id: number, body: Shape<'Renewal'>) => Promise<unknown>;
  wish: (id: number, body: Shape<'LinkWishes'>) => Promise<unknown>;
  /** Has a link proved, and leads to where that is seen. */
  prove?: (id: number) => Promise<unknown>;
  /** Whether it is the owner, who alone opens what events are called. */
  owner: boolean;
  /** Leaves for a calendar host, to sign in there: for a link that is renewed, or a new one. Only whose calendars they are can do it. */
  signIn?: (host: number, link?: number) => Promise<void>;
}

export const deskDoors: LinkDoors = {
  owner: false,
  prove: async (id) => {
    await api.POST('/api/proofs', { body: { links: [id] } });
    location.assign(`/proofs?link=${id}`);
  },
  save: (id, body, version, copies) =>
    data(
      api.PUT('/api/calendars/{id}', {
        params: { path: { id }, query: { copies }, header: over(version) },
        body,
      }),
    ),
  remove: (id, copies) => api.DELETE('/api/links/{id}', { params: { path: { id }, query: { copies } } }),
  renew: (id, body) => api.POST('/api/links/{id}/key', { params: { path: { id } }, body }),
  wish: (id, body) => api.PUT('/api/links/{id}/wishes', { params: { path: { id } }, body }),
};

export const ownDoors: LinkDoors = {
  owner: true,
  save: (id, body, version, copies) =>
    data(
      api.PUT('/api/my/calendars/{id}', {
        params: { path: { id }, query: { copies }, header: over(version) },
        body,
      }),
    ),
  remove: (id, copies) => api.DELETE('/api/my/links/{id}', { params: { path: { id }, query: { copies } } }),
  renew: (id, body) => api.POST('/api/my/links/{id}/key', { params: { path: { id } }, body }),
  wish: (id, body) => api.PUT('/api/my/links/{id}/wishes', { params: { path: { id } }, body }),
  signIn: async (id, link) => {
    const to = await data(
      api.POST('/api/my/hosts/{id}/sign-in', { params: { path: { id }, query: { link } } }),
    );
    location.assign(to.address);
  },
};
