import { expect, morning, signIn, start, test } from "./niche";
import { fits, isSound, isSoundInDark } from "./sound";

test("a booking is found, moved, noted, overruled and booked again at the desk", async ({
  page,
}) => {
  const niche = await start("--now", morning);
  try {
    await signIn(page, niche);
    await page.goto(`${niche.address}/bookings`);
    await expect(page.getByRole("row")).toHaveCount(42);
    await page.getByLabel("Find by name").fill("berg sun");
    await expect(page.getByRole("row")).toHaveCount(2);
    const file = page.getByRole("link", { name: "table (CSV)" });
    await page.getByText("As a file").click();
    const csv = await page.request.get(
      niche.address + (await file.getAttribute("href")),
    );
    expect(await csv.text()).toContain("Sunniva Berg");
    await page.getByText("Columns").click();
    await page.getByLabel("reference", { exact: true }).check();
    await expect(
      page.getByRole("columnheader", { name: "Reference" }),
    ).toBeVisible();
    await page.getByRole("link", { name: "Sunniva Berg" }).click();

    await expect(
      page.getByRole("heading", { name: "Sunniva Berg, Home tuning" }),
    ).toBeVisible();
    await isSound(page);
    await isSoundInDark(page);
    await page.getByRole("button", { name: "why was this sold?" }).click();
    await expect(page.getByText("Decided on Monday 16 November")).toBeVisible();
    await page.getByRole("button", { name: "Note…" }).click();
    await page.getByLabel("Note, which no client sees").fill("The dog bites");
    await page.getByRole("button", { name: "Keep it" }).click();
    await expect(page.getByText("The dog bites")).toBeVisible();
    await page.getByRole("button", { name: "Move, or hand over…" }).click();
    const move = page.getByRole("region", { name: "Move" });
    await move
      .getByRole("button", { name: /^Give it to Mara/ })
      .first()
      .click();
    await move.getByRole("button", { name: "Move it", exact: true }).click();
    await expect(
      page.getByText(/with Mara Quillon, (at your place|12 Elm Row)/),
    ).toBeVisible();
    await expect(page.getByText("Moved by Mara Quillon")).toBeVisible();
    await page.getByRole("button", { name: "Move, or hand over…" }).click();
    await move.getByText("a time that is not offered…").click();
    await move.getByLabel("Date").fill("29 nov");
    await move.getByLabel("Time").fill("11:00");
    await move
      .getByLabel("With", { exact: true })
      .last()
      .selectOption("Bryn Castellane");
    await move.getByLabel("Why").fill("The piano leaves on Monday");
    await move.getByRole("button", { name: "Move it anyway" }).click();
    await expect(
      page.getByText(/Sun 29 Nov 2026, 11:00/).first(),
    ).toBeVisible();
    await expect(
      page.getByText("Rules refused it: “The piano leaves on Monday”"),
    ).toBeVisible();

    // The desk books, week after week: what is not offered is said before, and left out.
    await page.getByRole("link", { name: "New booking" }).click();
    await page.getByLabel("Service").selectOption("Home tuning");
    await page.getByLabel("With").selectOption("Bryn Castellane");
    await page.getByLabel("Starts from").fill("26 nov");
    await page.getByLabel("Starts from").press("Enter");
    await page
      .getByRole("button", { name: /Thursday 26 November, 11:00/ })
      .click();
    await page.getByLabel("Client’s name").fill("Ottilie Kranz");
    await page.getByRole("spinbutton").fill("3");
    await expect(
      page
        .getByRole("list", { name: "The weeks that follow" })
        .getByRole("listitem"),
    ).toHaveCount(2);
    await page.getByRole("button", { name: "Book 3 visits" }).click();
    await expect(page.getByText("This is not a mail address.")).toBeVisible();
    await page.getByLabel("Mail address").fill("ottilie@clients.example");
    await isSound(page);
    await page.getByRole("button", { name: "Book 3 visits" }).click();
    await expect(page.getByRole("status").getByRole("listitem")).toHaveCount(3);
    await page.goto(`${niche.address}/bookings?text=ottilie`);
    await expect(page.getByRole("row")).toHaveCount(4);
    await page.setViewportSize({ width: 390, height: 844 });
    await fits(page);
  } finally {
    await niche.stop();
  }
});
