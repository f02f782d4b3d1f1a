import { mount } from 'svelte';
import '../theme.css';
import Entrance from './Entrance.svelte';
import Invitation from './Invitation.svelte';
import Own from './Own.svelte';
import SignedIn from './SignedIn.svelte';

// An invitation to link a calendar leads here, a one-time address, the way back from a calendar host, and a staff member's own pages.
const [, kind, key = '', token = ''] = location.pathname.split('/');
const target = document.getElementById('app');
if (target) {
  if (kind === 'signed-in') mount(SignedIn, { target });
  else if (kind === 'link') mount(Invitation, { target, props: { token: decodeURIComponent(key) } });
  else if (key === 'in') mount(Entrance, { target, props: { token: decodeURIComponent(token) } });
  else mount(Own, { target, props: { here: key === 'calendars' || key === 'hours' ? key : 'day' } });
}
