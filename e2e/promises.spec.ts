import type { Page } from "@playwright/test";
import { expect, signIn, start, test, type Niche } from "./niche";
import { isSound } from "./sound";

// A desk of its own: here much is changed, and two people sit at it.

let niche: Niche & { stop: () => Promise<void> };
test.describe.configure({ mode: "serial" });
test.beforeAll(async () => {
  niche = await start("--now", "2026-11-23T08:00:00Z", "--poll", "10m");
});
test.afterAll(() => niche.stop());

/** Two people who have opened the same. */
async function two(page: Page, path: string): Promise<[Page, Page]> {
  await signIn(page, niche);
  const other = await page.context().newPage();
  for (const p of [page, other]) await p.goto(niche.address + path);
  return [page, other];
}

test("two who save the same hours see both versions, and merge them", async ({
  page,
}) => {
  const [mine, theirs] = await two(page, "/team/1");
  const monday = (p: Page) => p.getByLabel("Monday hours 1, from");
  await monday(mine).fill("07:15");
  await theirs.getByLabel("Friday hours 1, from").fill("07:45");
  const save = (p: Page) => p.getByRole("button", { name: "Save the hours" });
  const role = (p: Page) => p.getByRole("status").filter({ hasText: "Saved" });
  await save(theirs).click();
  await expect(role(theirs)).toBeVisible();
  await save(mine).click();
  const both = mine.getByRole("alert", { name: "Two versions" });
  await expect(both).toBeInViewport({ ratio: 0.9 });
  await expect(both.getByRole("row")).toHaveCount(3);
  await isSound(mine);
  await both.getByRole("button", { name: "Save what is chosen" }).click();
  await expect(role(mine)).toBeVisible();
  await expect(both).toHaveCount(0);
  await expect(mine.getByLabel("Friday hours 1, from")).toHaveValue("07:45");
  await expect(monday(theirs)).toHaveValue("07:15"); // it follows by itself
});

test("a service that two change is taken as theirs, or mine is put over it", async ({
  page,
}) => {
  const [mine, theirs] = await two(page, "/services/2");
  const place = (p: Page) => p.getByLabel("Place, as clients read it");
  const save = (p: Page) =>
    p.getByRole("button", { name: "Save", exact: true });
  const both = mine.getByRole("alert", { name: "Two versions" });
  for (const [button, last] of [
    ["Take theirs", "At the harbour"],
    ["Put mine over it", "At home 2"],
  ] as const) {
    await place(mine).fill(`At home ${last.at(-1)}`);
    await place(theirs).fill("At the harbour");
    await theirs.getByLabel("Paused for now").setChecked(last.length > 10);
    await save(theirs).click();
    await expect(save(theirs)).toBeDisabled();
    await save(mine).click();
    await both.getByRole("button", { name: button }).click();
    await expect(both).toHaveCount(0);
    await expect(place(mine)).toHaveValue(last);
    await expect(save(mine)).toBeDisabled();
    await expect(place(theirs)).toHaveValue(last);
  }
});

test("a late answer about one person fills nothing of another", async ({
  page,
}) => {
  await signIn(page, niche);
  let release: () => void = () => undefined;
  const held = new Promise<void>((free) => (release = free));
  await page.route("**/api/staff/3/hours", async (route) => {
    await held;
    await route.continue();
  });
  await page.goto(`${niche.address}/team`);
  const asked = page.waitForRequest("**/api/staff/3/hours");
  await page.getByRole("link", { name: "Bryn Castellane" }).click();
  await asked;
  await page.goBack();
  await page.getByRole("link", { name: "Mara Quillon" }).click();
  const monday = page.getByLabel("Monday hours 1, from");
  await expect(monday).toHaveValue("07:15");
  const answered = page.waitForResponse("**/api/staff/3/hours");
  release();
  await (await answered).finished();
  await expect(monday).toHaveValue("07:15");
  await expect(
    page.getByRole("button", { name: "Save the hours" }),
  ).toBeDisabled();
});

test("a booking whose answer was lost is booked once, and its link is known", async ({
  page,
}) => {
  await page.goto(`${niche.address}/book/home-tuning`);
  await page
    .getByRole("region", { name: "Tomorrow" })
    .getByRole("button")
    .first()
    .click();
  await page.getByRole("button", { name: "Continue" }).click();
  await page.getByLabel("Your name").fill("Rosa Osei");
  await page.getByLabel("Mail address").fill("rosa@clients.example");
  await page.getByLabel("Where is it to be?").fill("12 Elm Row");
  let cut = true;
  await page.route("**/bookings", async (route) => {
    if (!cut) return route.continue();
    cut = false;
    await route.fetch(); // it arrives, and the answer does not
    await route.abort("connectionreset");
  });
  await page.getByRole("button", { name: "Book it" }).click();
  await expect(page.getByText("Niche does not answer.")).toBeVisible();
  await page.getByRole("button", { name: "Book it" }).click();
  await expect(page.getByRole("status")).toHaveText("Booked");
  await page.getByRole("link", { name: /\/booking\// }).click();
  await expect(
    page.getByRole("heading", { name: "Your booking" }),
  ).toBeVisible();
  await expect(page.getByText("Rosa Osei")).toBeVisible();
});

test("the wall tells why a booking was sold, by the rules of that time", async ({
  page,
}) => {
  await signIn(page, niche);
  await page.goto(`${niche.address}/?date=2026-11-24`);
  await page.getByRole("button", { name: /^Rosa Osei/ }).click();
  const booking = page.getByRole("complementary", { name: "Booking" });
  await booking.getByRole("button", { name: "why was this sold?" }).click();
  await expect(booking).toContainText("Every calendar that blocks was read");
  await expect(booking).toContainText("4 h of notice is asked");
  await isSound(page);
});

test("what becomes of copies is asked, when a calendar gets no more and when a link goes", async ({
  page,
}) => {
  await signIn(page, niche);
  await page.goto(`${niche.address}/team/3/calendars`);
  const gets = page.getByRole("switch", {
    name: "Gets bookings",
    checked: true,
  });
  await gets.click();
  await page.getByRole("button", { name: "Go on writing there" }).click();
  await expect(gets).toBeVisible();
  await page.getByRole("button", { name: "unlink" }).click();
  await isSound(page);
  await page
    .getByRole("button", { name: "Unlink, and remove the copies" })
    .click();
  await expect(page.getByText("No calendar is linked")).toBeVisible();
  const outside = await page.context().newPage();
  await outside.goto(
    `${niche.host.replace(/\/$/, "")}/week/bryn@castellane.example`,
  );
  await expect(outside.getByText("Home tuning ·")).toHaveCount(0);
});
