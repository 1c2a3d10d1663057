import { readFileSync } from "node:fs";
import { expect, test, type Page } from "./fixtures";
import { axeFinds, heading, listen } from "./helpers";

const part = (page: Page, name: string | RegExp) =>
  page.locator("section.hx-section").filter({ has: page.getByRole("heading", { name }) });

test("jobs are listed with their runs and become rules; a kit's rule and note are changed, shown beside it, given out and taken in", async ({
  page,
}) => {
  const complaints = listen(page);

  await test.step("jobs that the logs tell of, each with its runs and what it was at", async () => {
    await page.goto("/estate/jobs");
    await expect(heading(page)).toContainText(/\d jobs/);
    const job = page.getByRole("row").filter({ hasText: "month-end" });
    await expect(job).toContainText("monthend @ nq-bil-app-01");
    await expect(job).toContainText("done in 48 min");
    expect(await axeFinds(page)).toEqual([]);
    await job.getByRole("link", { name: "month-end", exact: true }).click();
    const runs = part(page, /^Runs of month-end/);
    await expect(runs.getByRole("row")).toHaveCount(3);
    await runs
      .getByRole("link", { name: /^Charts while/ })
      .first()
      .click();
    await expect(page).toHaveURL(/\/estate\/\d+\?from=2026-03-1\d/);
  });

  await test.step("a rule from a job, tried on the past", async () => {
    await page.goto("/estate/jobs");
    await page.getByRole("link", { name: /^Make a rule for month-end/ }).click();
    await expect(page.getByLabel("Jobs")).toHaveValue("month-end");
    await page.getByLabel("Name").fill("The month's end is late");
    await page.getByLabel("Alarm when a run").click();
    await page.getByRole("option", { name: "did not start" }).click();
    await page.getByRole("button", { name: "Preview" }).click();
    await expect(part(page, "Preview")).toContainText("it would have raised 0 alarms on 0 of 1 job.");
    await page.getByRole("button", { name: "Add rule" }).click();
    await page.getByLabel("Find a rule").fill("month's end");
    await expect(page.getByRole("row").last()).toContainText("a run of a job like month-end did not start");
  });

  await test.step("lines that name no job are refused with what to do", async () => {
    await page.goto("/setup/signals");
    await page.getByLabel("Line that begins a run").fill("nightly begins");
    await page.getByLabel("Line that ends it").fill("nightly is over");
    await page.getByRole("button", { name: "Read jobs" }).click();
    await expect(page.getByRole("alert")).toContainText("Put {job} where the name of the job stands");
    await page.getByLabel("Job, if no line names it").fill("nightly");
    await page.getByRole("button", { name: "Read jobs" }).click();
    await expect(part(page, "Jobs in logs: 2")).toContainText("nightly is over");
    await page.getByRole("button", { name: "Remove “nightly begins”" }).click();
    await expect(part(page, "Jobs in logs: 1")).toBeVisible();
  });

  await test.step("a rule that was changed stands beside its kit, and is taken back", async () => {
    await page.goto("/setup/kits/volumes");
    await expect(heading(page)).toContainText("unchanged");
    await page.getByRole("link", { name: "Volume latency" }).click();
    await page.getByLabel("Warning").fill("33");
    await page.getByRole("button", { name: "Save", exact: true }).click();
    await expect(heading(page)).toContainText("rules are on");
    await page.goto("/setup/kits");
    await page.getByRole("link", { name: "Volumes" }).click();
    const row = page.getByRole("row").filter({ hasText: "Volume latency" });
    await expect(row).toContainText("settings › warning: 33 here, 25 in the kit");
    expect(await axeFinds(page)).toEqual([]);
    await row.getByRole("button", { name: /^Use the kit's version/ }).click();
    await expect(heading(page)).toContainText("unchanged");
  });

  await test.step("a note of people's own in the place of the kit's goes out with its file and comes in again", async () => {
    await page.getByRole("button", { name: "Edit the note A volume answers slowly" }).click();
    await page.getByLabel("Lines").fill("Ask the storage people first.\nThen look at what uses most of it.");
    await page.getByRole("button", { name: "Save", exact: true }).click();
    const note = page.getByRole("article", { name: "A volume answers slowly" });
    await expect(note).toContainText("written by Edo Brandsma-Quill in the place of the kit's");
    const [download] = await Promise.all([
      page.waitForEvent("download"),
      page.getByRole("link", { name: "Download kit file" }).click(),
    ]);
    const file = readFileSync(await download.path(), "utf8");
    expect(file).toContain("Ask the storage people first.");
    await note.getByRole("button", { name: /^Restore the kit's note/ }).click();
    await expect(note).not.toContainText("storage people");
    await page.goto("/setup/kits");
    await page.getByLabel("A kit's file").setInputFiles({
      name: "volumes.json",
      mimeType: "application/json",
      buffer: Buffer.from(file.replace("storage people", "disk people")),
    });
    await expect(page.getByRole("status")).toContainText("Changed: note “A volume answers slowly”");
    await page.getByRole("link", { name: "Volumes" }).click();
    await expect(note).toContainText("Ask the disk people first.");
  });

  await test.step("a file that is no kit says what is wrong", async () => {
    await page.goto("/setup/kits");
    await page.getByLabel("A kit's file").setInputFiles({
      name: "kit.json",
      mimeType: "application/json",
      buffer: Buffer.from('{"kind":"host.*","title":"Ours","rules":[{"name":"X"}],"notes":[]}'),
    });
    await expect(page.getByRole("alert")).toContainText("The kit cannot be used: rules › 0 › metric");
  });

  await test.step("where the installation stands is said, and kept", async () => {
    await page.goto("/setup");
    await expect(page.getByLabel("This installation stands at")).toContainText("North Quay");
    await page.getByLabel("This installation stands at").click();
    await page.getByRole("option", { name: "South Quay" }).click();
    await page.getByRole("button", { name: "Save" }).click();
    await page.reload();
    await expect(page.getByLabel("This installation stands at")).toContainText("South Quay");
    await page.getByLabel("This installation stands at").click();
    await page.getByRole("option", { name: "North Quay" }).click();
    await page.getByRole("button", { name: "Save" }).click();
  });
  expect(complaints.filter((one) => !one.includes("status of 400"))).toEqual([]);
});
