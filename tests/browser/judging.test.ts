import { expect, test, type Page } from "./fixtures";
import { axeFinds, BY_THE_CLOCK, heading, listen } from "./helpers";

/** A part of a page by its heading. */
const part = (page: Page, name: string | RegExp) =>
  page.locator("section.hx-section").filter({ has: page.getByRole("heading", { name }) });

test("a rule from a log search is tried on the past, fires, is shelved and removed; what was unusual is one page", async ({
  page,
}) => {
  const complaints = listen(page);

  await test.step("a search of the logs becomes a rule, with a preview beside the incidents that were", async () => {
    await page.goto("/signals/logs?last=PT3H&q=manifest");
    await page.getByRole("link", { name: "Make a rule" }).click();
    await expect(page.getByRole("heading", { name: "Log records" })).toBeVisible();
    await expect(page.getByLabel("Words")).toHaveValue("manifest");
    await page.getByLabel("Name").fill("Manifests are spoken of");
    await page.getByLabel("Alarm when there are").click();
    await page.getByRole("option", { name: "at least so many" }).click();
    await page.getByLabel("At least").fill("1");
    await page.getByLabel("Severity").click();
    await page.getByRole("option", { name: "warning" }).click();
    await page.getByRole("button", { name: "Preview" }).click();
    const preview = part(page, "Preview");
    await expect(preview).toContainText(/it would have raised \d+ alarms? on/);
    await expect(preview).toContainText(/There (was 1 incident|were \d+ incidents) in that time/);
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("button", { name: "Add rule" }).click();
    await expect(heading(page)).toContainText(/\d+ of \d+ rules are on/);
    await page.getByLabel("Find a rule").fill("spoken of");
    await expect(page.getByRole("row")).toHaveCount(2);
    await expect(page.getByRole("row").last()).toContainText("1 or more log records with “manifest” within 5 min");
  });

  await test.step("it fires; the alarm is commented, shelved with a reason, and heard again", async () => {
    await page.goto("/incidents/alarms");
    const alarm = page.getByRole("row").filter({ hasText: "manifest-gateway @ nq-mfx-gw-01" });
    await expect(async () => {
      await page.reload();
      await page.waitForFunction(() => document.documentElement.hasAttribute("data-alive"));
      await expect(alarm).toBeVisible({ timeout: 1000 });
    }).toPass(BY_THE_CLOCK);
    await alarm.getByRole("button", { name: /^Comment/ }).click();
    await page.getByRole("textbox", { name: /^Comment/ }).fill("Only a trial.");
    await page.getByRole("button", { name: "Comment", exact: true }).click();
    await expect(alarm).toContainText("Only a trial.");
    await alarm.getByRole("button", { name: /^Shelve/ }).click();
    await page.getByLabel("Why").fill("a trial of the rule");
    await page.getByRole("button", { name: "Shelve it" }).click();
    const shelved = part(page, "Shelved: 1");
    await expect(shelved).toContainText("a trial of the rule");
    expect(await axeFinds(page)).toEqual([]);
    await shelved.getByRole("button", { name: /^Hear it again/ }).click();
    await expect(shelved).toBeHidden();
  });

  await test.step("the load on people, and what would make a rule quieter", async () => {
    await page.goto("/incidents/alarms?last=P2D");
    await expect(part(page, "Load on whoever is on shift")).toContainText("150 are acceptable");
    const row = page.getByRole("row").filter({ hasText: "Host CPU" });
    await row.getByRole("link", { name: "What would make it quieter" }).click();
    const advice = part(page, /What would make “Host CPU” quieter/);
    await expect(advice).toContainText(/it would have raised \d+ alarms? as it is/, { timeout: 60_000 });
    await expect(advice.getByRole("row")).toHaveCount(4);
    await advice.getByRole("link", { name: "Open the rule with it" }).first().click();
    await expect(page.getByLabel("Mean of samples")).toHaveValue("15");
  });

  await test.step("what was most unusual, narrowed and ordered", async () => {
    await page.goto("/signals/unusual?last=P2D");
    await expect(heading(page)).toContainText(/oddit(y|ies) in 2 d|Nothing was out of its usual range/);
    await page.getByLabel("Order").click();
    await page.getByRole("option", { name: "As they began" }).click();
    await expect(page).toHaveURL(/sort=onset/);
    expect(await axeFinds(page)).toEqual([]);
  });

  await test.step("the rule is switched off and removed, and what it raised is cleared", async () => {
    await page.goto("/setup/rules");
    await page.getByLabel("Find a rule").fill("spoken of");
    await page.getByRole("button", { name: "Switch off: Manifests are spoken of" }).click();
    await expect(page.getByRole("row").last()).toContainText("off");
    page.once("dialog", (dialog) => void dialog.accept());
    await page.getByRole("button", { name: "Remove Manifests are spoken of" }).click();
    await expect(page.getByText("No rule has these words.")).toBeVisible();
    await page.goto("/incidents/alarms");
    await expect(async () => {
      await page.reload();
      await page.waitForFunction(() => document.documentElement.hasAttribute("data-alive"));
      await expect(page.getByRole("row").filter({ hasText: /log records? within 5 min/ })).toHaveCount(0, {
        timeout: 1000,
      });
    }).toPass(BY_THE_CLOCK);
  });
  expect(complaints).toEqual([]);
});

