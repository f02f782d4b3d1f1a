import { mount } from 'svelte';
import '../theme.css';
import Invitation from './Invitation.svelte';
import Own from './Own.svelte';

// Two addresses lead here: an invitation to link a calendar, and a staff member's own pages.
const [, kind, key = ''] = location.pathname.split('/');
const target = document.getElementById('app');
if (target) {
  if (kind === 'link') mount(Invitation, { target, props: { token: decodeURIComponent(key) } });
  else mount(Own, { target, props: { here: key === 'calendars' ? 'calendars' : 'day' } });
}
