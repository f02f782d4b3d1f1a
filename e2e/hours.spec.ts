import { type Locator, type Page } from "@playwright/test";
import { expect, signIn, test } from "./niche";
import { isSound } from "./sound";

// Piet has no link and no bookings: what is drawn here concerns no other test.
const piet = "/team/6";

async function drag(page: Page, what: Locator, by: number, alt = false) {
  await what.scrollIntoViewIfNeeded();
  const box = await what.boundingBox();
  if (!box) throw new Error("nothing to drag");
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  if (alt) await page.keyboard.down("Alt");
  await page.mouse.move(x + by / 2, y);
  await page.mouse.move(x + by, y);
  await page.mouse.up();
  if (alt) await page.keyboard.up("Alt");
}

/** How many pixels a minute is wide. */
async function scale(page: Page) {
  const lane = page.getByRole("group", { name: "Saturday, drawn" });
  const box = await lane.boundingBox();
  return (box?.width ?? 0) / (15 * 60);
}

test("hours are drawn, dragged, split and removed by mouse, and every step can be undone", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(demo.address + piet);
  const lane = page.getByRole("group", { name: "Saturday, drawn" });
  await lane.scrollIntoViewIfNeeded();
  await expect(
    page.getByRole("group", { name: "Monday, drawn" }),
  ).toContainText("08:00–12:00");
  const px = await scale(page);
  const box = await lane.boundingBox();
  if (!box) throw new Error("no lane");
  // The axis begins at 06:00: draw from 09:07 to 12:52, which keeps to quarters of an hour.
  await page.mouse.move(box.x + px * 187, box.y + 30);
  await page.mouse.down();
  await page.mouse.move(box.x + px * 300, box.y + 30);
  await page.mouse.move(box.x + px * 412, box.y + 30);
  await page.mouse.up();
  const saturday = lane.getByRole("button", { name: /^Saturday hours/ });
  await expect(saturday).toContainText("09:00–12:45");
  await drag(page, saturday, px * 60);
  await expect(saturday).toContainText("10:00–13:45");
  await drag(page, lane.getByRole("slider", { name: /, to$/ }), px * 120);
  await expect(saturday).toContainText("10:00–15:45");
  await drag(page, lane.getByRole("slider", { name: /, from$/ }), px * 7, true);
  await expect(saturday).toContainText("10:05–15:45");
  await saturday.hover();
  await lane.getByRole("button", { name: /^Put a break into/ }).click();
  await expect(page.getByLabel("Saturday breaks 1, from")).toHaveValue("12:45");
  await lane.getByRole("button", { name: /^Remove Saturday hours/ }).click();
  await expect(saturday).toHaveCount(0);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.getByLabel("Saturday breaks 1, from")).toHaveValue("12:45");
  for (const shown of [
    "10:05–15:45",
    "10:00–15:45",
    "10:00–13:45",
    "09:00–12:45",
  ]) {
    await page.getByRole("button", { name: "Undo" }).click();
    await expect(saturday).toContainText(shown);
  }
  await page.getByRole("button", { name: "Redo" }).click();
  await expect(saturday).toContainText("10:00–13:45");
  await expect(page.getByLabel("Saturday hours 1, to")).toHaveValue("13:45");
  await page.getByLabel("Saturday hours 1, to").fill("9");
  await page.getByRole("button", { name: "Add Saturday hours" }).click();
  await expect(page.getByText("Overlaps")).toBeVisible();
  await page.getByRole("button", { name: "Discard" }).click();
  await expect(saturday).toHaveCount(0);
});

test("hours are edited by keys alone, copied to other days and saved", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(demo.address + piet);
  const lane = page.getByRole("group", { name: "Thursday, drawn" });
  const body = lane.getByRole("button", { name: /^Thursday hours/ });
  await body.focus();
  await page.keyboard.press("ArrowRight");
  await expect(body).toContainText("08:15–12:15");
  await expect(page.getByLabel("Thursday breaks 1, from")).toHaveValue("12:15");
  await page.keyboard.press("Alt+ArrowLeft");
  await expect(body).toContainText("08:10–12:10");
  await page.keyboard.press("Tab");
  await page.keyboard.press("PageUp");
  await expect(
    lane.getByRole("slider", { name: "Thursday, drawn hours 1, from" }),
  ).toHaveAttribute("aria-valuetext", "09:10");
  await page.keyboard.press("Tab");
  for (let n = 0; n < 9; n++) await page.keyboard.press("PageUp");
  await expect(body).toContainText("–01:10");
  await page.keyboard.press("Control+z");
  await expect(body).toContainText("–00:10");
  await lane.getByRole("button", { name: /^Thursday break/ }).focus();
  await page.keyboard.press("Delete");
  await expect(page.getByLabel("Thursday breaks 1, from")).toHaveCount(0);
  await page
    .getByRole("button", { name: "Copy Thursday to other days" })
    .click();
  await page.getByRole("button", { name: "Sunday", exact: true }).click();
  await expect(
    page.getByRole("group", { name: "Sunday, drawn" }),
  ).toContainText("09:10–00:10");
  await page.getByRole("button", { name: "Save the hours" }).click();
  await expect(page.getByRole("status").first()).toHaveText("Saved");
  await page.reload();
  await expect(
    page.getByRole("group", { name: "Sunday, drawn" }),
  ).toContainText("09:10–00:10");
});

