import { expect, morning, start, test } from "./niche";
import { fits, isSound, isSoundInDark } from "./sound";

test("a fresh install is led from nothing to a proof", async ({
  page,
  browser,
}) => {
  const niche = await start("--now", morning, "--empty");
  try {
    await page.goto(niche.address);
    await page.getByLabel("Set-up code").fill(niche.code);
    await page.getByLabel("Business").fill("Harp Works");
    await page.getByLabel("Your name").fill("Ada Winter");
    await page.getByLabel("Mail address").fill("ada@harps.example");
    await page.getByLabel("Password").fill("strings and pedals");
    await page.getByRole("button", { name: "Set up" }).click();
    await expect(page.getByText("Setting up: 1 of 8 done.")).toBeVisible();
    await page.getByRole("link", { name: "Begin, step by step" }).click();
    const step = page.getByRole("region", { name: "Step" });
    await step.getByLabel("Name").fill("Bryn Castellane");
    await step.getByRole("button", { name: "Add them" }).click();
    await isSound(page);
    await isSoundInDark(page);
    await step.getByRole("button", { name: "Take these" }).click();
    await step.getByRole("button", { name: "Make the address" }).click();
    const address = await page
      .getByText(/http:\/\/127\.0\.0\.1:\d+\/link\//)
      .textContent();

    // The person, in a browser of their own.
    const own = await (await browser.newContext()).newPage();
    await own.goto(address?.trim() ?? "");
    await own.getByRole("button", { name: "Begin" }).click();
    await own.getByRole("button", { name: "Use an app password" }).click();
    await own.getByLabel("Host or CalDAV address").fill(niche.host);
    await own.getByLabel("User").fill("bryn@castellane.example");
    await own.getByLabel("App password").fill("app-Bryn-6043");
    await own
      .getByRole("button", { name: "Sign in and find my calendars" })
      .click();
    await expect(own.getByText("Gets bookings").first()).toBeVisible();

    // The desk goes on by itself.
    const choose = step.getByRole("listitem").filter({ hasText: "Work" });
    await choose.getByRole("switch", { name: "Gets bookings" }).click();
    await step.getByLabel("What it is called").fill("Harp tuning");
    await step.getByRole("button", { name: "Add it, with Bryn" }).click();
    await step.getByRole("button", { name: "leave it out" }).click();
    await step.getByRole("button", { name: "Prove now" }).click();
    await expect(page.getByText("All is set up, and proved")).toBeVisible();
    await page.setViewportSize({ width: 390, height: 844 });
    await fits(page);
    await page.getByRole("link", { name: "To the wall" }).click();
    await expect(
      page.getByRole("link", { name: "Bryn Castellane", exact: true }),
    ).toBeVisible();
    await expect(page.getByText("Setting up:")).toHaveCount(0);
  } finally {
    await niche.stop();
  }
});
