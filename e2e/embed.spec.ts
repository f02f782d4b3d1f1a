import { once } from "node:events";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { expect, morning, signIn, start, test } from "./niche";

test("a page stands in another site’s frame, grows with what it holds, and tells what happens", async ({
  page,
}) => {
  const niche = await start("--now", morning);
  try {
    await page.goto(`${niche.site}/?name=Ada%20Winter&colour=red`);
    const frame = page.frameLocator('iframe[title="Book a visit"]').first();
    await expect(frame.getByRole("heading", { level: 1 })).toContainText(
      "Home tuning",
    );
    const told = page.locator("#told");
    await expect(told).toContainText('opened {"page":"home-tuning"}');
    const height = () =>
      page
        .locator("iframe")
        .first()
        .evaluate((f) => f.getBoundingClientRect().height);
    // Nothing of it is cut off, and it has no scroll bar of its own.
    const held = () =>
      frame.locator("body").evaluate((b) => b.ownerDocument.body.scrollHeight);
    await expect(async () => {
      expect(await height()).toBeGreaterThan(500);
      expect(Math.abs((await height()) - (await held()))).toBeLessThan(4);
    }).toPass();
    await frame.locator(".soonest button").first().click();
    await expect(told).toContainText("chosen");
    await frame.getByRole("button", { name: "Continue" }).click();
    await expect(frame.getByLabel("Your name")).toHaveValue("Ada Winter");
    await frame.getByLabel("Mail address").fill("ada@clients.example");
    await frame.getByLabel("Where is it to be?").fill("12 Elm Row");
    await frame.getByRole("button", { name: "Book it" }).click();
    await expect(frame.getByRole("status")).toContainText("Booked");
    await expect(told).toContainText(/booked .*"status":"confirmed"/);
    // Over the site, when a button is pressed.
    await page
      .getByRole("button", { name: "Have it looked at by video" })
      .click();
    const over = page.getByRole("dialog").frameLocator("iframe");
    await expect(over.getByRole("heading", { level: 1 })).toContainText(
      "Video appraisal",
    );
    await page.getByRole("button", { name: "Close" }).click();
    await expect(page.getByRole("dialog")).toHaveCount(0);
    // The same site by another name is another site, and is not listed.
    const refused = page.waitForEvent("console", {
      predicate: (m) => m.text().includes("frame-ancestors"),
    });
    await page.goto(niche.site.replace("127.0.0.1", "localhost"));
    await refused;
    await expect(
      page
        .frameLocator('iframe[title="Book a visit"]')
        .first()
        .getByRole("heading", { level: 1 }),
    ).toHaveCount(0);
    await expect(page.locator("#told")).toContainText("Nothing has happened");
    // And nothing but pages can be framed at all.
    for (const path of ["/", "/my", "/bookings", "/book/nowhere"]) {
      const answer = await page.request.get(niche.address + path);
      expect(answer.headers()["content-security-policy"]).toMatch(
        /frame-ancestors '(none|self)'$/,
      );
    }
  } finally {
    await niche.stop();
  }
});

test("a page of several services stands in another site, and leads on to each of them there", async ({
  page,
}) => {
  const niche = await start("--now", morning);
  // A site that names the page as it would a service's.
  const server = createServer((_, res) =>
    res.setHeader("Content-Type", "text/html").end(`<!doctype html>
      <p id="told"></p>
      <script>
        for (const what of ["opened", "chosen"])
          addEventListener("niche:" + what, (e) => (told.textContent += what + JSON.stringify(e.detail)));
      </script>
      <script src="${niche.address}/embed.js" data-page="for-your-home"></script>`),
  ).listen(0, "127.0.0.1");
  await once(server, "listening");
  const site = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  try {
    await signIn(page, niche);
    await page.goto(`${niche.address}/pages`);
    await page.getByRole("link", { name: "Put services together" }).click();
    await page.getByLabel("Title", { exact: true }).fill("For your home");
    await page
      .locator("select")
      .filter({ hasText: "add a service" })
      .first()
      .selectOption("Care class");
    await page.getByLabel("Sites that may show").fill(site);
    await page.getByRole("button", { name: "Make the page" }).click();
    await expect(
      page.getByRole("link", { name: "/choose/for-your-home" }),
    ).toBeVisible();
    await page.goto(site);
    const frame = page.frameLocator('iframe[title="Book a visit"]');
    const told = page.locator("#told");
    await expect(told).toContainText('opened{"page":"for-your-home"}');
    await frame
      .getByRole("link", { name: /^Care class, / })
      .first()
      .click();
    await expect(frame.getByLabel("Your name")).toBeVisible();
    await expect(told).toContainText('opened{"page":"care-class"}');
    await expect(told).toContainText("chosen");
    await expect(async () => {
      const [height, held] = [
        await page
          .locator("iframe")
          .evaluate((f) => f.getBoundingClientRect().height),
        await frame
          .locator("body")
          .evaluate((b) => b.ownerDocument.body.scrollHeight),
      ];
      expect(Math.abs(height - held)).toBeLessThan(4);
    }).toPass();
  } finally {
    server.close();
    await niche.stop();
  }
});
