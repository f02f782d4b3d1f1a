import { expect, signIn, test } from "./niche";
import { isSound } from "./sound";

// Each test changes something of its own in the demo, and changes it back.

test("the team is searched and sorted, and somebody is archived and brought back", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/team`);
  const rows = page.getByRole("listitem");
  await expect(rows).toHaveCount(6);
  await expect(rows.first()).toContainText("Ansel Okoro");
  await page.getByLabel("Sorted by").selectOption("what is missing");
  await expect(rows.first()).toContainText("Piet Lindqvist");
  await expect(rows.first()).toContainText("No calendar linked");
  await page.getByLabel("Search people").fill("appraisal");
  await expect(rows).toHaveCount(2);
  await page.getByLabel("Search people").fill("nobody at all");
  await expect(page.getByText("Nobody here is called or does")).toBeVisible();
  await page.goto(`${demo.address}/team/6/details`);
  await page.getByRole("button", { name: "Archive Piet Lindqvist" }).click();
  await expect(page.getByText("Piet Lindqvist is archived.")).toBeVisible();
  await page.goto(`${demo.address}/team`);
  await expect(rows).toHaveCount(5);
  await page.getByLabel("Show what is archived").check();
  await expect(rows).toHaveCount(1);
  await isSound(page);
  await rows.getByRole("link", { name: "Piet Lindqvist" }).click();
  await page.getByRole("link", { name: "Details" }).click();
  await page.getByRole("button", { name: "Bring back" }).click();
  await expect(
    page.getByRole("button", { name: "Archive Piet Lindqvist" }),
  ).toBeVisible();
});

test("services are searched and sorted, and rooms archived", async ({
  page,
  demo,
}) => {
  await signIn(page, demo);
  await page.goto(`${demo.address}/services`);
  const rows = page.getByRole("listitem");
  await expect(rows).toHaveCount(6);
  await page.getByLabel("Sorted by").selectOption("length");
  await expect(rows.first()).toContainText("Video appraisal");
  await page.getByLabel("Search services").fill("hall");
  await expect(rows).toHaveCount(1);
  await page.goto(`${demo.address}/house`);
  const rooms = page.getByRole("region", { name: "Rooms and equipment" });
  await expect(rooms.getByRole("listitem").first()).toContainText(
    "For Piano moving",
  );
  await rooms.getByLabel("Search rooms").fill("bay");
  await expect(rooms.getByRole("listitem")).toHaveCount(2);
  await rooms.getByRole("button", { name: "Change Bay at the back" }).click();
  await rooms.getByLabel("New name").fill("bay by THE window");
  await rooms.getByLabel("New kind").fill("loft");
  await rooms.getByRole("button", { name: "Save" }).click();
  await expect(rooms.getByText("can be told apart")).toBeVisible();
  await rooms.getByLabel("New name").fill("Bay at the back");
  await rooms.getByRole("button", { name: "Save" }).click();
  await rooms.getByLabel("Search rooms").fill("");
  await rooms.getByLabel("Sorted by").selectOption("what is missing");
  await expect(rooms.getByRole("listitem").first()).toContainText(
    "No service needs a loft",
  );
  await rooms.getByRole("button", { name: "Change Bay at the back" }).click();
  await rooms.getByLabel("New kind").fill("workshop bay");
  await rooms.getByRole("button", { name: "Save" }).click();
  await expect(rooms.getByText("No service needs")).toHaveCount(0);
  const closures = page.getByRole("region", { name: "Closures" });
  await closures.getByLabel("Search closures").fill("fair");
  await expect(closures.getByRole("listitem")).toHaveText(/^Piano fair/);
  await closures
    .getByRole("button", { name: /^Open again on Saturday, 9/ })
    .click();
  await expect(closures.getByText("No closure here is called")).toBeVisible();
  await closures.getByRole("button", { name: "undo the last change" }).click();
  await expect(closures.getByRole("listitem")).toHaveText(/^Piano fair/);
  await closures.getByLabel("Show what is past").check();
  await expect(closures.getByText("No closure here is called")).toBeVisible();
  await page.getByRole("button", { name: "Archive Bay at the back" }).click();
  await expect(page.getByText("Bay at the back")).toHaveCount(0);
  await rooms.getByLabel("Show what is archived").check();
  await page
    .getByRole("button", { name: "Bring back Bay at the back" })
    .click();
  await expect(page.getByText("Nothing is archived.")).toBeVisible();
});
