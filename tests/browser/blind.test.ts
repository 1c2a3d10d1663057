import { expect, test, type Page } from "./fixtures";
import { BY_THE_CLOCK, heading, listen, part } from "./helpers";

/** Three faults of different kinds, on services that have nothing to do with each other, with what was wrong. */
const DRILLS = [
  { title: "The disk of the manifest queue is failing", id: "exchange-disk-slow", was: /nq-mfx-mq-01/ },
  { title: "A customs front goes dark", id: "front-dark", was: /sq-cus-web-01/ },
  { title: "A release makes one slot keeper slow", id: "slots-release-slow", was: /nq-gate-app-02/ },
];

/**
 * Solves whatever incident it is shown, from its page alone: takes the likeliest cause for the cause, follows the first
 * runbook that the page offers with what is filled in, and waits for the proof.
 * @returns what it took for the cause
 */
async function solve(page: Page, incident: string): Promise<string> {
  const cause = part(page, /^(Likeliest causes?|Cause not known: the likeliest)$/)
    .getByRole("link")
    .first();
  const runbook = part(page, "Repair").locator('a[href*="target="][href*="incident="]').first();
  await expect(async () => {
    await page.goto(incident);
    await expect(cause).toBeVisible({ timeout: 1500 });
    await expect(runbook).toBeVisible({ timeout: 1500 });
  }).toPass(BY_THE_CLOCK);
  const named = (await cause.textContent()) ?? "";
  await runbook.click();
  await page.getByRole("button", { name: "Start run" }).click();
  await expect(heading(page)).toContainText(/succeeded on/, BY_THE_CLOCK);
  await expect(page.getByRole("status").first()).toContainText(/(?<!being )proved/, BY_THE_CLOCK);
  await expect(async () => {
    await page.goto(incident);
    await expect(page.getByText(/^Incident \d+ · resolved/)).toBeVisible({ timeout: 1500 });
  }).toPass(BY_THE_CLOCK);
  return named;
}

test("three drills of different kinds at once are told apart, named, repaired and proved from their pages alone", async ({
  page,
}) => {
  const complaints = listen(page);
  await page.goto("/setup/drills");
  for (const { title } of DRILLS) {
    await page.getByRole("button", { name: `Start: ${title}` }).click();
    await expect(page.getByRole("button", { name: `End: ${title}` })).toBeVisible();
  }
  const open = page.getByRole("table").first().getByRole("link", { name: /./ });
  const seen = new Set<string>();
  const named: string[] = [];
  for (let count = 0; count < DRILLS.length; count++) {
    let next: string | undefined;
    await expect(async () => {
      await page.goto("/incidents?state=open");
      const found = await open.evaluateAll((links) => links.map((one) => one.getAttribute("href") ?? ""));
      next = found
        .map((one) => one.split("?")[0] ?? "")
        .find((one) => /^\/incidents\/\d+$/.test(one) && !seen.has(one));
      expect(next).toBeDefined();
    }).toPass(BY_THE_CLOCK);
    seen.add(next as string);
    named.push(await solve(page, next as string));
  }
  for (const { was } of DRILLS) expect(named.some((one) => was.test(one))).toBe(true);
  expect(complaints).toEqual([]);
});
