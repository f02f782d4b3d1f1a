import type { Shape } from '$lib/api/client';

type First = {
  slug: string;
  clock: '12' | '24';
  page?: Shape<'Page'>;
  collection?: Shape<'Collected'>;
};

/** What the server has put into the document: the page as most clients want it first. Nothing where it has not. */
function first(slug: string): First | undefined {
  try {
    const data = document.getElementById('first')?.textContent;
    const known = data ? (JSON.parse(data) as First) : undefined;
    return known?.slug === slug ? known : undefined;
  } catch {
    return undefined;
  }
}

/** The page that came along, where it is by this zone and clock. */
export function firstPage(slug: string, zone: string, clock: string): Shape<'Page'> | undefined {
  const known = first(slug);
  return known?.page?.zone === zone && known.clock === clock ? known.page : undefined;
}

/** The same of a page of several services. */
export function firstCollection(slug: string, zone: string, clock: string): Shape<'Collected'> | undefined {
  const known = first(slug);
  return known?.collection?.zone === zone && known.clock === clock ? known.collection : undefined;
}
