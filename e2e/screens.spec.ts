import { expect, signIn, test } from "./niche";
import { fits, isSound, isSoundInDark } from "./sound";

const screens = [
  { path: "/", shows: "Mara Quillon" },
  { path: "/attention", shows: "calendars in use can be read" },
  { path: "/team", shows: "Bookings go to Work" },
  { path: "/team/1", shows: "Save the hours" },
  { path: "/team/1/week", shows: "8 visits in the week of" },
  { path: "/team/1/details", shows: "No cap on visits a day." },
  { path: "/team/3/calendars", shows: "block Bryn’s time" },
  { path: "/team/6/calendars", shows: "Ask Piet to link by mail" },
  { path: "/services", shows: "Concert tuning" },
  { path: "/services/1", shows: "Who performs it" },
  { path: "/house", shows: "Stocktaking" },
  { path: "/bookings", shows: "Lou Verne" },
  { path: "/bookings/1", shows: "Where it stands outside" },
  { path: "/bookings/new", shows: "For a client who rings" },
  { path: "/clients", shows: "Ada Winter" },
  { path: "/clients/1", shows: "All we hold" },
  { path: "/pages", shows: "Put services together" },
  { path: "/pages/1", shows: "another heading" },
  { path: "/proofs", shows: "Prove everyone" },
  { path: "/settings", shows: "Zone data" },
  { path: "/health", shows: "Calendars’ health" },
  { path: "/begin", shows: "All is set up, and proved" },
  { path: "/trail", shows: "took the booking" },
  { path: "/enter/none", shows: "This way is closed", phone: true },
  { path: "/link/none", shows: "This way is closed", phone: true },
  { path: "/my", shows: "Your own pages", phone: true },
  { path: "/nowhere", shows: "There is nothing at this address" },
  { path: "/book/home-tuning", shows: "Soonest", phone: true },
  { path: "/book/care-class", shows: "For", phone: true },
  { path: "/choose/all-we-do", shows: "From afar", phone: true },
  { path: "/book/none", shows: "There is no such page", phone: true },
  { path: "/booking/none", shows: "There is no such booking", phone: true },
];

for (const { path, shows, phone } of screens) {
  test(`${path} is sound for everybody`, async ({ page, demo }) => {
    const strange: string[] = [];
    page.on("pageerror", (e) => strange.push(e.message));
    await signIn(page, demo);
    await page.goto(demo.address + path);
    await expect(page.getByText(shows).first()).toBeVisible();
    await isSound(page);
    await isSoundInDark(page);
    await page.setViewportSize({ width: 390, height: 844 });
    if (phone) await isSound(page);
    else await fits(page);
    expect(strange).toEqual([]);
  });
}

test("signing in is sound for everybody", async ({ page, demo }) => {
  await page.goto(demo.address);
  await page.getByLabel("Mail address").fill("admin@quillon.example");
  await page.getByLabel("Password").fill("a guess");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByText("do not belong together")).toBeVisible();
  await isSound(page);
  await isSoundInDark(page);
});

test("the client’s page is used by keyboard alone, in another zone", async ({
  page,
  demo,
}) => {
  await page.goto(`${demo.address}/book/video-appraisal`);
  await page.getByLabel("Times for").selectOption("America/St_Johns");
  const start = page
    .getByRole("region", { name: "Tomorrow" })
    .getByRole("button")
    .first();
  await expect(start).toHaveText("08:00");
  await start.focus();
  await page.keyboard.press("Enter");
  await expect(start).toHaveAttribute("aria-pressed", "true");
  await expect(page.getByRole("region", { name: "Chosen" })).toContainText(
    "Tuesday 24 November, 08:00–08:30",
  );
  await page.getByRole("button", { name: "12 h" }).click();
  await expect(start).toHaveText("8:00 am");
  await page.getByRole("button", { name: "afternoons" }).click();
  await expect(page.getByRole("button", { name: "8:00 am" })).toHaveCount(0);
});
