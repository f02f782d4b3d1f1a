import { mount } from 'svelte';
import '../theme.css';
import './book.css';
import Booking from './Booking.svelte';
import Choose from './Choose.svelte';
import Page from './Page.svelte';

// Three addresses lead here: a service's page, a page of several services, and a client's own booking.
const [, kind, key = ''] = location.pathname.split('/');
const target = document.getElementById('app');
if (target) {
  if (kind === 'booking') mount(Booking, { target, props: { token: decodeURIComponent(key) } });
  else if (kind === 'choose') mount(Choose, { target, props: { slug: decodeURIComponent(key) } });
  else mount(Page, { target, props: { slug: decodeURIComponent(key) } });
}
