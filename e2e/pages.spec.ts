import { expect, morning, signIn, start, test } from "./niche";
import { fits, isSound, isSoundInDark } from "./sound";

test("services are put together, one is chosen on a telephone, paid with a notice that comes late, and it is counted", async ({
  page,
  browser,
}) => {
  const niche = await start("--now", morning);
  try {
    await signIn(page, niche);
    await page.goto(`${niche.address}/pages`);
    await page.getByRole("link", { name: "Put services together" }).click();
    await page.getByLabel("Title", { exact: true }).fill("For your home");
    const add = (n: number) =>
      page.locator("select").filter({ hasText: "add a service" }).nth(n);
    await add(0).selectOption("Video appraisal");
    await add(0).selectOption("Care class");
    await page.getByLabel("Heading", { exact: true }).fill("To begin with");
    await page.getByRole("button", { name: "up, Care class" }).click();
    await page.getByRole("button", { name: "Make the page" }).click();
    await expect(
      page.getByRole("link", { name: "/choose/for-your-home" }),
    ).toBeVisible();
    const inside = page.frameLocator(
      'iframe[title="The page, as clients see it"]',
    );
    await expect(
      inside.getByRole("link", { name: "Care class", exact: true }),
    ).toBeVisible();
    await isSound(page);
    // What an address was, it stays.
    await page.getByLabel("Address", { exact: true }).fill("at-home");
    await page.getByRole("button", { name: "Save", exact: true }).click();
    await expect(
      page.getByText("/choose/for-your-home leads here too, for ever."),
    ).toBeVisible();

    const phone = await (
      await browser.newContext({ viewport: { width: 390, height: 844 } })
    ).newPage();
    await phone.goto(`${niche.address}/choose/for-your-home?name=Ada%20Winter`);
    await expect(phone).toHaveURL(/\/choose\/at-home/);
    await isSound(phone);
    await isSoundInDark(phone);
    await phone
      .getByRole("link", { name: /^Care class, / })
      .first()
      .click();
    await expect(phone.getByLabel("Your name")).toHaveValue("Ada Winter");
    await phone.getByLabel("Mail address").fill("ada@clients.example");
    await phone.getByRole("button", { name: "Book and pay" }).click();
    await expect(
      phone.getByText("The visit stands once €25.00 is paid."),
    ).toBeVisible();
    await isSound(phone);
    const mine = await phone
      .getByRole("link", { name: /\/booking\// })
      .getAttribute("href");
    await phone.getByRole("link", { name: "Pay €25.00" }).click();
    await phone
      .getByRole("button", { name: "Pay, and let the notice" })
      .click();
    await expect(
      phone.getByRole("heading", { name: "Held for you, to be paid" }),
    ).toBeVisible();
    await phone.request.post(`${niche.services}/payments/mood`, {
      form: { send: "1" },
    });
    await expect(
      phone.getByRole("heading", { name: "Your booking" }),
    ).toBeVisible();
    await expect(phone.getByText("€25.00 is paid.")).toBeVisible();
    expect(phone.url()).toContain(mine ?? "nothing");

    await page.goto(`${niche.address}/pages`);
    const row = page
      .getByRole("listitem")
      .filter({ hasText: "For your home" })
      .first();
    await expect(row).toContainText("1 opened");
    await expect(
      page
        .getByRole("listitem")
        .filter({ has: page.getByRole("link", { name: "Care class" }) }),
    ).toContainText(/25 opened.*16 chose a start.*12 their details/s);
    await page.goto(`${niche.address}/bookings?text=ada%20winter`);
    await page.getByRole("link", { name: "Ada Winter" }).first().click();
    await expect(page.getByText("€25.00, paid")).toBeVisible();
  } finally {
    await niche.stop();
  }
});

test("the whole way in 200 % text at 320 px, with a file, a code and an own calendar beside it", async ({
  page,
}) => {
  const niche = await start("--now", morning);
  try {
    await signIn(page, niche);
    await page.goto(`${niche.address}/services/3`);
    await page.getByLabel("Clients prove by a code").check();
    await page.getByRole("button", { name: /^Ask/ }).first().click();
    await page
      .getByRole("textbox", { name: "Question 1" })
      .fill("A picture of it?");
    await page
      .getByLabel("answered by")
      .last()
      .selectOption({ label: "files" });
    await page
      .getByLabel("Words of thanks")
      .fill("See you soon, on the screen.");
    await page.getByLabel("Heading of the starts").fill("Which evening?");
    await page.getByLabel("Heading once it is booked").fill("All is set");
    await page.getByLabel("Button of a chosen start").fill("That one");
    await page.getByRole("button", { name: "Save", exact: true }).click();
    await expect(page.getByText("Saved", { exact: true })).toBeVisible();
    const used = new Set<string>();
    const codeFromMail = async () => {
      let code = "";
      await expect(async () => {
        const mails = await (await page.request.get(niche.mailbox)).text();
        const all = mails.matchAll(
          /type this code there:\s*(?:<\/p>\s*<p>|<br>|\s)*([A-Z0-9]{6})/g,
        );
        code = [...all].map((m) => m[1] ?? "").find((c) => !used.has(c)) ?? "";
        expect(code).not.toBe("");
      }).toPass();
      used.add(code);
      return code;
    };
    // It is tried on its page, as a client would, by whoever sets it up, and is cleaned up.
    const trial = page.getByRole("region", { name: "Trial" });
    const opened = page.context().waitForEvent("page");
    await trial.getByRole("button", { name: "Try it" }).click();
    const tried = await opened;
    await expect(tried.getByText("A trial: what you book here")).toBeVisible();
    await expect(
      tried.getByRole("heading", { name: "Which evening?" }),
    ).toBeVisible();
    await tried
      .getByRole("button", { name: /\d\d:\d\d/ })
      .first()
      .click();
    await tried.getByRole("button", { name: "That one" }).click();
    await expect(tried.getByLabel("Mail address")).toHaveValue(
      "admin@quillon.example",
    );
    await tried.getByRole("button", { name: "Book it" }).click();
    await tried.getByLabel("Code from the mail").fill(await codeFromMail());
    await tried.getByRole("button", { name: "Book it" }).click();
    await expect(
      tried.getByRole("heading", { name: "All is set" }),
    ).toBeVisible();
    await tried.close();
    await expect(trial.getByText(/Meeting room: http/)).toBeVisible();
    await expect(
      trial.getByText(/Confirmation to admin@quillon.example: sent/),
    ).toBeVisible();
    await expect(trial.getByText(/calendar Work: read back/)).toBeVisible();
    await isSound(page);
    await trial.getByRole("button", { name: "Clean up" }).click();
    await expect(
      trial.getByText("The last trial is cleaned up."),
    ).toBeVisible();

    await page.setViewportSize({ width: 320, height: 700 });
    await page.goto(`${niche.address}/book/video-appraisal`);
    await page.addStyleTag({ content: "html{font-size:200%}" });
    await expect(
      page.getByRole("heading", { name: "Video appraisal" }),
    ).toBeVisible();
    await fits(page);
    await page
      .getByRole("button", { name: "put my calendar beside it" })
      .click();
    await page
      .getByLabel("Address of my calendar")
      .fill(`${niche.host}/public/stage@cedar-hall.example/concerts.ics`);
    await page.getByRole("button", { name: "Look" }).click();
    await expect(
      page.getByText("starts at which you are busy are marked"),
    ).toBeVisible();
    await expect(
      page.getByRole("button", {
        name: /27 November, 13:30.*you are busy then/,
      }),
    ).toBeVisible();
    await fits(page);
    const free = page.getByRole("button", { name: /27 November, 16:00/ });
    await free.focus();
    await page.keyboard.press("Enter");
    await page.getByRole("button", { name: "That one" }).focus();
    await page.keyboard.press("Enter");
    await page.getByLabel("Your name").fill("Ada Winter");
    await page.getByLabel("Mail address").fill("ada@clients.example");
    await page.getByLabel(/A picture of it/).setInputFiles({
      name: "song.mp3",
      mimeType: "audio/mpeg",
      buffer: Buffer.from("ID3"),
    });
    await expect(page.getByText(/song.mp3: This is no picture/)).toBeVisible();
    await page.getByLabel(/A picture of it/).setInputFiles({
      name: "piano.png",
      mimeType: "image/png",
      buffer: Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 1]),
    });
    await expect(page.getByText("piano.png", { exact: true })).toBeVisible();
    await fits(page);
    await isSound(page);
    await page.getByRole("button", { name: "Book it" }).click();
    await expect(
      page.getByText("A code was sent to ada@clients.example"),
    ).toBeVisible();
    await page.getByLabel("Code from the mail").fill(await codeFromMail());
    await page.getByRole("button", { name: "Book it" }).click();
    await expect(page.getByRole("status")).toContainText("All is set");
    await expect(page.getByText("See you soon, on the screen.")).toBeVisible();
    // All of it together is less than a telephone minds.
    const script = await page.evaluate(() =>
      performance
        .getEntriesByType("resource")
        .filter((r) => r.name.endsWith(".js"))
        .reduce(
          (sum, r) => sum + (r as PerformanceResourceTiming).encodedBodySize,
          0,
        ),
    );
    expect(script).toBeGreaterThan(20_000);
    expect(script).toBeLessThan(60_000);
    await fits(page);
    await isSound(page);
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.goto(`${niche.address}/bookings?text=ada%20winter`);
    await page.getByRole("link", { name: "Ada Winter" }).first().click();
    const file = page.waitForEvent("download");
    await page.getByRole("link", { name: "piano.png" }).click();
    expect((await file).suggestedFilename()).toBe("piano.png");
    await expect(page.getByRole("link", { name: "online" })).toBeVisible();
  } finally {
    await niche.stop();
  }
});

