/** For whom the desk books, as it is typed. */
export type ForWhom = { name: string; mail: string; phone: string; address: string };

/** The same as a booking is asked for: what is empty, or not asked where the visit is, is left out. */
export function clientOf(who: ForWhom, venue: string | undefined) {
  return {
    name: who.name,
    email: who.mail,
    ...(who.phone ? { phone: who.phone } : {}),
    ...(venue === 'theirs' && who.address ? { address: who.address } : {}),
  };
}
