import { createRouter } from 'sv-router';
import Wall from './routes/Wall.svelte';

export const { p, navigate, route, isActive } = createRouter({
  '/': Wall,
  '/attention': () => import('./routes/Attention.svelte'),
  '/team': () => import('./routes/Team.svelte'),
  '/team/:id': () => import('./routes/PersonHours.svelte'),
  '/team/:id/week': () => import('./routes/PersonWeek.svelte'),
  '/team/:id/calendars': () => import('./routes/PersonCalendars.svelte'),
  '/team/:id/away': () => import('./routes/PersonAway.svelte'),
  '/team/:id/details': () => import('./routes/PersonDetails.svelte'),
  '/services': () => import('./routes/Services.svelte'),
  '/services/:id': () => import('./routes/Service.svelte'),
  '/house': () => import('./routes/House.svelte'),
  '/bookings': () => import('./routes/Bookings.svelte'),
  '/bookings/new': () => import('./routes/NewBooking.svelte'),
  '/bookings/:id': () => import('./routes/Booking.svelte'),
  '/clients': () => import('./routes/Clients.svelte'),
  '/clients/:id': () => import('./routes/Client.svelte'),
  '/pages': () => import('./routes/Pages.svelte'),
  '/pages/:id': () => import('./routes/Collection.svelte'),
  '/proofs': () => import('./routes/Proofs.svelte'),
  '/health': () => import('./routes/Health.svelte'),
  '/begin': () => import('./routes/Begin.svelte'),
  '/settings': () => import('./routes/Settings.svelte'),
  '/trail': () => import('./routes/Trail.svelte'),
  '*': () => import('./routes/Nowhere.svelte'),
});