test("clients are found, merged and parted, told apart from others, and erased", async ({
  page,
}) => {
  const niche = await start("--now", morning);
  try {
    await signIn(page, niche);
    await page.goto(`${niche.address}/clients`);
    await page.getByLabel("Search clients").fill("ida");
    await page.getByRole("link", { name: "Ida Holm" }).click();
    await expect(page.getByRole("heading", { name: "Ida Holm" })).toBeVisible();
    await page.getByLabel("Note, which no client sees").fill("Plays at night.");
    await page.getByRole("button", { name: "Save", exact: true }).click();
    await expect(page.getByText("Saved", { exact: true })).toBeVisible();
    await page
      .getByLabel("Another client who is the same person")
      .fill("lea roth");
    await page.getByRole("button", { name: "Is the same" }).click();
    await expect(
      page.getByText("lea.roth@clients.example").first(),
    ).toBeVisible();
    await isSound(page);
    await isSoundInDark(page);
    await page.getByRole("button", { name: "is another" }).click();
    await expect(page.getByText("Books by another address too?")).toBeVisible();
    const held = page.waitForEvent("download");
    await page.getByRole("link", { name: "All we hold" }).click();
    expect((await held).suggestedFilename()).toMatch(/^client-\d+\.json$/);
    await page.getByRole("button", { name: "Erase…" }).click();
    await expect(
      page.getByText("They have visits ahead. Cancel those first."),
    ).toBeVisible();
    const visits = (how: string | RegExp) =>
      page.getByRole("listitem").filter({ hasText: how });
    for (let gone = 1; await visits("ahead").count(); gone++) {
      await visits("ahead").getByRole("link").first().click();
      await page.getByRole("button", { name: "Cancel…" }).click();
      await page.getByRole("button", { name: "Cancel the booking" }).click();
      await expect(page.getByText("Cancelled.", { exact: true })).toBeVisible();
      await page.getByRole("link", { name: "Client", exact: true }).click();
      await expect(visits(/, \d\d:\d\d.*cancelled$/)).toHaveCount(gone);
    }
    await page.getByRole("button", { name: "Erase…" }).click();
    await page.getByRole("button", { name: "Erase Ida Holm" }).click();
    await expect(page).toHaveURL(/\/clients$/);
    await page.getByLabel("Search clients").fill("ida");
    await expect(page.getByText("Nobody is found by “ida”.")).toBeVisible();
  } finally {
    await niche.stop();
  }
});
