import { createHmac } from "node:crypto";
import type { Page } from "@playwright/test";
import { admin, expect, morning, signIn, start, test } from "./niche";
import { isSound } from "./sound";

/** The one-time code of a secret at an instant (RFC 6238), as a telephone shows it. */
function codeAt(secret: string, at: number): string {
  const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567";
  const bits = [...secret.replaceAll(" ", "")]
    .map((c) => letters.indexOf(c).toString(2).padStart(5, "0"))
    .join("");
  const key = Buffer.from(
    (bits.match(/.{8}/g) ?? []).map((b) => parseInt(b, 2)),
  );
  const counter = Buffer.alloc(8);
  counter.writeBigUInt64BE(BigInt(Math.floor(at / 30_000)));
  const mac = createHmac("sha1", key).update(counter).digest();
  const from = (mac.at(-1) ?? 0) & 15;
  const number = (mac.readUInt32BE(from) & 0x7fffffff) % 1_000_000;
  return String(number).padStart(6, "0");
}

test.describe.serial("people at the desk", () => {
  let niche: Awaited<ReturnType<typeof start>>;
  let began = 0;
  test.beforeAll(async () => {
    niche = await start("--now", morning);
    began = Date.now();
  });
  test.afterAll(() => niche.stop());
  /** What the program's clock shows, or will show a little later. */
  const clock = (later = 0) => Date.parse(morning) + Date.now() - began + later;

  async function signIn(page: Page, email: string, password: string) {
    await page.goto(niche.address);
    await page.getByLabel("Mail address").fill(email);
    await page.getByLabel("Password").fill(password);
    await page.getByRole("button", { name: "Sign in" }).click();
  }

  test("a second administrator comes in by an address, and is seen to", async ({
    page,
    browser,
  }) => {
    await signIn(page, admin.email, admin.password);
    await page.getByRole("link", { name: "Settings" }).click();
    const list = page.getByRole("region", { name: "Administrators" });
    await expect(
      list.getByText("You alone look after this desk."),
    ).toBeVisible();
    await list.getByLabel("Name").fill("Noor Haddad");
    await list.getByLabel("Mail address").fill("noor");
    await list.getByRole("button", { name: "Add" }).click();
    await expect(list.getByText("This is not a mail address.")).toBeVisible();
    await list.getByLabel("Mail address").fill("noor@quillon.example");
    await list.getByRole("button", { name: "Add" }).click();
    const address = await list.getByText("/enter/").innerText();
    await isSound(page);
    await list.getByRole("button", { name: "I have it" }).click();
    await expect(list.getByText("has an address to come in by")).toBeVisible();

    const hers = await browser.newContext({
      viewport: { width: 390, height: 844 },
    });
    const noor = await hers.newPage();
    await noor.goto(address);
    await noor.getByLabel("Password").fill("quillon-piano");
    await noor.getByRole("button", { name: "Come in" }).click();
    await expect(noor.getByText("names that anybody knows")).toBeVisible();
    await isSound(noor);
    await noor.getByLabel("Password").fill("seven green herons");
    await noor.getByRole("button", { name: "Come in" }).click();
    await expect(noor.getByText("Mara Quillon").first()).toBeVisible();
    await noor.goto(address);
    await expect(noor.getByText("This way is closed")).toBeVisible();

    await page.reload();
    await expect(
      list.getByText("2 people look after this desk."),
    ).toBeVisible();
    await list.getByRole("button", { name: "Remove Noor Haddad" }).click();
    await list.getByRole("button", { name: "Remove", exact: true }).click();
    await expect(
      list.getByText("You alone look after this desk."),
    ).toBeVisible();
    await noor.goto(niche.address);
    await expect(noor.getByRole("button", { name: "Sign in" })).toBeVisible();
    await hers.close();

    await page.getByRole("link", { name: "Who changed what" }).click();
    for (const said of [
      "Mara Quillon removed the administrator “Noor Haddad”",
      "Noor Haddad chose a password and came in",
      "Mara Quillon added the administrator “Noor Haddad”",
    ])
      await expect(page.getByText(said)).toBeVisible();
    await page.getByLabel("Of").selectOption("services");
    await expect(page.getByText("the administrator “Noor")).toHaveCount(0);
  });

  test("a second factor is turned on, asked for, and a recovery code stands in for it", async ({
    page,
  }) => {
    await signIn(page, admin.email, admin.password);
    await page.getByRole("link", { name: "Settings" }).click();
    const own = page.getByRole("region", { name: "How you sign in" });
    await own.getByRole("button", { name: "Add a second factor" }).click();
    const secret = await own.locator("code").first().innerText();
    await own.getByLabel("Code").fill("000000");
    await own.getByLabel("Present password").fill(admin.password);
    await own.getByRole("button", { name: "Turn it on" }).click();
    await expect(own.getByText("This code is not right.")).toBeVisible();
    await own.getByLabel("Code").fill(codeAt(secret, clock()));
    await own.getByRole("button", { name: "Turn it on" }).click();
    const told = own.getByRole("status");
    await expect(told.getByText("Your recovery codes")).toBeVisible();
    const recovery = await told.locator("code").nth(2).innerText();
    await expect(told.locator("code")).toHaveCount(10);
    await isSound(page);

    await page.getByRole("button", { name: "Sign out" }).click();
    await signIn(page, admin.email, admin.password);
    await expect(page.getByLabel("One-time code")).toBeFocused();
    await isSound(page);
    await page.getByLabel("One-time code").fill("123 456");
    await page.getByRole("button", { name: "Sign in" }).click();
    await expect(
      page.getByText("This code is not right").first(),
    ).toBeVisible();
    await page.getByLabel("One-time code").fill(recovery);
    await page.getByRole("button", { name: "Sign in" }).click();
    await expect(page.getByText("Ansel Okoro").first()).toBeVisible();
    await page.getByRole("link", { name: "Settings" }).click();
    await expect(own.getByText("9 recovery codes are left.")).toBeVisible();
    await own
      .getByRole("button", { name: "Turn the second factor off" })
      .click();
    await own.getByLabel("Present password").fill(admin.password);
    await own.getByRole("button", { name: "Turn it off" }).click();
    await expect(own.getByText("By your password alone.")).toBeVisible();
  });

  test("who is signed out while typing signs in again, and finds what was typed", async ({
    page,
  }) => {
    await signIn(page, admin.email, admin.password);
    await page.getByRole("link", { name: "Settings" }).click();
    const business = page.getByRole("region", { name: "Business" });
    await business.getByLabel("Name").fill("Quillon Piano Care and Sons");
    await business.getByLabel("Clock").selectOption("12 hours");
    await page.context().clearCookies();
    // Whatever asks next learns of it: this, or the count in the header, which then is in the way.
    await business.getByRole("button", { name: "Save" }).dispatchEvent("click");
    const gate = page.getByRole("dialog", { name: "Sign in again" });
    await expect(gate.getByLabel("Mail address")).toHaveValue(admin.email);
    await isSound(page);
    await gate.getByLabel("Password").fill(admin.password);
    await gate.getByRole("button", { name: "Sign in" }).click();
    await expect(gate).toHaveCount(0);
    await expect(business.getByLabel("Name")).toHaveValue(
      "Quillon Piano Care and Sons",
    );
    await business.getByRole("button", { name: "Save" }).click();
    await expect(business.getByText("Saved")).toBeVisible();
    await expect(page.getByText("2:30 pm")).toBeVisible();
  });

  test("bookings from one place are found, and cancelled together", async ({
    page,
  }) => {
    await signIn(page, admin.email, admin.password);
    await page.getByRole("link", { name: "Bookings" }).click();
    const rows = page.locator("tbody tr");
    await page.getByLabel("Find by name").fill("lou");
    await expect(rows).toHaveCount(1);
    await page.getByLabel("Find by name").fill("");
    await page.getByText("Columns").click();
    await page.getByLabel("where it came from").check();
    await rows.first().getByRole("button").click();
    await expect(
      page.getByRole("button", { name: "From 127.0.0.1" }),
    ).toBeVisible();
    for (const n of [0, 1])
      await page
        .getByRole("checkbox", { name: /^Mark .+,/ })
        .nth(n)
        .check();
    await page.getByRole("button", { name: "Cancel them …" }).click();
    await isSound(page);
    await page.getByRole("button", { name: "Cancel all 2" }).click();
    await expect(page.getByText("2 bookings are cancelled.")).toBeVisible();
    await page.getByLabel("State").selectOption("cancelled");
    await expect(rows.filter({ hasText: "cancelled" })).toHaveCount(2);
  });
});

