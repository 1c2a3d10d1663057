import { expect, test } from "./fixtures";
import { asPerson, axeFinds, BY_THE_CLOCK, heading, listen, part } from "./helpers";

test("housekeeping: a chore says what it would do, asks, is let go on by a second person, and its failure is an alarm", async ({
  page,
  browser,
  baseURL,
}) => {
  const complaints = listen(page);
  const boss = await asPerson(browser, baseURL, "Sunniva Okafor");

  await test.step("ready ones watch; a certificate that ends soon came due by itself", async () => {
    await page.goto("/runbooks");
    await page.getByRole("link", { name: "Housekeeping" }).click();
    await expect(heading(page)).toContainText("none is done without being asked");
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("link", { name: "Renew certificates before they end" }).click();
    await expect(part(page, "Rounds").last()).toContainText("watched");
    await expect(page.getByRole("row", { name: /gatekeeper @ nq-bastion-01/ })).toContainText(
      "certificate gatekeeper renew",
    );
  });

  await test.step("one is written; what is wrong is said at its field", async () => {
    await page.goto("/runbooks/housekeeping/new");
    await page.getByRole("textbox", { name: "Name" }).fill("Look for backups in the wrong place");
    await page.getByRole("combobox", { name: "Runbook" }).click();
    await page.getByRole("option", { name: "Check that a backup is fresh" }).click();
    await page.getByRole("textbox", { name: "At", exact: true }).fill("25:00");
    const fill = async (directory: string) => {
      await page.getByRole("textbox", { name: "Directory of the backups" }).fill(directory);
      await page.getByRole("textbox", { name: "Not older than (min)" }).fill("1560");
      await page.getByRole("textbox", { name: "Larger than (KiB)" }).fill("1024");
    };
    await fill("{{due.instance}}");
    await page.getByRole("button", { name: "Add chore" }).click();
    await expect(page.getByRole("main").getByRole("alert")).toContainText("Write a time as 08:00.");
    await page.getByRole("textbox", { name: "At", exact: true }).fill("05:00");
    await page.getByRole("button", { name: "Add chore" }).click();
    await expect(page.getByRole("main").getByRole("alert")).toContainText("{{due.instance}} is not known here");
    await fill("/nowhere");
    await page.getByRole("combobox", { name: "Collection" }).click();
    await page.getByRole("option", { name: "Backups" }).click();
    await page.getByRole("button", { name: "Add chore" }).click();
    await expect(heading(page)).toContainText("watch, every day at 05:00 (UTC); next");
    expect(await axeFinds(page)).toEqual([]);
  });

  await test.step("it says what it would do, then asks; somebody else lets it go on", async () => {
    await page.getByRole("button", { name: "See what a round would do" }).click();
    await expect(page.getByRole("row", { name: /td-vault-01/ })).toContainText("find /nowhere -type f");
    await page.getByRole("combobox", { name: "Trust" }).click();
    await page.getByRole("option", { name: "Automatic" }).click();
    await page.getByRole("button", { name: "Save" }).click();
    await expect(page.getByRole("main").getByRole("alert")).toContainText(
      "Trust grows a step at a time: from watch to approve first.",
    );
    await page.getByRole("combobox", { name: "Trust" }).click();
    await page.getByRole("option", { name: "Approve" }).click();
    await page.getByRole("button", { name: "Save" }).click();
    await expect(heading(page)).toContainText("approve");
    await page.getByRole("button", { name: "Begin a round now" }).click();
    await expect(page.getByRole("button", { name: "Let it go on" })).toBeVisible();
    await page.getByRole("button", { name: "Let it go on" }).click();
    await expect(page.getByRole("main").getByRole("alert")).toContainText(
      "Somebody else than who began the round approves it.",
    );
    await boss.goto("/runbooks");
    await expect(boss.getByLabel(/wait for an answer/)).toHaveText("1");
    await boss.getByRole("link", { name: "Look for backups in the wrong place" }).click();
    await boss.getByRole("button", { name: "Let it go on" }).click();
    await expect(boss.getByRole("row", { name: /td-vault-01/ })).toContainText("failed: run", BY_THE_CLOCK);
    expect(await axeFinds(boss)).toEqual([]);
  });

  await test.step("what it did not find is an incident, with what would make the next one shorter", async () => {
    await expect(async () => {
      await page.goto("/incidents");
      await page
        .getByRole("link", { name: /Housekeeping failed \(Look for backups in the wrong place\) on td-vault-01/ })
        .click({ timeout: 1500 });
    }).toPass(BY_THE_CLOCK);
    await page.getByRole("link", { name: "What would make the next one shorter" }).click();
    await expect(heading(page)).toContainText("told of it");
    await page.getByRole("textbox", { name: "Title" }).fill("Backups of the depot");
    await page.getByRole("textbox", { name: "What to look at" }).fill("They are below /vault.\nNowhere else.");
    await page.getByRole("button", { name: "Keep the note" }).click();
    await expect(page.getByText("They are below /vault.")).toBeVisible();
    expect(await axeFinds(page)).toEqual([]);
    const kit = await page.request.get("/runbooks/notes.json");
    expect(await kit.json()).toMatchObject({
      notes: [{ metric: "chore.done", lines: ["They are below /vault.", "Nowhere else."] }],
    });
  });

  await test.step("the chore is taken away, and what it said with it", async () => {
    await page.goto("/runbooks/housekeeping");
    await page.getByRole("link", { name: "Look for backups in the wrong place" }).click();
    await page.getByRole("button", { name: "Remove" }).click();
    await expect(heading(page)).toContainText("none is done without being asked");
    await expect(page.getByRole("link", { name: "Look for backups in the wrong place" })).toHaveCount(0);
    await expect(async () => {
      await page.goto("/incidents");
      await expect(
        page
          .getByRole("row", { name: /Housekeeping failed \(Look for backups/ })
          .getByText("resolved", { exact: true }),
      ).toBeVisible({ timeout: 1500 });
    }).toPass(BY_THE_CLOCK);
  });
  expect(complaints.filter((one) => !one.includes("400 (Bad Request)"))).toEqual([]);
});
