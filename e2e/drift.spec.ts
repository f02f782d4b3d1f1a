import { expect, morning, signIn, start, test } from "./niche";
import { isSound } from "./sound";

test("a visit that its owner moves outside is told on the wall and in the own day, and settled", async ({
  page,
  browser,
}) => {
  const niche = await start("--now", morning);
  try {
    await signIn(page, niche);
    // The other side: Bryn moves the visit of Tuesday morning to the late afternoon.
    const outside = await browser.newPage();
    await outside.goto(
      `${niche.host}/week/bryn@castellane.example?week=2026-11-23`,
    );
    await outside.getByRole("link", { name: /Dara Flynn/ }).click();
    const form = outside.getByRole("form", { name: "Change the event" });
    await form.getByLabel("From").fill("16:00");
    await form.getByLabel("To").fill("17:30");
    await form.getByRole("button", { name: "Save" }).click();

    await page.goto(`${niche.address}/?date=2026-11-24`);
    const visit = page.getByRole("button", { name: /Dara Flynn/ });
    await expect(
      visit.getByRole("img", { name: "copy changed outside" }),
    ).toBeVisible();
    await visit.click();
    const panel = page.getByRole("complementary", { name: "Booking" });
    await expect(panel.getByText("it lies at 16:00–17:30")).toBeVisible();
    await isSound(page);
    await panel.screenshot({
      path: process.env.SHOT ?? "/dev/null",
      type: "png",
    });
    await panel
      .getByRole("button", { name: "The booking: put the copy right" })
      .click();
    await expect(
      visit.getByRole("img", { name: "copy read back" }),
    ).toBeVisible();

    // Now the calendar holds.
    await outside.reload();
    await outside.getByRole("link", { name: /Dara Flynn/ }).click();
    await form.getByLabel("From").fill("15:30");
    await form.getByLabel("To").fill("17:00");
    await form.getByRole("button", { name: "Save" }).click();
    await panel
      .getByRole("button", { name: /The calendar: move the booking to 15:30/ })
      .click();
    await expect(
      page.getByRole("button", {
        name: /15:30–17:00.*Dara Flynn|Dara Flynn.*15:30/,
      }),
    ).toBeVisible();

    // From now on it is put back by itself.
    await page.goto(`${niche.address}/team/3/calendars`);
    const what = page.getByLabel("when it is changed in the calendar");
    await what.selectOption("put it back");
    await expect(page.getByRole("status").getByText("Saved")).toBeAttached();
    await page.reload();
    await expect(what).toHaveValue("put back");
    await isSound(page);
  } finally {
    await niche.stop();
  }
});
