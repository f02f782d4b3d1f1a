import { expect, signIn, test } from "./niche";

// Each test changes something of its own in the demo, on days that no other test looks at.

test("a change of hours names the bookings that no longer fit before it is saved", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/team/2`);
  await page.getByLabel("Monday hours 1, from").fill("11");
  await page.getByRole("button", { name: "Save the hours" }).click();
  const list = page.getByRole("alert", {
    name: "Bookings that would no longer fit",
  });
  await expect(list).toContainText("Mon 23 Nov 2026, 10:00–11:30 Luc Moreau");
  await expect(list).toContainText("does not fit into the hours");
  await list.getByRole("button", { name: "Go on editing" }).click();
  await expect(page.getByLabel("Monday hours 1, from")).toHaveValue("11:00");
  await page.getByRole("button", { name: "Save the hours" }).click();
  await list.getByRole("button", { name: "Save, and keep them" }).click();
  await expect(page.getByRole("status").first()).toHaveText("Saved");
  await page.reload();
  await expect(page.getByLabel("Monday hours 1, from")).toHaveValue("11:00");
});

test("hours change with the season, and alternate by weeks", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/team/6`);
  await page.getByRole("button", { name: "add a pattern" }).click();
  await page.getByLabel("In force from").fill("2027-03-01");
  await page.getByLabel("Until", { exact: true }).first().fill("2027-02-01");
  await page.getByRole("button", { name: "Save the hours" }).click();
  await expect(page.getByText("is before the pattern starts")).toBeVisible();
  await page.getByLabel("Until", { exact: true }).first().fill("2027-08-31");
  await page.getByRole("button", { name: "alternate weeks" }).click();
  await page.getByRole("button", { name: "Remove Monday hours 1" }).click();
  await page.getByRole("button", { name: "Remove Monday breaks 1" }).click();
  await expect(
    page.getByText("1 March 2027 – 31 August 2027").first(),
  ).toBeVisible();
  await page.getByRole("button", { name: "Save the hours" }).click();
  await expect(page.getByRole("status").first()).toHaveText("Saved");
  await page.reload();
  await page
    .getByRole("button", { name: "1 March 2027 – 31 August 2027" })
    .click();
  await expect(page.getByLabel("Monday hours 1, from")).toHaveValue("08:00");
  await page.getByRole("button", { name: "Week 2" }).click();
  await expect(page.getByLabel("Monday hours 1, from")).toHaveCount(0);
  await expect(page.getByLabel("Tuesday hours 1, from")).toHaveValue("08:00");
});

test("an absence and a one-off day win over the pattern", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/team/5`);
  const days = page.getByRole("region", { name: "One-off days and absences" });
  await days.getByLabel("From").fill("2026-12-14");
  await days.getByLabel("Until").fill("2026-12-10");
  await days.getByRole("button", { name: "Add", exact: true }).click();
  await expect(
    days.getByText("the absence ends before it starts"),
  ).toBeVisible();
  await days.getByLabel("Until").fill("2026-12-18");
  await days.getByLabel("Note").fill("Sailing");
  await days.getByRole("button", { name: "Add", exact: true }).click();
  await expect(days.getByRole("listitem")).toContainText("Sailing");
  await days.getByLabel("What").selectOption("Other hours");
  await days.getByLabel("Day", { exact: true }).fill("2026-12-16");
  await days.getByLabel("other hours 1, from").fill("10");
  await days.getByLabel("other hours 1, to").fill("1130");
  await days.getByRole("button", { name: "Add", exact: true }).click();
  await expect(days.getByRole("listitem").last()).toContainText("10:00–11:30");
  await page.goto(`${demo.address}/?date=2026-12-15`);
  await expect(
    page.getByRole("region", { name: "Noor Haddad, no hours" }),
  ).toBeVisible();
  await page.goto(`${demo.address}/?date=2026-12-16`);
  await expect(
    page.getByRole("region", { name: "Noor Haddad, 1 h 30 open" }),
  ).toBeVisible();
});

test("closures come from a calendar file, and shut the day for clients", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/house`);
  const lines = [
    "BEGIN:VCALENDAR",
    "VERSION:2.0",
    "BEGIN:VEVENT",
    "UID:h",
    "DTSTART;VALUE=DATE:20261225",
  ];
  lines.push(
    "SUMMARY:Winter holiday",
    "RRULE:FREQ=YEARLY",
    "END:VEVENT",
    "END:VCALENDAR",
    "",
  );
  const file = {
    name: "holidays.ics",
    mimeType: "text/calendar",
    buffer: Buffer.from(lines.join("\r\n")),
  };
  await page.getByLabel("Or a calendar file").setInputFiles(file);
  await expect(page.getByText("2 days found, 2 of them new.")).toBeVisible();
  await expect(
    page.getByRole("listitem").filter({ hasText: "Winter holiday" }),
  ).toHaveCount(2);
  await page
    .getByLabel("Address of a holiday calendar")
    .fill("https://127.0.0.1:1/holidays.ics");
  await page.getByRole("button", { name: "Read" }).click();
  await expect(
    page.getByText("leads into the server's own network"),
  ).toBeVisible();
  await page.goto(`${demo.address}/?date=2026-12-25`);
  await expect(
    page.getByRole("region", { name: "Mara Quillon, no hours" }),
  ).toBeVisible();
});

test("several clients share a visit, and a pause shuts the page", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/book/care-class`);
  await page.getByLabel("How many").selectOption("5");
  await expect(
    page.getByRole("region", { name: "Tomorrow" }).getByText("Fully taken"),
  ).toBeVisible();
  await page.getByLabel("How many").selectOption("3");
  await page
    .getByRole("button", {
      name: "Tuesday 24 November, 10:00–11:15, 4 places left",
    })
    .click();
  await page.getByRole("button", { name: "Continue" }).click();
  await page.getByLabel("Your name").fill("Uma Berg");
  await page.getByLabel("Mail address").fill("uma@clients.example");
  // It is paid before it stands: for three places, at a host of its own.
  await page.getByRole("button", { name: "Book and pay" }).click();
  await expect(
    page.getByRole("heading", { name: "Held for you, to be paid" }),
  ).toBeVisible();
  await page.getByRole("link", { name: "Pay €75.00" }).click();
  await page.getByRole("button", { name: "Pay", exact: true }).click();
  await expect(
    page.getByRole("heading", { name: "Your booking" }),
  ).toBeVisible();
  await expect(page.getByText("€75.00 is paid.")).toBeVisible();
  await page.goto(`${demo.address}/?date=2026-11-24`);
  await page.getByRole("button", { name: /7 of 8 places/ }).click();
  await expect(
    page.getByRole("complementary", { name: "Booking" }),
  ).toContainText("Uma Berg, 3 places");

  await page.goto(`${demo.address}/services/5`);
  await expect(page.getByRole("heading", { name: "Care class" })).toBeVisible();
  await page.getByLabel("Paused for now").check();
  await expect(
    page.getByText("It is paused: nothing can be booked."),
  ).toBeVisible();
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("Saved", { exact: true })).toBeVisible();
  await page.goto(`${demo.address}/book/care-class`);
  await expect(
    page.getByText("This cannot be booked for the time being."),
  ).toBeVisible();
  await page.goto(`${demo.address}/services/5`);
  await expect(page.getByText("It is paused")).toBeVisible();
  await page.getByLabel("Paused for now").uncheck();
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("Saved", { exact: true })).toBeVisible();
});
