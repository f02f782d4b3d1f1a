import { expect, signIn, test } from "./niche";
import { isSound, isSoundInDark } from "./sound";

// Each test changes something of its own in the demo, on days that no other test looks at.

/** One start for each reason: the service, whose start, the rule that refuses, and what it says. */
const reasons = [
  ["past", 1, "2@2026-11-23T09:00:00Z", "Ahead", "It is already"],
  ["notice", 1, "2@2026-11-23T11:30:00Z", "Notice", "4 h of notice is asked"],
  ["window", 1, "1@2027-02-15T10:00:00Z", "Booking window", "Bookable until"],
  ["outside-hours", 1, "2@2026-11-23T20:00:00Z", "Hours", "no hours at this"],
  ["busy", 1, "3@2026-11-23T14:30:00Z", "Personal time", "14:15–15:30 in “Fam"],
  [
    "booked",
    1,
    "4@2026-11-23T15:30:00Z",
    "Other bookings",
    "Greta Lunde, Home",
  ],
  ["places", 1, "4@2026-11-23T15:00:00Z", "Places", "1 of 1 places taken"],
  ["cap", 5, "4@2026-11-24T16:30:00Z", "Cap", "1 of at most 1 visits"],
  [
    "resource",
    6,
    "2@2026-12-02T15:00:00Z",
    "Rooms and equipment",
    "The van: Marta",
  ],
] as const;

test("the wall tells why, for each reason", async ({ page, demo }) => {
  await signIn(page, demo);
  const why = page.getByRole("complementary", { name: "Why" });
  for (const [code, service, what, rule, says] of reasons) {
    const date = what.slice(2, 12);
    await page.goto(
      `${demo.address}/?service=${service}&date=${date}&why=${encodeURIComponent(what)}`,
    );
    await expect(why).toContainText("It is not offered");
    const refused = why.locator("li.refused").filter({ hasText: rule });
    await expect(refused, code).toContainText(says);
  }
  await isSound(page);
  await isSoundInDark(page);
  // What is in the way is one step away, and its address can be sent on too.
  await why.getByRole("link", { name: /^The van: Marta Quist/ }).click();
  const booking = page.getByRole("complementary", { name: "Booking" });
  await expect(booking).toContainText("Marta Quist");
  await page.reload();
  await expect(booking).toContainText("Also");
  await page.keyboard.press("Escape");
  await expect(booking).toHaveCount(0);
});

