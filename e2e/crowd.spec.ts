import { type Page } from "@playwright/test";
import {
  admin,
  expect,
  morning,
  signIn,
  start,
  test,
  type Niche,
} from "./niche";
import { fits, isSound } from "./sound";

// A business of its own for these: from one person to thirty, and thirty services.

const weekday = { spans: [["09:00", "17:30"]], breaks: [["12:30", "13:00"]] };
const week = Object.fromEntries(
  ["mon", "tue", "wed", "thu", "fri"].map((day) => [day, weekday]),
);
const long =
  "Maximiliana Featherstonehaugh-Okonkwo of the Upper Harbour Workshops";

type Sent = { id: number };

/** Sends what a person would type. */
async function send(
  page: Page,
  niche: Niche,
  method: "POST" | "PUT",
  path: string,
  data: object,
): Promise<Sent> {
  const known =
    method === "PUT" &&
    ((await (
      await page.request.get(niche.address + path.replace(/\?.*/, ""))
    ).json()) as {
      version: number;
    });
  const headers = known ? { "If-Match": `"${known.version}"` } : undefined;
  const answer = await page.request.fetch(niche.address + path, {
    method,
    data,
    headers,
  });
  expect(answer.ok(), `${path}: ${await answer.text()}`).toBe(true);
  return (await answer.json()) as Sent;
}

async function addPerson(page: Page, niche: Niche, name: string) {
  const zone = "Europe/Dublin";
  const made = await send(page, niche, "POST", "/api/staff", {
    name,
    email: "",
    zone,
  });
  await send(page, niche, "PUT", `/api/staff/${made.id}/hours`, {
    patterns: [{ from: "2026-01-05", until: null, cycle: [week] }],
  });
  return made.id;
}

function addService(page: Page, niche: Niche, name: string, staff: number[]) {
  return send(page, niche, "POST", "/api/services", {
    name,
    slug: "",
    place: "",
    hue: 0,
    length: 60,
    lengths: [],
    step: 30,
    anchor: "clock",
    bufferBefore: 15,
    bufferAfter: 15,
    buffersInsideHours: false,
    notice: { minutes: 60 },
    window: { days: 60 },
    places: 1,
    needs: [],
    staffing: "any",
    pick: "order",
    unreachable: "ask",
    paused: false,
    staff,
  });
}

/** Says what was measured; nothing depends on it. */
function measured(what: string, times: number[]) {
  const sorted = times.toSorted((a, b) => a - b);
  const at = (share: number) =>
    (sorted[Math.floor(share * (sorted.length - 1))] ?? 0).toFixed(1);
  console.log(
    `measured: ${what}: median ${at(0.5)} ms, 95 % within ${at(0.95)} ms, at most ${at(1)} ms, of ${times.length}`,
  );
}

/** Scrolls a page to its end, step by step, and says how its frames came. */
async function scrolled(page: Page, what: string) {
  const devtools = await page.context().newCDPSession(page);
  await devtools.send("Performance.enable", { timeDomain: "threadTicks" });
  const worked = async () =>
    (await devtools.send("Performance.getMetrics")).metrics.find(
      (m) => m.name === "TaskDuration",
    )?.value ?? 0;
  const before = await worked();
  const frames = await page.evaluate(async () => {
    const times: number[] = [];
    const box = document.scrollingElement ?? document.body;
    for (let last = await new Promise<number>(requestAnimationFrame); ;) {
      const top = box.scrollTop;
      box.scrollTop += 12;
      const now = await new Promise<number>(requestAnimationFrame);
      times.push(now - last);
      last = now;
      if (box.scrollTop === top) return times;
    }
  });
  const work = ((await worked()) - before) * 1000;
  await devtools.detach();
  expect(frames.length, "frames").toBeGreaterThan(60);
  measured(`a frame while ${what} is scrolled`, frames);
  const late = frames.filter((t) => t > 17).length;
  console.log(
    `measured: ${late} of ${frames.length} frames over 16 ms; the main thread works ${(work / frames.length).toFixed(2)} ms a frame`,
  );
}