test("days off are chosen by dragging over the coming weeks, and can be undone", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(demo.address + piet);
  const days = page.getByRole("region", { name: "One-off days and absences" });
  const cell = (name: string) => days.getByRole("button", { name });
  await cell("Monday, 14 December 2026").scrollIntoViewIfNeeded();
  await cell("Monday, 14 December 2026").hover();
  await page.mouse.down();
  await cell("Thursday, 17 December 2026").hover();
  await page.mouse.up();
  await expect(days.getByLabel("From")).toHaveValue("Mon 14 Dec 2026");
  await expect(days.getByLabel("Until")).toHaveValue("Thu 17 Dec 2026");
  await days.getByLabel("Note").fill("Hiking");
  await days.getByRole("button", { name: "Add", exact: true }).click();
  await expect(cell("Wednesday, 16 December 2026: away, Hiking")).toBeVisible();
  await expect(page.getByText("14–17 December")).toBeVisible();
  await cell("Tuesday, 22 December 2026").focus();
  await page.keyboard.press("Enter");
  await days.getByLabel("What").selectOption("Other hours");
  await days.getByLabel("other hours 1, from").fill("10");
  await days.getByRole("button", { name: "Add", exact: true }).click();
  await expect(cell("Tuesday, 22 December 2026: other hours")).toBeVisible();
  await expect(page.getByText("Other hours on 22 December.")).toBeVisible();
  await isSound(page);
  await days.getByRole("button", { name: "undo the last change" }).click();
  await expect(cell("Tuesday, 22 December 2026: usual hours")).toBeVisible();
});

test("hours are drawn and dragged, and days chosen, with a finger", async ({
  browser,
  demo,
}) => {
  const context = await browser.newContext({
    hasTouch: true,
    viewport: { width: 1024, height: 768 },
  });
  const page = await context.newPage();
  await signIn(page, demo);
  // Nothing of this is saved.
  await page.goto(`${demo.address}/team/5`);
  const devtools = await context.newCDPSession(page);
  const finger = async (path: { x: number; y: number }[]) => {
    const touch = (
      type: "touchStart" | "touchMove" | "touchEnd",
      touchPoints: { x: number; y: number }[],
    ) => devtools.send("Input.dispatchTouchEvent", { type, touchPoints });
    for (const [i, at] of path.entries())
      await touch(i ? "touchMove" : "touchStart", [at]);
    await touch("touchEnd", []);
  };
  const lane = page.getByRole("group", { name: "Sunday, drawn" });
  const sunday = lane.getByRole("button", { name: /^Sunday hours/ });
  await expect(lane).toBeVisible();
  const centre = (what: Locator) =>
    what.evaluate((e) => e.scrollIntoView({ block: "center" }));
  await centre(lane);
  const box = await lane.boundingBox();
  if (!box) throw new Error("no lane");
  // Fingers move along one line: across it they scroll.
  const at = (hour: number) => ({
    x: box.x + ((hour - 6) / 15) * box.width,
    y: box.y + box.height / 2,
  });
  await finger([at(10.03), at(11), at(12), at(14.03)]);
  await expect(sunday).toContainText("10:00–14:00");
  await finger([at(12), at(12.5), at(13.02)]);
  await expect(sunday).toContainText("11:00–15:00");
  await finger([at(15), at(15.5), at(16.02)]);
  await expect(sunday).toContainText("11:00–16:00");
  await page.getByRole("button", { name: "Discard" }).click();
  const days = page.getByRole("region", { name: "One-off days and absences" });
  const from = days.getByRole("button", { name: "Monday, 7 December 2026" });
  await centre(from);
  const middle = async (name: string) => {
    const cell = await days.getByRole("button", { name }).boundingBox();
    if (!cell) throw new Error(`no ${name}`);
    return { x: cell.x + cell.width / 2, y: cell.y + cell.height / 2 };
  };
  await finger([
    await middle("Monday, 7 December 2026"),
    await middle("Tuesday, 8 December 2026"),
    await middle("Wednesday, 9 December 2026"),
  ]);
  await expect(days.getByLabel("From")).toHaveValue("Mon 7 Dec 2026");
  await expect(days.getByLabel("Until")).toHaveValue("Wed 9 Dec 2026");
  await context.close();
});
