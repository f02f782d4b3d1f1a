import { expect, morning, start, test } from "./niche";

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