test.describe.serial("a business grows", () => {
  let niche: Awaited<ReturnType<typeof start>>;
  test.beforeAll(async () => {
    niche = await start("--empty", "--now", morning);
  });
  test.afterAll(() => niche.stop());

  test("from nothing to one person, with the next step on each screen", async ({
    page,
  }) => {
    await page.request.post(`${niche.address}/api/setup`, {
      data: {
        code: niche.code,
        business: { name: "Quillon Piano Care", zone: "Europe/Dublin" },
        name: "Mara Quillon",
        ...admin,
      },
    });
    await signIn(page, niche);
    for (const [path, says] of [
      ["/", "The wall is empty"],
      ["/services", "No service yet"],
      ["/house", "None yet."],
    ] as const) {
      await page.goto(niche.address + path);
      await expect(page.getByText(says)).toBeVisible();
      await isSound(page);
    }
    const mara = await addPerson(page, niche, "Mara Quillon");
    await page.goto(niche.address);
    await expect(
      page.getByRole("region", { name: "Mara Quillon, 8 h open" }),
    ).toBeVisible();
    await expect(
      page.getByRole("link", { name: "Define the first service" }),
    ).toBeVisible();
    await isSound(page);
    await page.goto(`${niche.address}/team/${mara}/week`);
    await expect(page.getByText("No visits in the week of")).toBeVisible();
    await isSound(page);
    await addService(page, niche, "Home tuning", [mara]);
    // Nobody works on a Sunday; on a closed day it is said why.
    await page.goto(`${niche.address}/?date=2026-11-29`);
    await expect(page.getByText("Nobody works on this day.")).toBeVisible();
    await page.getByRole("button", { name: "Go to Monday, 30" }).click();
    await expect(page.getByRole("heading", { level: 1 })).toHaveText(
      "Monday 30 November 2026",
    );
    await page.goto(`${niche.address}/house`);
    await page.getByLabel("Day", { exact: true }).fill("2026-12-24");
    await page.getByLabel("Until").fill("2026-12-23");
    await page.getByLabel("Called").fill("Winter rest");
    const add = page
      .getByRole("region", { name: "Closures" })
      .getByRole("button", { name: "Add" });
    await add.click();
    await expect(page.getByText("This is before the first day.")).toBeVisible();
    await page.getByLabel("Until").fill("2028-01-03");
    await add.click();
    await expect(page.getByText("At most a year at once.")).toBeVisible();
    await page.getByLabel("Until").fill("2027-01-03");
    await add.click();
    await expect(page.getByText("11 days")).toBeVisible();
    await page.goto(`${niche.address}/?date=2026-12-28`);
    await expect(page.getByText("Closed: Winter rest.")).toBeVisible();
    await expect(
      page.getByRole("region", { name: "no hours until Mon 4 Jan" }),
    ).toBeVisible();
    await isSound(page);
  });

  test("to thirty people and thirty services, who are scrolled with names and hours in view", async ({
    page,
  }) => {
    test.slow();
    await signIn(page, niche);
    const ids = [1, await addPerson(page, niche, long)];
    for (let n = 3; n <= 30; n++)
      ids.push(await addPerson(page, niche, `Technician number ${n}`));
    const all = await addService(page, niche, `Care of ${long}`, ids);
    for (let n = 3; n <= 30; n++)
      await addService(page, niche, `Service number ${n}`, [1]);
    const twice = await page.request.post(`${niche.address}/api/staff`, {
      data: { name: long.toUpperCase(), email: "", zone: "UTC" },
    });
    expect(await twice.text()).toContain("can be told apart");

    await page.goto(`${niche.address}/?service=${all.id}&date=2026-11-25`);
    const last = page.getByRole("link", { name: "Technician number 30" });
    await expect(last).toBeAttached();
    await isSound(page);
    await scrolled(page, "the wall of thirty people");
    await expect(last).toBeInViewport();
    await expect(page.locator(".head", { hasText: "12" })).toBeInViewport();
    await expect(
      page.getByRole("region", { name: /^Technician number 30/ }),
    ).toBeInViewport();
    const printed = async () =>
      (await page.pdf({ preferCSSPageSize: true }))
        .toString("latin1")
        .match(/\/Type\s*\/Page\b/g)?.length;
    expect(await printed(), "pages").toBe(1);
    for (const [key, shows] of [
      ["w", "23–29 November 2026"],
      ["m", "November 2026"],
    ] as const) {
      await page.keyboard.press(key);
      await expect(page.getByText(shows, { exact: true })).toBeVisible();
      await fits(page);
      expect(await printed(), "pages").toBe(1);
    }
    // What this machine makes of a page with nothing on it, to compare with.
    await page.goto("about:blank");
    await page.evaluate((height) => {
      document.body.style.height = height;
    }, "3000px");
    await scrolled(page, "an empty page");
    for (const path of ["/team", "/services", `/services/${all.id}`]) {
      await page.goto(niche.address + path);
      await expect(page.getByText(long).first()).toBeVisible();
      await fits(page);
    }
  });

  test("and what is typed shows its effect, with all of them performing it", async ({
    page,
  }) => {
    await signIn(page, niche);
    await page.goto(`${niche.address}/services/2`);
    const effect = page.getByRole("status", { name: "Effect of the change" });
    await expect(effect).toContainText("What is saved offers");
    const times: number[] = [];
    for (const minutes of [90, 120, 150, 180, 210, 180, 150, 120, 90, 60]) {
      const before = await effect.textContent();
      times.push(
        await page.getByLabel("Lasts").evaluate(
          (field: HTMLInputElement, [value, text]) =>
            new Promise<number>((done, fail) => {
              const said = document.querySelector(".effect");
              const typed = performance.now();
              const look = () => {
                if (said?.textContent !== text)
                  requestAnimationFrame(() => done(performance.now() - typed));
                else if (performance.now() - typed > 10_000)
                  fail(new Error("no effect"));
                else requestAnimationFrame(look);
              };
              field.value = String(value);
              field.dispatchEvent(new Event("input", { bubbles: true }));
              look();
            }),
          [minutes, before] as const,
        ),
      );
    }
    await expect(effect).toContainText("What is saved offers");
    measured("from typing to the effect, thirty people", times);
  });

  test("and what others do appears by itself", async ({ page }) => {
    await signIn(page, niche);
    await page.goto(`${niche.address}/?service=2&date=2026-11-25`);
    const lane = page.getByRole("region", { name: /^Technician number 9,/ });
    await expect(lane).toBeVisible();
    const times: number[] = [];
    for (const hour of ["09", "11", "14", "16"]) {
      const name = `Client at ${hour}`;
      await send(
        page,
        niche,
        "POST",
        "/api/pages/care-of-maximiliana-featherstonehaugh-okonkwo-of-the-upper-harbour-workshops/bookings",
        {
          start: `2026-11-25T${hour}:00:00Z`,
          staff: 9,
          name,
          email: "client@clients.example",
          zone: "Europe/Dublin",
          clock: "24",
        },
      );
      const known = Date.now();
      await expect(lane.getByRole("button", { name })).toBeVisible();
      times.push(Date.now() - known);
    }
    measured("from a booking's answer to the wall", times);
    await send(page, niche, "PUT", "/api/staff/9/hours?accept=4", {
      patterns: [],
    });
    const known = Date.now();
    await expect(lane.locator(".alcove")).toHaveCount(0);
    measured("from new hours to the wall", [Date.now() - known]);
    // Hours that somebody else gives stand in the editor too, unless something there has not been saved.
    await page.goto(`${niche.address}/team/9`);
    const monday = page.getByRole("group", { name: "Monday, drawn" });
    await expect(monday).not.toContainText("–17:30");
    const given = {
      patterns: [{ from: "2026-01-05", until: null, cycle: [week] }],
    };
    await send(page, niche, "PUT", "/api/staff/9/hours", given);
    await expect(monday).toContainText("–17:30");
    await page.getByLabel("Monday hours 1, from").fill("8");
    await page.getByLabel("Monday hours 1, from").blur();
    given.patterns = [];
    const told = page.waitForResponse(/api\/staff\/9\/days/);
    await send(page, niche, "PUT", "/api/staff/9/hours?accept=4", given);
    await told;
    await expect(monday).toContainText("08:00–");
  });
});
