// Shows a page of Niche inside another site, in a frame that grows with what it holds:
//
//   <script src="https://niche.example/embed.js" data-page="home-tuning" async></script>
//
// With data-over="Book a visit" it makes a button instead, and the page opens over the site. What stands in the
// site's own address as ?name=, ?mail=, ?phone=, ?with=, ?from= and ?answer.…= is handed on. The site is told what
// happens: events niche:opened, niche:chosen and niche:booked come to the element with data-page, and bubble.
(() => {
  const script = document.currentScript;
  const home = new URL(script.src).origin;
  const page = script.dataset.page;
  if (!page) return console.error('embed.js: data-page has to name a page');

  const address = new URL(`/book/${encodeURIComponent(page)}`, home);
  for (const [key, value] of new URLSearchParams(location.search))
    if (/^(name|mail|phone|with|from|answer\..+)$/.test(key)) address.searchParams.append(key, value);
  address.searchParams.set('site', location.origin);

  const frame = document.createElement('iframe');
  frame.title = script.dataset.title || 'Book a visit';
  frame.style.cssText = 'width:100%;border:0;min-height:480px;color-scheme:normal';
  frame.loading = 'lazy';
  frame.allow = 'clipboard-write';

  addEventListener('message', (e) => {
    // Only the frame's own page is listened to.
    if (e.origin !== home || e.source !== frame.contentWindow || typeof e.data?.niche !== 'string') return;
    if (e.data.niche === 'height') {
      if (!script.dataset.over)
        frame.style.height = `${Math.min(Math.max(Number(e.data.height) || 0, 200), 20000)}px`;
      return;
    }
    if (['opened', 'chosen', 'booked'].includes(e.data.niche))
      script.dispatchEvent(
        new CustomEvent(`niche:${e.data.niche}`, { bubbles: true, detail: e.data.detail }),
      );
  });

  if (!script.dataset.over) {
    frame.src = address;
    script.after(frame);
    return;
  }
  const button = document.createElement('button');
  button.type = 'button';
  button.textContent = script.dataset.over;
  const over = document.createElement('dialog');
  over.style.cssText =
    'width:min(1100px,96vw);height:92vh;max-height:none;padding:0;border:0;border-radius:16px 16px 4px 4px';
  const close = document.createElement('button');
  close.type = 'button';
  close.textContent = 'Close';
  close.style.cssText = 'position:absolute;top:10px;right:14px;z-index:1';
  close.addEventListener('click', () => over.close());
  frame.style.height = '100%';
  frame.loading = 'eager';
  over.append(close, frame);
  button.addEventListener('click', () => {
    if (!frame.src) frame.src = address;
    over.showModal();
  });
  script.after(button, over);
})();
