import { mount } from 'svelte';
import './book.css';
import Choose from './Choose.svelte';
import Page from './Page.svelte';

// Three addresses lead here: a service's page, a page of several services, and a client's own booking.
const [, kind, key = ''] = location.pathname.split('/');
const slug = decodeURIComponent(key);
const target = document.getElementById('app');
if (target) {
  // What the server has shown first is taken over, in one stroke.
  if (kind === 'booking')
    void import('./Booking.svelte').then((own) => mount(own.default, { target, props: { token: slug } }));
  else {
    target.replaceChildren();
    mount(kind === 'choose' ? Choose : Page, { target, props: { slug } });
  }
}
