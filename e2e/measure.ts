import { expect, morning, start, test } from "./niche";

/** Chromium's own throttling of a slow telephone: a quarter of the processor, 1.6 Mbit/s, 150 ms there and back. */
const slow = {
  offline: false,
  latency: 150,
  downloadThroughput: 1_600_000 / 8,
  uploadThroughput: 750_000 / 8,
};

test("how soon the first starts stand on a slow telephone", async ({
  browser,
}) => {
  const niche = await start("--now", morning);
  const say = (...words: unknown[]) =>
    process.stdout.write(`${words.join(" ")}\n`);
  try {
    for (const path of ["/book/home-tuning", "/choose/all-we-do"]) {
      const times: number[] = [];
      let bytes = 0;
      for (let run = 0; run < 7; run++) {
        const context = await browser.newContext({
          viewport: { width: 390, height: 844 },
          timezoneId: "Europe/Dublin",
          locale: "en-GB",
        });
        const page = await context.newPage();
        const cdp = await context.newCDPSession(page);
        await cdp.send("Network.enable");
        await cdp.send("Network.emulateNetworkConditions", slow);
        await cdp.send("Emulation.setCPUThrottlingRate", { rate: 4 });
        bytes = 0;
        cdp.on(
          "Network.loadingFinished",
          (e) => (bytes += e.encodedDataLength),
        );
        await page.addInitScript(() => {
          const seen = new MutationObserver(() => {
            if (!document.querySelector(".token, .start, [data-start]")) return;
            seen.disconnect();
            requestAnimationFrame(() =>
              requestAnimationFrame(() => performance.mark("starts")),
            );
          });
          seen.observe(document, { childList: true, subtree: true });
        });
        await page.goto(niche.address + path, { waitUntil: "commit" });
        await expect
          .poll(() =>
            page.evaluate(() => performance.getEntriesByName("starts").length),
          )
          .toBe(1);
        times.push(
          await page.evaluate(
            () => performance.getEntriesByName("starts")[0]?.startTime ?? 0,
          ),
        );
        await context.close();
      }
      times.sort((a, b) => a - b);
      say(
        path,
        `median ${Math.round(times[3] ?? 0)} ms, from ${Math.round(times[0] ?? 0)} to ${Math.round(times[6] ?? 0)} ms,`,
        `${Math.round(bytes / 1024)} kB over the line`,
      );
    }
  } finally {
    await niche.stop();
  }
});
