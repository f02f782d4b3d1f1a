import { type Page } from "@playwright/test";
import { expect, signIn, test } from "./niche";
import { isSound, isSoundInDark } from "./sound";

// Nothing is changed here.

test("the wall shows a day, a week and a month", async ({ page, demo }) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/?date=2026-11-25`);
  await expect(
    page.getByRole("region", { name: /^Mara Quillon/ }),
  ).toBeVisible();
  await page.keyboard.press("w");
  await expect(page).toHaveURL(/view=week/);
  await expect(
    page.getByText("23–29 November 2026", { exact: true }),
  ).toBeVisible();
  await expect(
    page.getByRole("region", { name: /^Ilse Varga, Thu 26 Nov: 1 booked/ }),
  ).toBeVisible();
  await isSound(page);
  await isSoundInDark(page);
  await page.getByRole("button", { name: "Ilse Varga", exact: true }).click();
  await expect(
    page.getByRole("region", { name: /^Thu 26 Nov, 1 booked/ }),
  ).toContainText("Cedar Hall");
  await isSound(page);
  await isSoundInDark(page);
  await page.keyboard.press("ArrowRight");
  await expect(
    page.getByText("30 November – 6 December 2026", { exact: true }),
  ).toBeVisible();
  await page.keyboard.press("m");
  await expect(page.getByText("December 2026", { exact: true })).toBeVisible();
  await page.keyboard.press("ArrowLeft");
  await expect(page.getByText("November 2026", { exact: true })).toBeVisible();
  await expect(
    page.getByRole("button", {
      name: /^Bryn Castellane, Thu 26: .* booked, 1 h busy, of 7 h 45/,
    }),
  ).toBeVisible();
  await isSound(page);
  await isSoundInDark(page);
  await page.getByRole("button", { name: /^The team, Fri 27/ }).click();
  await expect(
    page.getByRole("heading", { name: "Friday 27 November 2026" }),
  ).toBeAttached();
});

test("the wall is moved by keys, jumps to a date, and keeps to the clock that was chosen", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(demo.address);
  const title = page.getByRole("heading", { level: 1 });
  await expect(title).toHaveText("Monday 23 November 2026");
  await page.keyboard.press("ArrowRight");
  await expect(title).toHaveText("Tuesday 24 November 2026");
  await page.keyboard.press("ArrowLeft");
  await page.keyboard.press("ArrowLeft");
  await expect(title).toHaveText("Sunday 22 November 2026");
  await page.keyboard.press("t");
  await expect(title).toHaveText("Monday 23 November 2026");
  await page.keyboard.press("j");
  const jump = page.getByLabel("Jump to a date");
  await expect(jump).toBeFocused();
  await jump.fill("2 dec");
  await jump.press("Enter");
  await expect(title).toHaveText("Wednesday 2 December 2026");
  await page.getByRole("button", { name: /^Clock of 24 hours/ }).click();
  await expect(
    page.getByRole("button", { name: /^Tess Arden, 10:30 am–12:00 pm/ }),
  ).toBeVisible();
  await page.reload();
  await expect(page.getByText("10am").first()).toBeVisible();
  await page.getByRole("button", { name: /^Clock of 12 hours/ }).click();
  await page.getByRole("button", { name: /Tess Arden/ }).click();
  await expect(
    page.getByRole("complementary", { name: "Booking" }),
  ).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(
    page.getByRole("complementary", { name: "Booking" }),
  ).toHaveCount(0);
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog", { name: "Keys" })).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("dialog", { name: "Keys" })).toBeHidden();
});

test("rooms and equipment have lanes of their own, and the day prints on one page", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/?date=2026-11-30`);
  const bay = page.getByRole("region", { name: /^Bay .*, workshop bay/ });
  await expect(bay).toHaveCount(2);
  await expect(bay.getByRole("button", { name: /Priory School/ })).toHaveCount(
    1,
  );
  await expect(
    page.getByRole("region", { name: "The van, van" }).getByRole("button"),
  ).toHaveCount(0);
  const pages = (await page.pdf({ preferCSSPageSize: true }))
    .toString("latin1")
    .match(/\/Type\s*\/Page\b/g);
  expect(pages).toHaveLength(1);
  // Beyond the booking window the wall of those who perform the service ends.
  await page.goto(`${demo.address}/?date=2027-03-01&service=1`);
  await expect(
    page.getByRole("region", { name: /^Mara Quillon/ }).locator(".wall-end"),
  ).toBeVisible();
});

test("the wall is read by the business’s clock or by each person’s own", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/?date=2026-11-24&service=3`);
  const noor = page.getByRole("region", { name: /^Noor Haddad/ });
  const weil = noor.getByRole("button", { name: /^Jonas Weil/ });
  await expect(weil).toHaveAccessibleName(/14:00–14:30/);
  await page.getByLabel("By the clock").selectOption("of each person");
  await expect(weil).toHaveAccessibleName(/10:30–11:00/);
  await page.keyboard.press("w");
  await expect(
    page
      .getByRole("region", { name: /^Noor Haddad, Tue 24 Nov/ })
      .getByRole("button", { name: /10:30–11:00/ }),
  ).toBeVisible();
  await page.reload();
  await expect(page.getByLabel("By the clock")).toHaveValue("person");
  await isSound(page);
  await page.keyboard.press("d");
  await page.getByLabel("By the clock").selectOption("of the business");
  await expect(weil).toHaveAccessibleName(/14:00–14:30/);
  // A start is reached by keys, across lanes too; what it is stands on a card beside it.
  await noor
    .getByRole("button", { name: /is offered$/ })
    .first()
    .focus();
  await page.keyboard.press("ArrowRight");
  const card = page.getByRole("tooltip");
  await expect(card).toContainText("is offered");
  await page.keyboard.press("ArrowUp");
  await expect(
    page
      .getByRole("region", { name: /^Ansel Okoro/ })
      .locator("button.tick:focus"),
  ).toHaveCount(1);
  await page.keyboard.press("Escape");
  await expect(card).toHaveCount(0);
  await weil.hover();
  await expect(card).toContainText("with buffers 13:55–14:35");
});

test("what meets stands apart, and the week opens bookings and questions", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/?date=2026-11-26`);
  const mara = page.getByRole("region", { name: /^Mara Quillon/ });
  const [family, work] = await Promise.all(
    ["Family", "Work"].map((name) =>
      mara.locator(".bricks").filter({ hasText: name }).last().boundingBox(),
    ),
  );
  expect(family && work && family.y + family.height <= work.y + 1).toBe(true);
  await page.goto(`${demo.address}/?view=week&date=2026-11-26&service=1`);
  const cell = page.getByRole("region", { name: /^Bryn Castellane, Thu 26/ });
  await cell.locator(".solid").click();
  const booking = page.getByRole("complementary", { name: "Booking" });
  await expect(booking).toContainText("Sunniva Berg");
  await expect(booking).toContainText("Thursday, 26 November 2026");
  await cell.locator(".bricks").click();
  await expect(page.getByRole("complementary", { name: "Why" })).toContainText(
    "Home tuning with Bryn Castellane",
  );
  await expect(page).toHaveURL(/view=week/);
});
