import type axe from "axe-core";
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { type Page } from "@playwright/test";
import { expect } from "./niche";

declare global {
  interface Window {
    axe: typeof axe;
  }
}

const script = readFileSync(
  createRequire(import.meta.url).resolve("axe-core/axe.min.js"),
  "utf8",
);

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

/** Which elements of a page break rules, by rule. The script that finds them is put into a page once. */
async function broken(page: Page, rules?: string[]): Promise<string[]> {
  if (!(await page.evaluate(() => "axe" in window))) {
    await page.evaluate(script);
    // Colours change by and by; they are looked at as they are in the end.
    await page.addStyleTag({
      content: "*, ::before, ::after { transition: none !important }",
    });
  }
  const found = await shortened(page, () =>
    page.evaluate(
      (rules) =>
        window.axe.run(document, {
          runOnly: rules ?? undefined,
          resultTypes: ["violations"],
          preload: false,
        }),
      rules,
    ),
  );
  return found.violations.map(
    (v) => `${v.id}: ${v.nodes.map((n) => n.target.join(" ")).join(", ")}`,
  );
}

/** Nothing keeps somebody out, and nothing spills over the side. */
export async function isSound(page: Page): Promise<void> {
  expect(await broken(page)).toEqual([]);
  await fits(page);
}

/** The same in dark, where only colours are others. */
export async function isSoundInDark(page: Page): Promise<void> {
  await page.emulateMedia({ colorScheme: "dark" });
  expect(await broken(page, ["color-contrast"]), "contrast in dark").toEqual(
    [],
  );
  await page.emulateMedia({ colorScheme: "light" });
}
