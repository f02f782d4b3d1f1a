import { expect, morning, signIn, start, test } from "./niche";
import { isSound, isSoundInDark } from "./sound";

test("a client answers questions, gets a mail, and says by their calendar that they do not come", async ({
  page,
}) => {
  const niche = await start("--now", morning);
  try {
    await page.setViewportSize({ width: 390, height: 844 });
    await page.goto(
      `${niche.address}/book/piano-moving?name=Ada%20Winter&answer.from=4%20Strand%20Road&with=999`,
    );
    await page.locator(".soonest button").first().click();
    await page.getByRole("button", { name: "Continue" }).click();
    await expect(page.getByLabel("Your name")).toHaveValue("Ada Winter");
    await expect(page.getByLabel("Where does it stand?")).toHaveValue(
      "4 Strand Road",
    );
    await isSound(page);
    await isSoundInDark(page);
    await page.getByRole("button", { name: "Book it" }).click();
    // All that is wrong is told at once, each at its field, and the first has the focus.
    await expect(page.getByText("A telephone number is needed.")).toBeVisible();
    await expect(page.getByText("This is needed.")).toHaveCount(2);
    await expect(page.getByLabel("Mail address")).toBeFocused();
    await isSound(page);
    await page.getByLabel("Mail address").fill("ada@clients.example");
    await page.getByLabel("Telephone").fill("087 123 4567");
    await page.getByLabel("Where is it to go?").fill("Priory School");
    await page.getByLabel(/How many stairs/).fill("lots");
    await page.getByLabel("Remember my details").check();
    await page.getByRole("button", { name: "Book it" }).click();
    await expect(page.getByText("This is not a number.")).toBeVisible();
    // Whoever looks at other times finds again what they have typed.
    await page.getByRole("button", { name: "Another time" }).click();
    await page.getByRole("button", { name: "Continue" }).click();
    await expect(page.getByLabel("Where is it to go?")).toHaveValue(
      "Priory School",
    );
    await page.getByLabel(/How many stairs/).fill("14");
    await page.getByRole("button", { name: "Book it" }).click();
    await expect(page.getByRole("status")).toContainText("Booked");
    await expect(page.getByText("14", { exact: true })).toBeVisible();
    await isSound(page);
    const file = page.waitForEvent("download");
    await page.getByRole("link", { name: "Add to my calendar" }).click();
    expect((await file).suggestedFilename()).toBe("visit.ics");
    // This device knows the details next time, until it is told to forget them.
    await page.goto(`${niche.address}/book/home-tuning`);
    await page.locator(".soonest button").first().click();
    await page.getByRole("button", { name: "Continue" }).click();
    await expect(page.getByLabel("Mail address")).toHaveValue(
      "ada@clients.example",
    );
    await page.getByLabel("Yes").check();
    await expect(page.getByLabel(/What, and where/)).toBeVisible();
    await page.getByLabel("No", { exact: true }).check();
    await expect(page.getByLabel(/What, and where/)).toHaveCount(0);
    await page.getByRole("button", { name: "forget them" }).click();
    await expect(page.getByLabel("Mail address")).toHaveValue("");

    await page.setViewportSize({ width: 1280, height: 800 });
    await page.goto(niche.mailbox);
    const mail = page
      .getByRole("article")
      .filter({ hasText: "ada@clients.example" });
    await expect(async () => {
      await page.reload();
      await expect(mail).toContainText("Your visit: Piano moving", {
        timeout: 500,
      });
    }).toPass();
    await mail.getByRole("button", { name: "does not come" }).click();
    await expect(page.getByText("The answer is on its way")).toBeVisible();
    await signIn(page, niche);
    await page.goto(`${niche.address}/bookings?text=0871234`);
    await page.getByRole("link", { name: "Ada Winter" }).click();
    await expect(page.getByText("not coming, answered")).toBeVisible();
    await expect(page.getByText("Priory School")).toBeVisible();
    await isSound(page);
    // The item is settled in place, and closes by itself.
    await page.goto(`${niche.address}/attention`);
    const item = page.getByText("Ada Winter does not come");
    await item.first().click();
    await isSound(page);
    const what = page.getByRole("complementary");
    await what.getByRole("button", { name: "Cancel…" }).click();
    await expect(what).toContainText("the client is told by mail");
    await what.getByRole("button", { name: "Yes, cancel" }).click();
    await expect(item).toHaveCount(0);
    await page.goto(niche.mailbox);
    await expect(async () => {
      await page.reload();
      await expect(mail.first()).toContainText("Cancelled: Piano moving", {
        timeout: 500,
      });
    }).toPass();
  } finally {
    await niche.stop();
  }
});