test("planned work keeps what it covers quiet, and what is left over is an incident once it is ended", async ({
  page,
}) => {
  const complaints = listen(page);
  const drill = async (button: RegExp) => {
    await page.goto("/setup/drills");
    await page.getByRole("button", { name: button }).click();
  };
  await page.goto("/estate?q=nq-yard-app-01");
  await page.getByRole("link", { name: "Plan work" }).click();
  await expect(page.getByLabel("Name or address contains")).toHaveValue("nq-yard-app-01");
  // Without saying what is done, or on what, it is refused.
  await page.getByLabel("Name or address contains").fill("");
  await page.getByRole("button", { name: "Plan it" }).click();
  await expect(page.getByRole("main").getByRole("alert")).toContainText("Say what is done.");
  await expect(page.getByText("Say what it is on: without a filter")).toBeVisible();
  await page.getByLabel("What is done").fill("The spool is moved");
  await page.getByLabel("Name or address contains").fill("nq-yard-app-01");
  await page.getByLabel("Lasts (min)").fill("600");
  await page.getByLabel("Repeats").click();
  await page.getByRole("option", { name: "every week", exact: true }).click();
  await page.getByRole("button", { name: "Show what it covers" }).click();
  await expect(page.getByRole("status").filter({ hasText: "It covers" })).toContainText(/nq-yard-app-01.*When next: /);
  expect(await axeFinds(page)).toEqual([]);
  await page.getByRole("button", { name: "Plan it" }).click();
  await expect(heading(page)).toContainText("“The spool is moved” is under way and keeps no alarm quiet so far.");

  await drill(/^Start: A yard host has no room for moves/);
  await expect(async () => {
    await page.goto("/incidents/planned-work");
    await expect(heading(page)).toContainText(/keeps \d+ alarms? quiet/, { timeout: 1000 });
  }).toPass(BY_THE_CLOCK);
  const incident = page.getByRole("link", { name: /on nq-yard-app-01/ });
  await page.goto("/incidents?state=open");
  await expect(heading(page)).toContainText("open");
  await expect(incident).toHaveCount(0);

  await page.goto("/incidents/planned-work");
  await page.getByRole("button", { name: "End now: The spool is moved" }).click();
  await expect(heading(page)).toContainText("No work planned by hand is under way");
  await expect(async () => {
    await page.goto("/incidents?state=open");
    await expect(incident.first()).toBeVisible({ timeout: 1000 });
  }).toPass(BY_THE_CLOCK);
  await drill(/^End: A yard host has no room for moves/);
  await page.goto("/incidents/planned-work");
  await page.getByRole("link", { name: "The spool is moved" }).click();
  await page.getByRole("button", { name: "Remove" }).click();
  await expect(page.getByText("Nobody planned work here.")).toBeVisible();
  // What is refused is answered with 400.
  expect(complaints.filter((one) => !one.includes("400 (Bad Request)"))).toEqual([]);
});
