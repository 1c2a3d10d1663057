import { expect, test } from "./fixtures";
import { axeFinds, BY_THE_CLOCK, heading, listen } from "./helpers";

test("a blind drill: started, looked for, named wrongly, shown, and kept with its pages", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/setup/drills");
  // Of these two no rule says anything yet: what comes after finds the estate well.
  await page.getByRole("combobox", { name: "About" }).selectOption("statement");
  await page.getByRole("button", { name: "Start a blind drill" }).click();
  await expect(heading(page)).toContainText("A blind drill has been running");
  // Nothing on the page says which.
  await expect(page.getByRole("button", { name: /^End: / })).toHaveCount(0);
  await expect(page.getByText("Running since")).toHaveCount(0);
  await expect(page.getByRole("row").filter({ hasText: "Blind, not named yet" })).toHaveCount(1);
  expect(await axeFinds(page)).toEqual([]);

  await page.getByRole("link", { name: "Estate" }).click();
  await expect(heading(page)).toContainText("components");
  await page.goto("/estate?q=nq-mail-01");
  await page.getByRole("link", { name: "nq-mail-01", exact: true }).click();
  await expect(heading(page)).toContainText("nq-mail-01");
  await page.goto("/setup/drills");

  await page.getByRole("button", { name: "Name it" }).click();
  await expect(page.getByText("Name a host, a process @ host, or a line: two sites")).toBeVisible();
  await page.getByRole("textbox", { name: "Cause" }).fill("nq-mail-01");
  await page.getByRole("button", { name: "Name it" }).click();
  await expect(page.getByText("That is not it.")).toBeVisible();
  await expect(page.getByText("Named 1 time.")).toBeVisible();
  await page.getByRole("button", { name: "Show the answer" }).click();

  const record = page.getByRole("row").filter({ hasText: "shown after 1 try" }).first();
  await expect(record).toContainText("Edo Brandsma-Quill");
  await record.getByText(/^\d+$/).click();
  await expect(record).toContainText("/estate/");
  const end = page.getByRole("button", { name: /^End: / });
  await expect(end).toHaveCount(1);
  await end.click();
  await expect(heading(page)).toContainText("No drill is running");
  await expect(page.getByRole("row").filter({ hasText: "ended by hand after" }).first()).toBeVisible();
  await page.goto("/");
  await expect(heading(page)).toContainText(/runs as it should|no open incident/, BY_THE_CLOCK);
  // An empty name is refused with a sentence, which the browser notes.
  expect(complaints.filter((one) => !one.includes("400 (Bad Request)"))).toEqual([]);
});