test("why is asked in a person’s own week, and in a service’s day by rules that are not saved", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/team/4/week?service=2`);
  await expect(page.getByText(/^6 visits in the week of/)).toBeVisible();
  const thursday = page.getByRole("region", { name: /^Thu 26 Nov, 1 booked/ });
  await thursday.locator(".bricks").click();
  const why = page.getByRole("complementary", { name: "Why" });
  await expect(why.locator("li.refused").first()).toContainText("“Personal”");
  await expect(page).toHaveURL(/why=4(@|%40)2026-11-26T1/);
  await thursday.getByRole("button", { name: /Cedar Hall/ }).click();
  await expect(
    page.getByRole("complementary", { name: "Booking" }),
  ).toContainText("Thursday, 26 November 2026");
  await isSound(page);
  await page.getByRole("button", { name: "Week after" }).click();
  await expect(
    page.getByRole("region", { name: /^Mon 30 Nov, 1 booked/ }),
  ).toContainText("1/8");

  await page.goto(`${demo.address}/services/1`);
  await page
    .getByRole("button", { name: /^Thursday 3 December: .* offered/ })
    .click();
  const lane = page.getByRole("region", { name: /^Ansel Okoro,/ });
  await lane.getByRole("button", { name: "10:30 is offered" }).click();
  await expect(why.getByRole("status")).toHaveText("It is offered.");
  await page.getByLabel("Lasts").fill("200");
  await expect(why.getByRole("status")).toHaveText("It would not be offered.");
  await expect(why).toContainText("10:30–13:50 is needed");
  await expect(why).toContainText("The values in the form");
  // A way out of the form opens beside it: what was typed is not lost.
  await expect(
    why.getByRole("link", { name: /^Pattern from/ }),
  ).toHaveAttribute("target", "_blank");
  await expect(lane.getByRole("button", { name: /^10:30: / })).toBeVisible();
  await isSound(page);
});

test("a gap is clicked, a nearest start followed and booked, and the address can be sent on", async ({
  page,
  demo,
  context,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/?service=1&date=2026-12-03`);
  const lane = page.getByRole("region", { name: /^Bryn Castellane/ });
  await lane.locator(".bricks").first().click();
  const why = page.getByRole("complementary", { name: "Why" });
  await expect(why).toContainText("Personal time");
  await expect(page).toHaveURL(/why=3(@|%40)2026-12-03T1/);
  const other = await context.newPage();
  await other.goto(page.url());
  await expect(other.getByRole("complementary", { name: "Why" })).toContainText(
    "Home tuning with Bryn Castellane",
  );
  await other.close();
  await why
    .getByRole("button", { name: /^Thu 3 Dec/ })
    .first()
    .click();
  await expect(why.getByRole("status")).toHaveText("It is offered.");
  await why.getByRole("button", { name: "Book this start…" }).click();
  await why.getByRole("button", { name: "Book it" }).click();
  await expect(why.getByRole("alert").first()).toBeVisible();
  await why.getByLabel("Client’s name").fill("Wilma Roth");
  await why.getByLabel("Mail address").fill("wilma@clients.example");
  await why.getByRole("button", { name: "Book it" }).click();
  await expect(why.getByRole("status")).toContainText("Booked, reference");
  await expect(lane.getByRole("button", { name: /Wilma Roth/ })).toBeVisible();
  // The sill is walked by keys.
  await page.goto(`${demo.address}/?service=1&date=2026-12-10`);
  await lane
    .getByRole("button", { name: /is offered$/ })
    .first()
    .focus();
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("Enter");
  await expect(why).toContainText("Home tuning with Bryn Castellane");
});

test("a service shows what an unsaved change wins or loses", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/services/1`);
  const effect = page.getByRole("status", { name: "Effect of the change" });
  await expect(effect).toContainText("What is saved offers");
  const answered = page.waitForResponse(/services\/preview/);
  await page.getByLabel("Buffer before").fill("60");
  await answered;
  await expect(effect).toContainText(/This change loses \d+ starts/);
  await expect(page.getByText(/would no longer fit/)).toBeVisible();
  const budget = page.getByRole("group", { name: "Slot budget" });
  await budget.getByRole("button", { name: /^personal: costs/ }).click();
  const first = page.getByRole("button", { name: /^Mon 23 Nov, / }).first();
  await expect(first).toBeVisible();
  await isSound(page);
  await isSoundInDark(page);
  await page.getByLabel("Buffer before").fill("20");
  await expect(effect).toContainText("What is saved offers");
  await page.getByLabel("As if it were, day").fill("30 nov");
  await page
    .getByRole("button", { name: /^Monday 30 November: .* offered/ })
    .click();
  await expect(
    page.getByRole("region", { name: "Offered on Monday 30 November" }),
  ).toContainText("13:00");
  await isSound(page);
  await isSoundInDark(page);
  await page.getByRole("button", { name: "now again" }).click();
  // Values that cannot be tried are no picture of the form.
  await page
    .getByLabel("Notice", { exact: true })
    .selectOption("by a time of day,");
  await page.getByLabel("By", { exact: true }).fill("6pm");
  await expect(
    page.getByText("What is shown here is of the values before."),
  ).toBeVisible();
  await page.getByRole("button", { name: "Discard" }).click();
  await expect(
    page.getByText("What is shown here is of the values before."),
  ).toHaveCount(0);
  await expect(effect).toContainText("What is saved offers");
  await budget.getByRole("button", { name: /^personal: costs/ }).click();
  await budget.getByRole("button", { name: /^personal: costs/ }).click();
  await first.click();
  await expect(page.getByRole("complementary", { name: "Why" })).toContainText(
    "Personal time",
  );
});
