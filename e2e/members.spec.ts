import { devices } from "@playwright/test";
import { expect, morning, signIn, start, test } from "./niche";
import { isSound } from "./sound";

const piet = "piet@lindqvist.example";

test("a staff member is asked, links a calendar on a telephone, and sees the day there", async ({
  page,
  browser,
}) => {
  const niche = await start("--now", morning);
  try {
    await signIn(page, niche);
    await page.goto(`${niche.address}/team`);
    await page.getByRole("link", { name: "Piet Lindqvist" }).click();
    await expect(
      page.getByRole("heading", { name: "Piet Lindqvist" }),
    ).toBeVisible();
    await page.getByRole("link", { name: "Calendars", exact: true }).click();
    await page
      .getByRole("button", { name: "Ask Piet to link by mail" })
      .click();
    await expect(
      page.getByText("An address goes to piet@lindqvist.example."),
    ).toBeVisible();
    await isSound(page);
    await expect(
      page.getByText("Asked Mon 23 Nov; not come in yet."),
    ).toBeVisible();

    const { viewport, userAgent, hasTouch } = devices["Pixel 7"];
    const context = await browser.newContext({ viewport, userAgent, hasTouch });
    const phone = await context.newPage();
    const newest = async (subject: string) => {
      await expect(async () => {
        await phone.goto(niche.mailbox);
        await expect(
          phone.getByRole("article").first().getByRole("heading"),
        ).toHaveText(subject, { timeout: 500 });
      }).toPass();
      return phone.getByRole("link", { name: /^Open / }).first();
    };
    const mailed = await newest("Link your calendar: Quillon Piano Care");
    const address = (await mailed.getAttribute("href")) ?? "";
    await mailed.click();
    await expect(
      phone.getByRole("heading", { name: "Piet, link your calendar" }),
    ).toBeVisible();
    await isSound(phone);
    await phone.getByRole("button", { name: "Begin" }).click();
    await phone.getByRole("button", { name: "Use an app password" }).click();
    await phone.getByLabel("User").fill(piet);
    await phone.getByLabel("App password").fill("wrong");
    const go = phone.getByRole("button", { name: "Sign in and find my" });
    await go.click();
    await expect(
      phone.getByText("does not accept this user name and app password"),
    ).toBeVisible();
    await expect(phone.getByLabel("User")).toHaveValue(
      "piet@lindqvist.example",
    );
    await phone.getByLabel("App password").fill("app-Piet-7882");
    await go.click();
    // All blocks time at first, which is the safe side; where visits go is asked.
    await expect(
      phone.getByText("Visits are written nowhere yet."),
    ).toBeVisible();
    const row = (name: string) =>
      phone.getByRole("listitem").filter({ hasText: name });
    for (const name of ["Personal"]) {
      const blocks = row(name).getByRole("switch", { name: "Blocks time" });
      await expect(blocks).toBeChecked();
      await blocks.click();
    }
    await row("Work").getByRole("switch", { name: "Gets bookings" }).click();
    await expect(phone.getByText("Visits are written to Work")).toBeVisible();
    // What events are called is theirs to open, and the last choice to undo.
    await phone.getByRole("button", { name: "How events of Work" }).click();
    await row("Work").getByRole("switch", { name: "Shows titles" }).click();
    await expect(
      phone.getByText("Your desk reads what your events are called"),
    ).toBeVisible();
    await phone.getByRole("button", { name: "undo the last choice" }).click();
    await expect(
      phone.getByText("Your desk sees when you are busy, and nothing else."),
    ).toBeVisible();
    await isSound(phone);

    // The desk has followed.
    await expect(page.getByText("Work blocks Piet’s time.")).toBeVisible();
    await phone.getByRole("link", { name: "My day" }).click();
    await expect(
      phone.getByRole("heading", { name: "Monday 23 November" }),
    ).toBeVisible();
    await expect(
      phone.getByText("You have no hours on this day."),
    ).toBeVisible();
    await phone.getByRole("button", { name: "The day after" }).click();
    await expect(
      phone.getByRole("heading", { name: "Tuesday 24 November" }),
    ).toBeVisible();
    await isSound(phone);

    // The address has done its work; the browser is still signed in, and others are not.
    await phone.goto(address);
    await expect(phone.getByText("This way is closed")).toBeVisible();
    await phone.getByRole("link", { name: "go on to your pages" }).click();
    await expect(phone.getByText("Which calendars count?")).toBeVisible();
    await phone.getByRole("button", { name: "Sign out" }).click();
    await expect(phone.getByText("You are not signed in here.")).toBeVisible();
    await isSound(phone);

    // From then on the way in comes by mail, for this browser alone.
    await phone.getByLabel("Your mail address").fill(piet);
    await phone.getByRole("button", { name: "Mail me my way in" }).click();
    await expect(phone.getByText("Look into your mail")).toBeVisible();
    const back = await newest("Your way in: Quillon Piano Care");
    await page.goto((await back.getAttribute("href")) ?? "");
    await page.getByRole("button", { name: "Come in" }).click();
    await expect(
      page.getByText("works only in the browser in which you asked"),
    ).toBeVisible();
    await back.click();
    await phone.getByRole("button", { name: "Come in" }).click();
    await expect(phone.getByText("Piet Lindqvist · Quillon")).toBeVisible();

    // The desk keeps the hours, until it lets them do so; a password saves the mail.
    await phone.getByRole("link", { name: "My hours" }).click();
    await expect(phone.getByText("Your desk keeps your hours.")).toBeVisible();
    await isSound(phone);
    await page.goto(`${niche.address}/team/6/details`);
    await page.getByRole("switch", { name: "Keeps own hours" }).click();
    await page.getByRole("button", { name: "Save" }).click();
    const days = phone.getByRole("region", { name: "One-off days" });
    await days.getByRole("textbox", { name: "From" }).fill("2026-12-10");
    await days.getByRole("textbox", { name: "Note" }).fill("Moving house");
    await days.getByRole("button", { name: "Add" }).click();
    await expect(days.getByText("Thu, 10 Dec 2026")).toBeVisible();
    await isSound(phone);
    await page.getByRole("link", { name: "Hours", exact: true }).click();
    await expect(page.getByText("Moving house")).toBeVisible();
    await phone.getByText("choose a password instead").click();
    await phone.getByLabel("Password").fill("lindqvist piet");
    await phone.getByRole("button", { name: "Save the password" }).click();
    await expect(phone.getByText("names that anybody knows")).toBeVisible();
    await phone.getByLabel("Password").fill("nine grey herons");
    await phone.getByRole("button", { name: "Save the password" }).click();
    await expect(phone.getByText("It is your password from now")).toBeVisible();
    await phone.getByRole("button", { name: "Sign out" }).click();
    await phone.getByRole("button", { name: "I have a password" }).click();
    await phone.getByLabel("Your mail address").fill(piet);
    await phone.getByLabel("Your password").fill("nine grey herons");
    await phone.getByRole("button", { name: "Come in" }).click();
    await expect(phone.getByText("Piet Lindqvist · Quillon")).toBeVisible();

    // A second account is at another host, which is known by the mail address; some of its calendars are others’.
    await phone.getByRole("link", { name: "My calendars" }).click();
    await phone.getByRole("button", { name: "Link another calendar" }).click();
    await phone.getByRole("button", { name: "Use an app password" }).click();
    await phone.getByLabel("User").fill("piet@harbour.example");
    await phone.getByLabel("App password").fill("harbour-Piet-7155");
    await expect(
      phone.getByLabel("Calendar host").locator("option:checked"),
    ).toHaveText("Harbour");
    await phone.getByRole("button", { name: "Sign in and find my" }).click();
    await expect(
      row("Workbench of Ansel").getByText("Read-only"),
    ).toBeVisible();
    const harbour = phone.getByRole("region", { name: "Harbour, piet@" });
    await harbour.getByRole("button", { name: "unlink" }).click();
    await harbour.getByRole("button", { name: "Unlink Harbour" }).click();
    await expect(harbour).toHaveCount(0);

    // They sign in at the host instead: what was linked stays, without a password.
    await phone.getByRole("link", { name: "My calendars" }).click();
    await phone.getByRole("button", { name: "Link another calendar" }).click();
    await isSound(phone);
    const atCloudlet = phone.getByRole("button", {
      name: "Sign in at Cloudlet",
    });
    await atCloudlet.click();
    await phone.getByRole("button", { name: "Refuse" }).click();
    await expect(
      phone.getByText("You did not consent at the host"),
    ).toBeVisible();
    await isSound(phone);
    await phone.getByRole("link", { name: "Back to your calendars" }).click();
    await phone.getByRole("button", { name: "Link another calendar" }).click();
    await atCloudlet.click();
    await phone.getByLabel("Who are you?").selectOption(piet);
    await phone.getByRole("button", { name: "Allow" }).click();
    await expect(phone.getByText("Which calendars count?")).toBeVisible();
    await expect(phone.getByText("Visits are written to Work")).toBeVisible();
    await phone.getByRole("button", { name: "renew" }).click();
    await phone.getByRole("button", { name: "Go to Cloudlet" }).click();
    await phone.getByRole("button", { name: "Allow" }).click(); // as Mara, who is the first in the list
    await expect(
      phone.getByText("The host answers as another account."),
    ).toBeVisible();
    await context.close();

    // An administrator tries the host, and sees what came back.
    await page.goto(`${niche.address}/settings`);
    await page.getByRole("button", { name: "Try Cloudlet" }).click();
    await page.getByRole("button", { name: "Allow" }).click();
    await expect(
      page.getByRole("heading", { name: "Signing in at Cloudlet works" }),
    ).toBeVisible();
    await expect(page.getByText('"access_token": "…"')).toBeVisible();
    await isSound(page);

    // What went out is told at the desk, and a trial shows the conversation.
    await page.goto(`${niche.address}/settings`);
    const mail = page.getByRole("region", { name: "Mail" });
    await expect(
      mail.getByText("Your way in: Quillon Piano Care"),
    ).toBeVisible();
    await mail.getByRole("button", { name: "Send me a trial message" }).click();
    await expect(mail.getByText("The mail server took it.")).toBeVisible();
    await mail.getByLabel("Mail server").fill("no mail server");
    await mail.getByRole("button", { name: "Save" }).click();
    await expect(
      mail.getByText("This is not the name of a mail server"),
    ).toBeVisible();
  } finally {
    await niche.stop();
  }
});
