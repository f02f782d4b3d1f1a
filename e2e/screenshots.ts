import { resolve } from "node:path";
import { type Page } from "@playwright/test";
import { expect, signIn, test } from "./niche";

type Picture = {
  name: string;
  path: string;
  shows: string;
  dark?: boolean;
  phone?: boolean;
  member?: number;
  /** Of another host than the desk. */
  of?: "site" | "mailbox";
  act?: (page: Page) => Promise<void>;
};

/** The pictures in docs/screenshots, from the demo's data. */
const pictures: Picture[] = [
  { name: "wall", path: "/", shows: "Mara Quillon" },
  {
    name: "why",
    path: "/?service=1&why=3@2026-11-23T14:30:00Z",
    shows: "It is not offered",
  },
  { name: "attention", path: "/attention", shows: "They share 45 min" },
  { name: "hours", path: "/team/1", shows: "Save the hours" },
  { name: "calendars", path: "/team/3/calendars", shows: "block Bryn’s time" },
  { name: "service", path: "/services/1", shows: "What a client would see" },
  { name: "bookings", path: "/bookings", shows: "Lou Verne" },
  { name: "booking", path: "/bookings/26", shows: "Copy in Work: read back" },
  { name: "client", path: "/clients/1", shows: "All we hold" },
  { name: "pages", path: "/pages", shows: "chose a start" },
  { name: "proof", path: "/proofs?link=3", shows: "Compared with" },
  { name: "page", path: "/book/home-tuning", shows: "Soonest" },
  {
    name: "page-phone",
    path: "/book/home-tuning",
    shows: "Soonest",
    phone: true,
  },
  {
    name: "collection",
    path: "/choose/all-we-do",
    shows: "From afar",
    phone: true,
  },
  {
    name: "details",
    path: "/book/home-tuning?name=Ada%20Winter&mail=ada@winter.example&answer.piano=Grand",
    shows: "Soonest",
    phone: true,
    act: async (page: Page) => {
      await page.locator(".soonest button").first().click();
      await page.getByRole("button", { name: "Continue" }).click();
      await expect(page.getByLabel("Your name")).toHaveValue("Ada Winter");
      await expect(page.getByLabel("Grand")).toBeChecked();
    },
  },
  {
    name: "thanks",
    path: "/book/video-appraisal?name=Ada%20Winter&mail=ada@winter.example",
    shows: "Soonest",
    act: async (page: Page) => {
      await page.locator(".soonest button").first().click();
      await page.getByRole("button", { name: "Continue" }).click();
      await page.getByRole("button", { name: "Book it" }).click();
      await expect(page.getByRole("status")).toContainText("Booked");
      await expect(page.getByText("Add to my calendar")).toBeVisible();
    },
  },
  {
    name: "embedded",
    path: "/",
    of: "site",
    shows: "",
    act: async (page: Page) => {
      const frame = page.frameLocator("iframe").first();
      await expect(frame.locator(".token").first()).toBeVisible();
      await page.locator("iframe").first().scrollIntoViewIfNeeded();
    },
  },
  {
    name: "mail",
    path: "/",
    of: "mailbox",
    shows: "Your visit",
    act: async (page: Page) => {
      const mail = page.getByRole("link", { name: /Your visit: Home tuning/ });
      if (await mail.count()) await mail.first().click();
    },
  },
  {
    name: "my-calendars",
    path: "/my/calendars",
    shows: "In the coming two weeks",
    phone: true,
    member: 3,
  },
];

for (const p of pictures) {
  test(p.name, async ({ page, demo }) => {
    await page.emulateMedia({ colorScheme: p.dark ? "dark" : "light" });
    if (p.phone) await page.setViewportSize({ width: 390, height: 844 });
    await signIn(page, demo);
    if (p.member) {
      const asked = await page.request.post(
        `${demo.address}/api/staff/${p.member}/invitation`,
      );
      const { path } = (await asked.json()) as { path: string };
      await page.request.post(
        `${demo.address}${path.replace("/link/", "/api/invitations/")}`,
      );
    }
    await page.goto((p.of ? demo[p.of] : demo.address) + p.path);
    if (p.name === "proof")
      await page.request.post(`${demo.address}/api/proofs`, {
        data: { links: [3] },
      });
    if (p.shows) await expect(page.getByText(p.shows).first()).toBeVisible();
    await p.act?.(page);
    if (p.name === "page" || p.name === "page-phone") {
      await page
        .getByRole("region", { name: "Tomorrow" })
        .getByRole("button")
        .nth(2)
        .click();
    }
    await page.evaluate(() => document.fonts.ready);
    await page.screenshot({
      path: resolve(import.meta.dirname, `../docs/screenshots/${p.name}.png`),
    });
  });
}
