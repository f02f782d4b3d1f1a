import { expect, signIn, test } from "./niche";

// Each test changes something of its own in the demo, on days that no other test looks at.

test("a published calendar is linked by its address, and its events count as chosen", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/team/5/calendars`);
  await page.getByRole("button", { name: "Link a published calendar" }).click();
  const address = page.getByRole("textbox", { name: "iCalendar address" });
  const link = page.getByRole("button", { name: "Read and link it" });
  for (const [given, says] of [
    ["concerts.ics", "This is not a web address."],
    [
      `${demo.host}/public/noor@haddad.example/personal.ics`,
      "This calendar is not public.",
    ],
    [
      `${demo.host}/week/noor@haddad.example`,
      "Ask for the public iCalendar address.",
    ],
    ["https://127.0.0.1:9/hall.ics", "the server's own network"],
  ] as const) {
    await address.fill(given);
    await link.click();
    await expect(page.getByText(says)).toBeVisible();
    await expect(address).toHaveValue(given);
  }
  await address.fill(
    `${demo.host}/public/stage@cedar-hall.example/concerts.ics`,
  );
  await link.click();
  const feed = page.getByRole("listitem").filter({ hasText: "Cedar Hall" });
  await expect(feed).toContainText("4 events · 4 times blocked ahead");
  await expect(page.locator("body")).not.toContainText("stage@cedar-hall");
  await feed
    .getByRole("button", { name: "How events of Cedar Hall concerts count" })
    .click();
  await feed.getByLabel("Kept free before each event").selectOption("45");
  await expect(feed).toContainText(
    "Its events take their time and 45 min before, tentative and all-day ones too.",
  );
  await page.reload();
  await feed
    .getByRole("button", { name: "How events of Cedar Hall concerts count" })
    .click();
  await expect(feed.getByLabel("Kept free before each event")).toHaveValue(
    "45",
  );
});

test("the wall marks a booking on which a personal event has come", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(demo.address);
  const lane = page.getByRole("region", { name: /^Ilse Varga/ });
  await lane.getByRole("button", { name: /Greta Lunde/ }).click();
  const booking = page.getByRole("complementary", { name: "Booking" });
  await expect(booking).toContainText(
    "Busy 15:45–16:45 in “Personal” came on top of it.",
  );
  // The owner takes the event away again: the mark goes without reloading.
  await expect(page.getByText("a clash")).toBeVisible();
  const other = await page.context().newPage();
  await other.goto(`${demo.host}/week/ilse@varga.example`);
  await other.getByText("Boiler repair").click();
  await other.getByRole("button", { name: "Remove" }).click();
  await expect(page.getByText("a clash")).toHaveCount(0);
  await expect(booking).not.toContainText("came on top of it");
});
