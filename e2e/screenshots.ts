import { resolve } from "node:path";
import { expect, signIn, test } from "./niche";

/** The pictures in docs/screenshots, from the demo's data. */
const pictures = [
  { name: "wall", path: "/", shows: "Mara Quillon" },
  { name: "wall-dark", path: "/", shows: "Mara Quillon", dark: true },
  {
    name: "wall-team-week",
    path: "/?view=week&service=1",
    shows: "23–29 November 2026",
  },
  { name: "wall-month", path: "/?view=month", shows: "personal time" },
  {
    name: "why",
    path: "/?service=1&why=3@2026-11-23T14:30:00Z",
    shows: "It is not offered",
  },
  { name: "attention", path: "/attention", shows: "They share 45 min" },
  { name: "team", path: "/team", shows: "Bookings go to Work" },
  { name: "hours", path: "/team/1", shows: "Save the hours" },
  { name: "calendars", path: "/team/3/calendars", shows: "block Bryn’s time" },
  { name: "services", path: "/services", shows: "Concert tuning" },
  { name: "service", path: "/services/1", shows: "What a client would see" },
  { name: "house", path: "/house", shows: "Stocktaking" },
  { name: "bookings", path: "/bookings", shows: "Lou Verne" },
  { name: "booking", path: "/bookings/26", shows: "Copy in Work: read back" },
  { name: "proof", path: "/proofs?link=3", shows: "Compared with" },
  { name: "settings", path: "/settings", shows: "Zone data" },
  { name: "page", path: "/book/home-tuning", shows: "Soonest" },
  {
    name: "page-phone",
    path: "/book/home-tuning",
    shows: "Soonest",
    phone: true,
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
    await page.goto(demo.address + p.path);
    if (p.name === "proof")
      await page.request.post(`${demo.address}/api/proofs`, {
        data: { links: [3] },
      });
    await expect(page.getByText(p.shows).first()).toBeVisible();
    if (p.name.startsWith("page")) {
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
