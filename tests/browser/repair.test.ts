import { expect, test } from "./fixtures";
import { asPerson, axeFinds, BY_THE_CLOCK, heading, listen, part, startDrill } from "./helpers";

const RUNBOOK = `uid: make-room
name: Make room on a disk
purpose: Rotates the logs of one mount point and shows how full it is afterwards.
kinds: [host.linux]
fits: [disk.used]
parameters:
  - name: mount
    label: Mount point
    pattern: "/[a-z/]{0,40}"
    offer: instance
proofSeconds: 300
steps:
  - type: command
    title: Rotate the logs
    argv: [logrotate, -f, "{{mount}}"]
`;

test("a runbook is written, tried without harm, approved by a second person, asked for by a policy, run and proved", async ({
  page,
  browser,
  baseURL,
}) => {
  test.setTimeout(900_000);
  const complaints = listen(page);
  const boss = await asPerson(browser, baseURL, "Sunniva Okafor");
  const firstLine = await asPerson(browser, baseURL, "Mara Tolvane");

  await test.step("text and cards follow each other, and what is wrong is said with its line", async () => {
    await page.goto("/runbooks/new");
    const text = page.getByRole("textbox", { name: "Runbook as YAML" });
    await text.fill(RUNBOOK.replace("{{mount}}", "{{disk}}"));
    await expect(part(page, "As text").getByRole("status")).toContainText(
      "Step 1 uses {{disk}}, which is not a parameter of this runbook.",
    );
    await expect(page.getByRole("button", { name: "Save as draft" })).toBeDisabled();
    await text.fill(RUNBOOK);
    await expect(part(page, "As text")).toContainText("Nothing is wrong with it.");
    await page.getByRole("combobox", { name: "Kind of step" }).click();
    await page.getByRole("option", { name: "Note" }).click();
    await page.getByRole("button", { name: "Add step" }).click();
    await page.getByRole("button", { name: "Change 2" }).click();
    await page.getByRole("textbox", { name: "Title" }).fill("What to do next");
    await expect(text).toContainText("What to do next");
    // By keyboard: the note goes first, and back.
    await page.getByRole("button", { name: "Change 2" }).press("Alt+ArrowUp");
    await expect(page.getByRole("list", { name: "Steps" }).getByRole("listitem").first()).toContainText(
      "What to do next",
    );
    await page.getByRole("button", { name: "Move 1 down" }).click();
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("textbox", { name: "What is new" }).fill("For the yard");
    await page.getByRole("button", { name: "Save as draft" }).click();
    await expect(heading(page)).toContainText("Version 1 is a draft.");
  });

  await test.step("a dry run says what would be done where, and changes nothing", async () => {
    await page.getByRole("combobox", { name: "Target" }).fill("nq-yard-app-01");
    await page.getByRole("option", { name: /^nq-yard-app-01 / }).click();
    await page.getByRole("textbox", { name: "Mount point" }).fill("/; reboot");
    await page.getByRole("button", { name: "Dry run" }).click();
    await expect(page.getByRole("main").getByRole("alert")).toContainText("has characters that are not allowed here");
    await page.getByRole("textbox", { name: "Mount point" }).fill("/");
    await page.getByRole("button", { name: "Dry run" }).click();
    await expect(part(page, "Dry run")).toContainText("1 step acts on nq-yard-app-01");
    await expect(part(page, "Dry run")).toContainText("logrotate -f /");
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("button", { name: "Start run" }).click();
    await expect(heading(page)).toContainText("succeeded on nq-yard-app-01");
  });

  await test.step("only somebody else approves it", async () => {
    await page.goto("/runbooks");
    await page.getByRole("link", { name: "Make room on a disk" }).click();
    await expect(part(page, "Versions")).toContainText("tried");
    await page.getByRole("button", { name: "Approve version 1" }).click();
    await expect(page.getByRole("main").getByRole("alert")).toContainText(
      "Somebody else than who wrote it approves a version.",
    );
    await boss.goto(new URL(page.url()).pathname);
    await boss.getByRole("button", { name: "Approve version 1" }).click();
    await expect(part(boss, "Versions")).toContainText("approved by Sunniva Okafor");
  });

  await test.step("a policy begins by watching; trust grows a step at a time", async () => {
    await page.goto("/runbooks/policies/new");
    await page.getByRole("textbox", { name: "Name" }).fill("Room is made on full disks");
    await page.getByRole("textbox", { name: "and is in alarm for one of" }).fill("disk.used");
    await page.getByRole("checkbox", { name: "what is likely on one host counts together" }).check();
    await page.getByRole("combobox", { name: "Runbook" }).click();
    await page.getByRole("option", { name: "Make room on a disk" }).click();
    await page.getByRole("combobox", { name: "On", exact: true }).click();
    await page.getByRole("option", { name: "the host that carries it" }).click();
    await page.getByRole("textbox", { name: "is of a kind like" }).fill("host.linux, app.*");
    const trust = async (level: string) => {
      await page.getByRole("combobox", { name: "Trust" }).click();
      await page.getByRole("option", { name: level }).click();
      await page.getByRole("button", { name: /^(Save|Add policy)$/ }).click();
    };
    await page.getByRole("button", { name: "Add policy" }).click();
    await expect(page.getByRole("main").getByRole("alert")).toContainText("Say what Mount point is filled with.");
    await page.getByRole("textbox", { name: "Mount point" }).fill("{{cause.instance}}");
    await page.getByRole("button", { name: "Try it on the last 30 days" }).click();
    await expect(page.getByRole("status").filter({ hasText: "of the last 30 days" })).toBeVisible();
    await trust("Automatic");
    await expect(page.getByRole("main").getByRole("alert")).toContainText(
      "Trust grows a step at a time: from watch to propose first.",
    );
    await trust("Propose");
    await expect(heading(page)).toContainText("Room is made on full disks: propose.");
    await trust("Approve");
    await expect(heading(page)).toContainText("approve.");
    expect(await axeFinds(page)).toEqual([]);
  });

  await test.step("it asks on the incident; a second person approves; the run is proved", async () => {
    await startDrill(page, "A yard host has no room for moves");
    const run = page.getByRole("link", { name: /^Run \d+: Make room on a disk/ });
    await expect(async () => {
      await page.goto("/incidents");
      await page
        .getByRole("link", { name: /nq-yard-app-01/ })
        .first()
        .click();
      await expect(run).toBeVisible({ timeout: 1500 });
    }).toPass(BY_THE_CLOCK);
    // It is well proposed by nobody but watched by the ready policy too.
    await expect(part(page, "Repair")).toContainText("A full disk has its logs rotated would run: ");
    expect(await axeFinds(page)).toEqual([]);
    await run.click();
    await expect(heading(page)).toContainText("waits for approval");
    await firstLine.goto(new URL(page.url()).pathname);
    await firstLine.getByRole("button", { name: "Approve", exact: true }).click();
    await expect(heading(page)).toContainText("succeeded on nq-yard-app-01", BY_THE_CLOCK);
    await expect(part(page, "Policy “Room is made on full disks” asks")).toContainText("Answered by Mara Tolvane.");
    await expect(part(page, "Why this run was allowed")).toContainText("No other run touches it");
    await expect(page.getByRole("status")).toContainText(/(?<!being )proved/, BY_THE_CLOCK);
    expect(await axeFinds(page)).toEqual([]);
    await page.goto("/setup/drills");
    await expect(page.getByRole("button", { name: "Start: A yard host has no room for moves" })).toBeVisible();
  });

  await test.step("then it is trusted to act, and one press on any page stops everything automatic", async () => {
    await page.goto("/runbooks/policies");
    await expect(page.getByRole("row", { name: /Room is made on full disks/ })).toContainText("approve");
    await page.getByRole("link", { name: "Room is made on full disks" }).click();
    await expect(part(page, "What it did")).toContainText(/(?<!being )proved/, BY_THE_CLOCK);
    await page.getByRole("combobox", { name: "Trust" }).click();
    await page.getByRole("option", { name: "Automatic" }).click();
    await page.getByRole("button", { name: "Save" }).click();
    await expect(heading(page)).toContainText("automatic.");
    await firstLine.goto("/");
    await firstLine.getByRole("button", { name: "Stop all automatic acts" }).click();
    await firstLine.getByRole("link", { name: "Automation stopped" }).click();
    await expect(heading(firstLine)).toContainText("All automatic acts are stopped by Mara Tolvane");
    await page.goto("/runbooks/policies");
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("button", { name: "Let automatic acts go on" }).click();
    await expect(heading(page)).toContainText(/^1 of \d+ policies acts by itself/);
    await page.getByRole("link", { name: "Room is made on full disks" }).click();
    await page.getByRole("button", { name: "Remove" }).click();
    await expect(heading(page)).toContainText("none acts by itself.");
  });
  // What is refused is answered with 400.
  expect(complaints.filter((one) => !one.includes("400 (Bad Request)"))).toEqual([]);
});
