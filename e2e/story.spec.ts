import { type Browser, type Page } from "@playwright/test";
import { expect, start, startRadicale, test, type Niche } from "./niche";

/** The other side: an account at a calendar host, and how its owner puts events there. */
type Outside = {
  address: string;
  user: string;
  key: string;
  add: (from: string, to: string) => Promise<void>;
  remove: () => Promise<void>;
  titles: () => Promise<string[]>;
  stop: () => Promise<void>;
};

// The story plays on the day after the fixed clock's Monday.
const [monday, tuesday] = ["2026-11-23", "2026-11-24"];

/** The stand-in's own week page, used by hand as its owner would. */
async function standIn(niche: Niche, browser: Browser): Promise<Outside> {
  const page = await browser.newPage();
  const week = `${niche.host}/week/bryn@castellane.example?week=${monday}`;
  return {
    address: niche.host,
    user: "bryn@castellane.example",
    key: "app-Bryn-6043",
    async add(from, to) {
      await page.goto(week);
      const form = page.getByRole("form", { name: "Add an event" });
      await form.getByLabel("Title").fill("Secret dentist");
      await form.getByLabel("Calendar").selectOption("Family");
      await form.getByLabel("Date").fill(tuesday);
      await form.getByLabel("From").fill(from);
      await form.getByLabel("To", { exact: true }).fill(to);
      await form.getByRole("button", { name: "Add" }).click();
      await expect(
        page.getByRole("link", { name: "Secret dentist" }),
      ).toBeVisible();
    },
    async remove() {
      await page.goto(week);
      await page.getByRole("link", { name: "Secret dentist" }).click();
      await page.getByRole("button", { name: "Remove" }).click();
      await expect(
        page.getByRole("link", { name: "Secret dentist" }),
      ).toHaveCount(0);
    },
    async titles() {
      await page.goto(week);
      return page
        .locator("a.ev")
        .evaluateAll((all) => all.map((a) => a.getAttribute("title") ?? ""));
    },
    stop: () => page.close(),
  };
}

/** A real server, used as any other CalDAV program would. */
async function radicale(
  server: Awaited<ReturnType<typeof startRadicale>>,
): Promise<Outside> {
  const path = "/bryn/Family/dentist.ics";
  return {
    address: server.host,
    user: "bryn",
    key: "app-key",
    async add(from, to) {
      const at = (time: string) =>
        `;TZID=Europe/Dublin:${tuesday.replaceAll("-", "")}T${time.replace(":", "")}00`;
      const lines = [
        "BEGIN:VCALENDAR",
        "VERSION:2.0",
        "PRODID:-//x//y//EN",
        "BEGIN:VEVENT",
        "UID:dentist",
      ];
      lines.push(
        "DTSTAMP:20261101T000000Z",
        `DTSTART${at(from)}`,
        `DTEND${at(to)}`,
        "SUMMARY:Secret dentist",
      );
      await server.send(
        "PUT",
        path,
        [...lines, "END:VEVENT", "END:VCALENDAR", ""].join("\r\n"),
      );
    },
    async remove() {
      await server.send("DELETE", path);
    },
    async titles() {
      const query = `<c:calendar-query xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav"><d:prop><c:calendar-data/></d:prop><c:filter><c:comp-filter name="VCALENDAR"/></c:filter></c:calendar-query>`;
      const text = await server.send("REPORT", "/bryn/Work/", query);
      const said = (event: string, name: string) =>
        new RegExp(`${name}[^:]*:(.*)`).exec(event)?.[1]?.trim();
      const events = text.split("BEGIN:VEVENT").slice(1);
      return events.map(
        (event) => `${said(event, "DTSTART")} ${said(event, "SUMMARY")}`,
      );
    },
    stop: server.stop,
  };
}

async function setUp(page: Page, niche: Niche) {
  await page.goto(niche.address);
  await page.getByLabel("Set-up code").fill("AAAA-BBBB-CCCC");
  await page.getByLabel("Business").fill("Quillon Piano Care");
  await page.getByLabel("Home zone").selectOption("Europe/Dublin");
  await page.getByLabel("Your name").fill("Mara Quillon");
  await page.getByLabel("Mail address").fill("mara@quillon.example");
  await page.getByLabel("Password").fill("short");
  await page.getByRole("button", { name: "Set up" }).click();
  await expect(page.getByText(/length/)).toBeVisible();
  await page.getByLabel("Password").fill("a-quiet-piano");
  await page.getByRole("button", { name: "Set up" }).click();
  await expect(page.getByText("This is not the set-up code.")).toBeVisible();
  await page.getByLabel("Set-up code").fill(niche.code);
  await page.getByRole("button", { name: "Set up" }).click();
  await expect(page.getByText("The wall is empty")).toBeVisible();
}

