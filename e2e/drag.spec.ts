import { expect, morning, signIn, start, test } from "./niche";
import { isSound } from "./sound";

test("a booking is moved on the wall by pointer and by keys, and taken back", async ({
  page,
}) => {
  const niche = await start("--now", morning);
  try {
    await signIn(page, niche);
    await page.goto(`${niche.address}/?date=2026-11-27`);
    const booking = page.getByRole("button", { name: /^Clodagh Roe/ });
    await expect(booking).toBeVisible();
    const lane = (name: string) =>
      page.getByRole("region", { name: new RegExp(`^${name}`) });
    const drag = async (to: string, share: number) => {
      const [from, box] = [
        await booking.boundingBox(),
        await lane(to).boundingBox(),
      ];
      if (!from || !box) throw new Error("nothing to take hold of");
      await page.mouse.move(from.x + 10, from.y + 20);
      await page.mouse.down();
      await page.mouse.move(from.x + 30, from.y + 25, { steps: 3 });
      await expect(page.locator(".lit").first()).toBeVisible();
      await page.mouse.move(box.x + box.width * share, box.y + 30, {
        steps: 5,
      });
      await page.mouse.move(box.x + box.width * share + 2, box.y + 30);
      await expect(lane(to).locator(".ghost")).toBeVisible();
      await page.mouse.up();
    };
    // To somebody else, in the morning.
    await drag("Ansel Okoro", 0.13);
    const told = page.getByRole("status").filter({ hasText: "Clodagh Roe" });
    await expect(told).toContainText("with Ansel Okoro now");
    await expect(
      lane("Ansel Okoro").getByRole("button", { name: /^Clodagh Roe/ }),
    ).toBeVisible();
    await isSound(page);
    await told.getByRole("button", { name: "Undo" }).click();
    await expect(
      lane("Bryn Castellane").getByRole("button", {
        name: /^Clodagh Roe, 14:00/,
      }),
    ).toBeVisible();
    // Onto a visit of somebody else's, which stays.
    await drag("Mara Quillon", 0.18);
    await expect(told).toContainText(/cannot stand at .* with Mara Quillon/);
    await told.getByRole("button", { name: "Well" }).click();
    await expect(
      lane("Bryn Castellane").getByRole("button", {
        name: /^Clodagh Roe, 14:00/,
      }),
    ).toBeVisible();
    // By keys: half an hour later.
    await booking.focus();
    await page.keyboard.press("m");
    await expect(page.locator(".ghost")).toBeVisible();
    await page.keyboard.press("ArrowRight");
    await page.keyboard.press("Enter");
    await expect(told).toContainText("at 14:30 with Bryn Castellane now");
    await booking.focus();
    await page.keyboard.press("m");
    await expect(page.locator(".ghost")).toBeVisible();
    await page.keyboard.press("ArrowUp");
    await page.keyboard.press("Escape");
    await expect(page.locator(".ghost")).toHaveCount(0);
    await expect(
      lane("Bryn Castellane").getByRole("button", {
        name: /^Clodagh Roe, 14:30/,
      }),
    ).toBeVisible();
  } finally {
    await niche.stop();
  }
});

test("a stretch drawn over a gap is booked by the rules", async ({ page }) => {
  const niche = await start("--now", morning);
  try {
    await signIn(page, niche);
    await page.goto(`${niche.address}/?date=2026-11-26`);
    const lane = page.getByRole("region", { name: /^Mara Quillon/ });
    await expect(lane).toBeVisible();
    const draw = async (from: number, to: number) => {
      const box = await lane.boundingBox();
      if (!box) throw new Error("no lane");
      // The wall shows 08:00 to 20:00.
      const x = (hour: number) => box.x + (box.width * (hour - 8)) / 12;
      await page.mouse.move(x(from), box.y + 30);
      await page.mouse.down();
      await page.mouse.move(x(to), box.y + 32, { steps: 4 });
    };
    await draw(12.5, 13.5);
    await expect(lane.locator(".stretch")).toContainText("12:30–13:3");
    await page.keyboard.press("Escape");
    await page.mouse.up();
    await expect(lane.locator(".stretch")).toHaveCount(0);
    const panel = page.getByRole("complementary", { name: "Book here" });
    await expect(panel).toHaveCount(0);
    // Too close to somebody's visit nothing is offered, and each service says why.
    await draw(10.9, 11.9);
    await page.mouse.up();
    await expect(panel).toContainText("Nothing is offered here");
    await panel.getByRole("button", { name: "every rule" }).first().click();
    await expect(
      page.getByRole("complementary", { name: "Why" }),
    ).toContainText("What refuses it");
    await draw(12.5, 14);
    await page.mouse.up();
    await expect(panel).toContainText("Which visit begins here?");
    await isSound(page);
    await panel.getByRole("link", { name: /Home tuning/ }).click();
    await page.getByLabel("Client’s name").fill("Gap Walker");
    await page.getByLabel("Mail address").fill("gap@clients.example");
    await page.getByRole("button", { name: "Book it" }).click();
    await expect(page.getByRole("heading", { level: 1 })).toContainText(
      "Gap Walker",
    );
    await expect(page.getByText("12:30–14:00").first()).toBeVisible();
  } finally {
    await niche.stop();
  }
});
