import { expect, morning, signIn, start, test } from "./niche";
import { isSound, isSoundInDark } from "./sound";

test("a link is proved before one’s eyes, and a failing one says what is wrong and leads there", async ({
  page,
}) => {
  const niche = await start("--now", morning, "--trouble");
  try {
    await signIn(page, niche);
    await page.goto(niche.address);
    await page.getByRole("link", { name: "Proofs" }).click();
    const links = page.getByRole("complementary", { name: "Links" });
    await links.getByRole("button", { name: /Bryn Castellane/ }).click();
    await expect(
      page.getByRole("heading", { name: "Does Bryn’s link hold?" }),
    ).toBeVisible();
    await page.getByRole("button", { name: "Prove now" }).click();
    const steps = page.getByRole("list", { name: "Steps" });
    await expect(
      steps.getByRole("button", { name: "10, cleaned up: held" }),
    ).toBeVisible();
    await expect(page.getByText("Compared with the last one,")).toBeVisible();
    const copy = page.getByRole("region", { name: "copy read back" });
    await expect(
      copy.getByRole("row", { name: /by the clock of/ }),
    ).toContainText("Europe/Dublin");
    await steps.getByRole("button", { name: /no second sale/ }).click();
    await expect(
      page.getByText("The database refuses a second claim of that time, too."),
    ).toBeVisible();
    const file = page.getByRole("link", { name: "As JSON" });
    const evidence = await page.request.get(
      niche.address + (await file.getAttribute("href")),
    );
    expect(
      (await evidence.json()).steps.map((s: { state: string }) => s.state),
    ).toEqual(Array(10).fill("held"));
    await isSound(page);

    await links.getByRole("button", { name: "Prove everyone" }).click();
    const failing = links.getByRole("button", { name: /, failed/ });
    await expect(failing).toHaveCount(9, { timeout: 60_000 });
    await expect(
      links.getByRole("button", { name: "Prove everyone" }),
    ).toBeVisible();
    await links.getByRole("button", { name: /Caspar Dunne/ }).click();
    await expect(copy.getByRole("row", { name: /place/ })).toContainText(
      "nothing, which differs",
    );
    await expect(
      steps.getByRole("button", { name: "no second sale: not tried" }),
    ).toBeVisible();
    await isSound(page);
    await isSoundInDark(page);
    // From the list of what needs somebody to the cause, and there it is mended.
    await page.getByRole("link", { name: /Attention/ }).click();
    await page
      .getByRole("button", { name: "The proof of Orla’s link failed" })
      .click();
    await page.getByRole("link", { name: /See the proof/ }).click();
    await page.getByRole("link", { name: "Choose one" }).click();
    await page.getByLabel("Gets bookings").click();
    await expect(page.getByText("Bookings are written to Work")).toBeVisible();
    await page.getByRole("button", { name: "prove it now" }).click();
    await expect(
      steps.getByRole("button", { name: "10, cleaned up: held" }),
    ).toBeVisible();
    await page.getByRole("link", { name: /Attention/ }).click();
    await expect(
      page.getByRole("button", { name: "The proof of Ida’s link failed" }),
    ).toBeVisible();
    await expect(
      page.getByRole("button", { name: "The proof of Orla’s link failed" }),
    ).toHaveCount(0);
  } finally {
    await niche.stop();
  }
});
