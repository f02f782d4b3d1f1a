import { mount } from 'svelte';
import '../theme.css';
import Booking from './Booking.svelte';
import Page from './Page.svelte';

// Two addresses lead here: a service's page, and a client's own booking.
const [, kind, key = ''] = location.pathname.split('/');
const target = document.getElementById('app');
if (target) {
  if (kind === 'booking') mount(Booking, { target, props: { token: decodeURIComponent(key) } });
  else mount(Page, { target, props: { slug: decodeURIComponent(key) } });
}