test("what clients are told and asked is set up where its effect is seen", async ({
  page,
}) => {
  const niche = await start("--now", morning);
  try {
    await signIn(page, niche);
    await page.goto(`${niche.address}/services/1`);
    const mail = page.getByRole("region", {
      name: "What a client would receive",
    });
    await page.getByRole("tab", { name: "What a client receives" }).click();
    await expect(mail).toContainText("Your visit: Home tuning");
    await page.getByLabel("Subject").fill("See you on {dya}");
    await expect(
      page.getByText("There is no field {dya} (character 12).").first(),
    ).toBeVisible();
    await page.getByLabel("Subject").fill("See you on {day}");
    await expect(mail).toContainText(/See you on \w+ \d+ \w+, \d\d:\d\d/);
    await page.getByRole("button", { name: "another reminder" }).click();
    await expect(
      page.getByText("a reminder 1 day and 2 h before"),
    ).toBeVisible();
    // What is typed letter by letter stays in its place, whatever it is on the way.
    await page.getByLabel("Reminder 1").fill("");
    await page.getByLabel("Reminder 1").pressSequentially("90 min");
    await expect(
      page.getByText("a reminder 2 h and 90 min before"),
    ).toBeVisible();
    await expect(page.getByLabel("Reminder 2")).toHaveValue("2 h");
    await page
      .getByLabel("Approval")
      .selectOption({ label: "somebody answers each request" });
    await expect(
      page.getByText(
        "A request is held, and let go if nobody answers within 1 day.",
      ),
    ).toBeVisible();
    await page.getByRole("button", { name: "Ask something else" }).click();
    await page
      .getByRole("textbox", { name: "Question 5" })
      .fill("Is there a dog?");
    await expect(page.getByText("answer.is-there-a=")).toBeVisible();
    await isSound(page);
    await isSoundInDark(page);
    await page.getByRole("button", { name: "Save", exact: true }).click();
    await expect(page.getByText("Saved", { exact: true })).toBeVisible();
    await page.goto(`${niche.address}/book/home-tuning`);
    await page.locator(".soonest button").first().click();
    await page.getByRole("button", { name: "Continue" }).click();
    await page.getByLabel("Your name").fill("Bea Sol");
    await page.getByLabel("Mail address").fill("bea@clients.example");
    await page.getByLabel("Where is it to be?").fill("2 Sea Road, Howth");
    await page.getByLabel(/Is there a dog/).fill("Two");
    await page.getByRole("button", { name: "Book it" }).click();
    await expect(page.getByRole("status")).toContainText("Held for you");
    await page.goto(`${niche.address}/attention`);
    await expect(
      page.getByText("A booking waits for your word").first(),
    ).toBeVisible();
    await expect(
      page.getByText("Its time is held until").first(),
    ).toBeVisible();
    await page.goto(`${niche.address}/bookings?text=bea%20sol`);
    await page.getByRole("link", { name: "Bea Sol" }).first().click();
    await expect(page.getByText("Is there a dog?")).toBeVisible();
    await expect(page.getByText("Request received")).toBeVisible();
    // A copy begins with all of it, and is another service.
    await page.goto(`${niche.address}/services/1`);
    await page.getByRole("link", { name: "Copy Home tuning" }).click();
    await expect(page.getByLabel("Name", { exact: true })).toHaveValue(
      "Home tuning, copied",
    );
    await expect(page.getByRole("textbox", { name: "Question 5" })).toHaveValue(
      "Is there a dog?",
    );
    await page.getByRole("button", { name: "Define the service" }).click();
    await expect(page).toHaveURL(/services\/\d+$/);
    await expect(
      page.getByRole("link", { name: "/book/home-tuning-copied" }),
    ).toBeVisible();
    await page.getByRole("tab", { name: "What a client receives" }).click();
    await expect(mail).toContainText("See you on");
  } finally {
    await niche.stop();
  }
});

test("over two jumps of the clock a client in another zone books the time that they see", async ({
  browser,
  page,
}) => {
  // Dublin goes back on 25 October, New York on 1 November.
  const niche = await start("--now", "2026-10-23T09:20:00Z");
  try {
    const phone = await (
      await browser.newContext({
        viewport: { width: 390, height: 844 },
        timezoneId: "America/New_York",
      })
    ).newPage();
    const clockIn = (zone: string, at: string) =>
      new Intl.DateTimeFormat("en-GB", {
        timeZone: zone,
        hour: "2-digit",
        minute: "2-digit",
      }).format(new Date(at));
    const days = [];
    for (const from of ["2026-10-23", "2026-10-30"]) {
      const answer = await page.request.get(
        `${niche.address}/api/pages/video-appraisal?zone=America/New_York&from=${from}`,
      );
      days.push(
        ...(
          (await answer.json()) as {
            days: { date: string; starts: { at: string; label: string }[] }[];
          }
        ).days,
      );
    }
    const starts = days.flatMap((d) =>
      d.starts.map((s) => ({ ...s, date: d.date })),
    );
    expect(starts.length).toBeGreaterThan(50);
    for (const s of starts) {
      expect(s.label).toBe(clockIn("America/New_York", s.at));
      expect(s.date).toBe(
        new Date(s.at).toLocaleDateString("en-CA", {
          timeZone: "America/New_York",
        }),
      );
    }
    // The week between the jumps, in which the two are nearer to each other than at other times.
    const between = starts.find((s) => s.date === "2026-10-27");
    if (!between) throw new Error("nothing is offered on that day");
    await phone.goto(
      `${niche.address}/book/video-appraisal?from=2026-10-27&name=Ida%20Holm&mail=ida@clients.example`,
    );
    await phone
      .getByRole("region", { name: "Tuesday" })
      .getByRole("button", { name: between.label })
      .first()
      .click();
    await phone.getByRole("button", { name: "Continue" }).click();
    await expect(
      phone.getByRole("heading", { name: between.label }),
    ).toBeVisible();
    await phone.getByRole("button", { name: "Book it" }).click();
    await expect(phone.getByRole("status")).toContainText("Booked");
    await expect(phone.getByText(between.label).first()).toBeVisible();
    await expect(phone.getByText("New York").first()).toBeVisible();
    await signIn(page, niche);
    await page.goto(`${niche.address}/bookings?text=ida%20holm`);
    await expect(
      page.getByText(clockIn("Europe/Dublin", between.at)).first(),
    ).toBeVisible();
    await expect(async () => {
      const mails = await (await page.request.get(niche.mailbox)).text();
      expect(mails).toContain(`27 October 2026, ${between.label}`);
    }).toPass();
  } finally {
    await niche.stop();
  }
});