async function addPerson(page: Page) {
  await page.getByRole("link", { name: "Go to the team" }).click();
  await page.getByLabel("Name").fill("Bryn Castellane");
  await page.getByRole("button", { name: "Add, and set the hours" }).click();
  await expect(
    page.getByRole("heading", { name: "Bryn Castellane" }),
  ).toBeVisible();
  await page.getByRole("button", { name: "Add Monday hours" }).click();
  await page.getByLabel("Monday hours 1, from").fill("9");
  await page.getByLabel("Monday hours 1, to").fill("1730");
  await page.getByRole("button", { name: "Add Monday breaks" }).click();
  await page.getByLabel("Monday breaks 1, to").fill("18.15");
  await page.getByRole("button", { name: "Copy Monday to other" }).click();
  await page.getByRole("button", { name: "All workdays" }).click();
  await page.getByLabel("In force from").fill("2026-11-01");
  await page.getByRole("button", { name: "Save the hours" }).click();
  await expect(page.getByText("Lies outside the hours").first()).toBeVisible();
  await page.getByLabel("Monday breaks 1, to").fill("13.15");
  await page.getByRole("button", { name: "Copy Monday to other" }).click();
  await page.getByRole("button", { name: "All workdays" }).click();
  await page.getByRole("button", { name: "Save the hours" }).click();
  await expect(page.getByRole("status")).toHaveText("Saved");
  await expect(page.getByText("Open 38 h 45 a week")).toBeVisible();
}

async function link(page: Page, out: Outside) {
  await page.getByRole("link", { name: "Calendars", exact: true }).click();
  // Bryn alone links an account: the desk hands an address over, and learns no password.
  await page.getByRole("button", { name: "Ask Bryn to link" }).click();
  const address = await page.getByText("/link/").innerText();
  const context = await page.context().browser()!.newContext();
  const own = await context.newPage();
  await own.goto(address);
  await own.getByRole("button", { name: "Begin" }).click();
  await own.getByRole("button", { name: "Use an app password" }).click();
  const fill = async (address: string, key: string) => {
    await own.getByLabel("Host or CalDAV address").fill(address);
    await own.getByLabel("User").fill(out.user);
    await own.getByLabel("App password").fill(key);
    await own
      .getByRole("button", { name: "Sign in and find my calendars" })
      .click();
  };
  await fill(out.address, "wrong");
  await expect(
    own.getByText("does not accept this user name and app password"),
  ).toBeVisible();
  await fill("https://127.0.0.1:1", out.key);
  await expect(
    own
      .getByText("leads into the server’s own network")
      .or(own.getByText("server's own network")),
  ).toBeVisible();
  await fill(out.address, out.key);
  await expect(own.getByText("Visits are written nowhere yet.")).toBeVisible();
  await context.close();
  await expect(
    page.getByText("Linked, but bookings are written nowhere."),
  ).toBeVisible();
  const row = (name: string) =>
    page.getByRole("listitem").filter({ hasText: name });
  await expect(
    row("Family").getByRole("switch", { name: "Blocks time" }),
  ).toBeChecked();
  await row("Work").getByRole("switch", { name: "Gets bookings" }).click();
  await expect(
    page.getByText("block Bryn’s time. Bookings are written to Work"),
  ).toBeVisible();
  await expect(row("Family").getByText(/read \d+ s ago/)).toBeVisible();
}

async function defineService(page: Page) {
  await page.getByRole("link", { name: "Services" }).click();
  await page.getByRole("link", { name: "Define a service" }).click();
  await page.getByLabel("Name").fill("Home tuning");
  await page.getByLabel("Place, as clients read it").fill("At your place");
  await page.getByLabel("Lasts").fill("90");
  await page.getByLabel("Buffer before").fill("20");
  await page.getByLabel("Buffer after").fill("20");
  await page.getByLabel("If a calendar cannot be read").selectOption("refuse");
  await page.getByLabel("Bryn Castellane").check();
  await page.getByRole("button", { name: "Define the service" }).click();
  await expect(
    page.getByRole("link", { name: "/book/home-tuning" }),
  ).toBeVisible();
}

const shelf = (page: Page, day: string) =>
  page.getByRole("region", { name: day });
const token = (page: Page, time: string) =>
  shelf(page, "Tomorrow").getByRole("button", { name: `24 November, ${time}` });

async function details(page: Page, time: string, name: string) {
  await token(page, time).click();
  await page.getByRole("button", { name: "Continue" }).click();
  await page.getByLabel("Your name").fill(name);
  await page.getByLabel("Mail address").fill("client@clients.example");
  const where = page.getByLabel("Where is it to be?");
  if (await where.count()) await where.fill("12 Elm Row");
}

