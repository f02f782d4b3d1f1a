import { expect, morning, signIn, start, test } from "./niche";
import { isSound } from "./sound";

test("what needs somebody is listed, put off, left, settled and remembered", async ({
  page,
}) => {
  const niche = await start("--now", morning);
  try {
    await signIn(page, niche);
    await page.goto(niche.address);
    await page
      .getByRole("link", { name: "Attention" })
      .filter({ hasText: "1" })
      .click();
    const row = page.getByRole("button", {
      name: "A personal event of Ilse’s lies on a visit",
    });
    await expect(row).toBeVisible();
    const what = page.getByRole("complementary", { name: "What it is" });
    await expect(what.getByText("They share 45 min.")).toBeVisible();
    await what.getByRole("button", { name: "Keep both" }).click();
    await expect(page.getByText("Nothing needs you.")).toBeVisible();
    await isSound(page);
    await page.getByLabel("Which").selectOption("aside");
    await expect(
      what.getByText("It is left as it is by Mara Quillon"),
    ).toBeVisible();
    await what.getByRole("button", { name: "Bring back" }).click();
    await page.getByLabel("Which").selectOption("now");
    await what.getByLabel("Put it off until").selectOption("tomorrow");
    await expect(page.getByText("Nothing needs you.")).toBeVisible();
    await page.getByLabel("Which").selectOption("aside");
    await expect(what.getByText("It is put off until Tue 24")).toBeVisible();
    await what.getByRole("button", { name: "Bring back" }).click();
    await page.getByLabel("Which").selectOption("now");

    // A copy that is moved outside comes by itself, and is settled here.
    const owner = await page.context().newPage();
    await owner.goto(`${niche.host}/week/bryn@castellane.example`);
    await owner
      .getByRole("link", { name: /Sunniva Berg/ })
      .first()
      .click();
    const form = owner.getByRole("form", { name: "Change the event" });
    await form.getByLabel("From").fill("15:00");
    await form.getByLabel("To").fill("16:30");
    await form.getByRole("button", { name: "Save" }).click();
    await page
      .getByRole("button", { name: "Bryn’s copy of a visit was changed" })
      .click();
    await what.getByRole("button", { name: "The booking: put" }).click();
    await expect(page.getByText("changed outside 1")).toBeHidden();
    await what.getByRole("button", { name: "Cancel…" }).click();
    await what.getByRole("button", { name: "Yes, cancel" }).click();
    await expect(page.getByText("Nothing needs you.")).toBeVisible();
    await page.getByLabel("Which").selectOption("settled");
    await expect(
      page.getByText("Bryn’s copy of a visit was changed outside"),
    ).toBeVisible();
    await isSound(page);
  } finally {
    await niche.stop();
  }
});