test("a day of somebody who is away is handed over, and partly taken back", async ({
  page,
}) => {
  const niche = await start("--now", morning);
  try {
    await signIn(page, niche);
    await page.goto(`${niche.address}/team/1/away?from=2026-11-24`);
    await expect(
      page.getByText("Nothing is moved before you say so"),
    ).toBeVisible();
    const visits = page.getByRole("list", { name: "Visits of these days" });
    const ines = visits
      .getByRole("listitem")
      .filter({ hasText: "Ines Duarte" });
    await expect(ines).toContainText("Ansel Okoro, Tue 24 Nov");
    await isSound(page);
    // Who wants the same time gets nobody.
    await page.getByLabel("The visits may go").selectOption("time");
    await expect(ines).toContainText("Nobody was found");
    await page.getByLabel("The visits may go").selectOption("day");
    await expect(ines).toContainText("Ansel Okoro");
    await visits.getByLabel("Hand over Hugo Brandt").uncheck();
    await page.getByRole("button", { name: "Hand one visit over" }).click();
    await expect(ines).toContainText("handed over");
    await expect(page.getByText("Mara is marked as away")).toBeVisible();
    await isSound(page);
    await ines.getByRole("button", { name: "take back" }).click();
    await expect(ines).toContainText("Back with Mara");
    await page.goto(`${niche.address}/?date=2026-11-24`);
    const lane = page.getByRole("region", { name: /^Mara Quillon/ });
    await expect(
      lane.getByRole("button", { name: /^Ines Duarte, 08:30/ }),
    ).toBeVisible();
    await expect(
      lane.getByRole("button", { name: /^Hugo Brandt/ }),
    ).toBeVisible();
    await expect(lane).toHaveAttribute("aria-label", /no hours/);
  } finally {
    await niche.stop();
  }
});