for (const kind of ["the stand-in host", "a real CalDAV server"] as const) {
  test(`from an empty desk to a booking outside, with ${kind}`, async ({
    browser,
  }) => {
    const server =
      kind === "a real CalDAV server" ? await startRadicale() : undefined;
    const allow = server ? ["--allow-host", `127.0.0.1:${server.port}`] : [];
    const niche = await start(
      "--empty",
      "--poll",
      "1s",
      "--now",
      "2026-11-23T08:00:00Z",
      ...allow,
    );
    const out = server ? await radicale(server) : await standIn(niche, browser);
    const desk = await browser.newPage();
    await setUp(desk, niche);
    await addPerson(desk);
    await link(desk, out);
    await defineService(desk);

    const first = await (await browser.newContext()).newPage();
    const second = await (await browser.newContext()).newPage();
    for (const client of [first, second]) {
      await client.goto(`${niche.address}/book/home-tuning`);
      await expect(token(client, "14:00")).toBeVisible();
    }

    // A personal event takes its starts away, on an open screen too; removed, they come back.
    await desk.goto(`${niche.address}/?date=${tuesday}`);
    await out.add("14:30", "15:30");
    await expect(desk.getByText("Busy 14:30–15:30, Family")).toBeAttached();
    await expect(desk.getByText("Secret dentist")).toHaveCount(0);
    await first.reload();
    await expect(token(first, "10:00")).toBeVisible();
    await expect(token(first, "14:00")).toHaveCount(0);
    await out.remove();
    await expect(desk.getByText("Busy 14:30–15:30, Family")).toHaveCount(0);
    await first.reload();
    await expect(token(first, "14:00")).toBeVisible();

    // Two clients want the same start: exactly one gets it.
    await details(first, "14:00", "Rosa Osei");
    await details(second, "14:00", "Luc Moreau");
    await first.getByRole("button", { name: "Book it" }).click();
    await expect(first.getByRole("status")).toHaveText("Booked");
    // Whoever comes back to the form sees it at once, before anything is sent.
    await second.evaluate(() =>
      document.dispatchEvent(new Event("visibilitychange")),
    );
    await expect(
      second.getByText("This time has just been taken. What you typed stays."),
    ).toBeVisible();
    await second.getByRole("button", { name: "Book it" }).click();
    await expect(
      second.getByText("This time has just been taken.").first(),
    ).toBeVisible();
    await expect(second.getByLabel("Your name")).toHaveValue("Luc Moreau");
    await second.getByRole("button", { name: "Tomorrow 10:30" }).click();
    await second.getByRole("button", { name: "Book it" }).click();
    await expect(second.getByRole("status")).toHaveText("Booked");

    // The wall shows them live, with their copies read back; outside they stand at the right time.
    const onWall = desk.getByRole("button", { name: /Rosa Osei/ });
    await expect(
      onWall.getByRole("img", { name: "copy read back" }),
    ).toBeVisible();
    await expect(
      desk.getByRole("button", { name: "14:00 is offered" }),
    ).toHaveCount(0);
    const outside = await out.titles();
    expect(
      outside.some(
        (t) =>
          /Home tuning · Rosa Osei/.test(t) && /14:00–15:30|T140000/.test(t),
      ),
    ).toBe(true);

    // The client's own link moves, with the copy outside going along, and cancels.
    await first.getByRole("link", { name: /\/booking\// }).click();
    await first.getByRole("link", { name: "Move to another time" }).click();
    await token(first, "14:30").click();
    await first.getByRole("button", { name: "Continue" }).click();
    await first.getByRole("button", { name: "Move it here" }).click();
    await expect(first.getByRole("status")).toHaveText("Moved");
    await expect(
      desk.getByRole("button", { name: /^Rosa Osei, 14:30–16:00/ }),
    ).toBeVisible();
    await expect
      .poll(async () =>
        (await out.titles()).filter((t) => t.includes("Rosa Osei")).join(),
      )
      .toMatch(/14:30–16:00|T143000/);
    await first.getByRole("link", { name: /\/booking\// }).click();
    await first.getByRole("button", { name: "Cancel the visit…" }).click();
    await first
      .getByRole("button", { name: "Cancel the visit", exact: true })
      .click();
    await expect(
      first.getByRole("heading", { name: "Cancelled" }),
    ).toBeVisible();
    await expect(onWall).toHaveCount(0);
    await expect
      .poll(async () =>
        (await out.titles()).filter((t) => t.includes("Rosa Osei")),
      )
      .toEqual([]);

    // And the administrator can cancel from the wall.
    await desk.getByRole("button", { name: /Luc Moreau/ }).click();
    await desk.getByRole("button", { name: "Cancel this booking…" }).click();
    await desk.getByRole("button", { name: "Cancel the booking" }).click();
    await expect(desk.getByRole("button", { name: /Luc Moreau/ })).toHaveCount(
      0,
    );
    await out.stop();
    await niche.stop();
  });
}

test("the last look refuses what became busy after the page was opened", async ({
  browser,
}) => {
  const niche = await start("--now", "2026-11-23T08:00:00Z", "--poll", "10m");
  const out = await standIn(niche, browser);
  const client = await (await browser.newContext()).newPage();
  await client.goto(`${niche.address}/book/home-tuning`);
  await client.getByLabel("With").selectOption("Bryn Castellane");
  await details(client, "14:00", "Ida Holm");
  await out.add("14:30", "15:30");
  await client.getByRole("button", { name: "Book it" }).click();
  await expect(client.getByText("This time is no longer free.")).toBeVisible();
  await expect(
    client.getByText("The nearest that are still free"),
  ).toBeVisible();
  await out.stop();
  await niche.stop();
});
