import { AxeBuilder } from "@axe-core/playwright";
import { type Page } from "@playwright/test";
import { expect } from "./niche";

/** Nothing spills over the side. */
export async function fits(page: Page): Promise<void> {
  const spill = await page.evaluate(
    () => document.documentElement.scrollWidth - window.innerWidth,
  );
  expect(spill, "nothing spills over the side").toBeLessThanOrEqual(0);
}

/** A long list is looked at by its beginning: the rest is made of the same. */
async function shortened<T>(page: Page, look: () => Promise<T>): Promise<T> {
  const hide = (away: boolean) =>
    page.evaluate((away) => {
      const rest = away
        ? "li:nth-child(n+9):not([hidden]), tr:nth-child(n+9):not([hidden])"
        : "[data-left-out]";
      for (const e of document.querySelectorAll(rest)) {
        e.toggleAttribute("hidden", away);
        e.toggleAttribute("data-left-out", away);
      }
    }, away);
  await hide(true);
  const found = await look();
  await hide(false);
  return found;
}

/** Nothing keeps somebody out, and nothing spills over the side. */
export async function isSound(page: Page): Promise<void> {
  const found = await shortened(page, () =>
    new AxeBuilder({ page }).setLegacyMode(true).analyze(),
  );
  expect(
    found.violations.map(
      (v) => `${v.id}: ${v.nodes.map((n) => n.target).join(", ")}`,
    ),
  ).toEqual([]);
  await fits(page);
}

/** The same in dark, where only colours are others. */
export async function isSoundInDark(page: Page): Promise<void> {
  await page.emulateMedia({ colorScheme: "dark" });
  // Colours change by and by.
  await page.evaluate(() =>
    Promise.allSettled(
      document
        .getAnimations()
        .filter((a) => a.effect?.getTiming().iterations !== Infinity)
        .map((a) => a.finished),
    ),
  );
  const found = await shortened(page, () =>
    new AxeBuilder({ page })
      .setLegacyMode(true)
      .withRules(["color-contrast"])
      .analyze(),
  );
  expect(
    found.violations.flatMap((v) => v.nodes.map((n) => n.target.join(" "))),
    "contrast in dark",
  ).toEqual([]);
  await page.emulateMedia({ colorScheme: "light" });
}
