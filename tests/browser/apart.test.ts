import { expect, test, type Page } from "./fixtures";
import { BY_THE_CLOCK, heading, listen, part, startDrill } from "./helpers";

// First of all stories by its name: what others left of the same services would take in what comes here.

/** Three faults of different kinds, on services that have nothing to do with each other, with what was wrong. */
const DRILLS = [
  { title: "The disk of the manifest queue is failing", was: /nq-mfx-mq-01/ },
  { title: "The crane bus of North Quay goes dark", was: /nq-crane-mq-01/ },
  { title: "A release makes one slot keeper slow", was: /nq-gate-app-02/ },
];

/** A page is looked at again so often, and so many incidents are gone through, before a person would ask for help. */
const LOOKS = 6;
/** So long a cause may take to be known: two minutes and more by the clock of the demonstration. */
const SURE_WITHIN_MS = 60_000;

/** Incidents that are open, as the list leads to them. */
async function openIncidents(page: Page): Promise<string[]> {
  await page.goto("/incidents?state=open");
  await expect(heading(page)).toBeVisible();
  const links = page.getByRole("table").first().getByRole("link", { name: /./ });
  const found = await links.evaluateAll((all) => all.map((one) => one.getAttribute("href")?.split("?")[0] ?? ""));
  return found.filter((one) => /^\/incidents\/\d+$/.test(one));
}

/**
 * Solves whatever incident it is shown, from its page alone: takes the likeliest cause for the cause, follows the first
 * runbook that the page offers with what is filled in, waits for the proof, and looks again where the incident goes on.
 * @returns what it took for the cause, look by look
 */
async function solve(page: Page, incident: string): Promise<string[]> {
  const causeUnder = (title: RegExp) => part(page, title).getByRole("link").first();
  const [sure, cause] = [
    causeUnder(/^Likeliest causes?$/),
    causeUnder(/^(Likeliest causes?|Cause not known: the likeliest)$/),
  ];
  const runbook = part(page, "Repair").locator('a[href*="target="][href*="incident="]').first();
  const over = page.getByText(/^Incident \d+ · (resolved|merged into)/);
  const named: string[] = [];
  /** What was tried last and could not be done: nobody does the same again at once. */
  let failed = "";
  for (;;) {
    const until = Date.now() + SURE_WITHIN_MS;
    await expect(
      async () => {
        await page.goto(incident);
        // Whoever is on shift waits a little for the cause to be known before trying anything.
        if (Date.now() < until) await expect(over.or(sure).first()).toBeVisible({ timeout: 1500 });
        await expect(over.or(cause).first()).toBeVisible({ timeout: 1500 });
        await expect(over.or(runbook).first()).toBeVisible({ timeout: 1500 });
        if (Date.now() < until && !(await over.isVisible()))
          expect(await runbook.getAttribute("href")).not.toBe(failed);
      },
      `${incident} shows a cause and a runbook (so far ${named.join(", then ")})`,
    ).toPass(BY_THE_CLOCK);
    if (named.length > 0 && (await over.isVisible())) return named;
    expect(named.length, `${incident} goes on after ${named.join(", then ")}`).toBeLessThan(LOOKS);
    named.push((await cause.textContent()) ?? "");
    const tried = (await runbook.getAttribute("href")) ?? "";
    await runbook.click();
    await page.getByRole("button", { name: "Start run" }).click();
    const ended = page.getByRole("heading", { level: 1, name: /(succeeded|failed) on/ });
    const refused = page.getByRole("alert").filter({ hasText: "does not respond" });
    await expect(ended.or(refused).first()).toBeVisible(BY_THE_CLOCK);
    // What could not be done, had no effect, or came when all had cleared, says so, and the page is looked at again.
    const run = (await ended.or(refused).first().textContent()) ?? "";
    named.push(`${named.pop()}: ${run}`);
    failed = /succeeded on/.test(run) ? "" : tried;
    if (failed) continue;
    const proof = page.getByRole("status").first();
    await expect(proof).toContainText(/(?<!being )proved|eased|no effect|worse|not measured/, BY_THE_CLOCK);
    named.push(`${named.pop()} (${await proof.textContent()})`);
  }
}

/** What went wrong here is nothing for the stories that follow. */
test.afterEach(async ({ page }) => {
  await page.goto("/setup/drills");
  await expect(heading(page)).toBeVisible();
  for (const { title } of DRILLS) {
    const end = page.getByRole("button", { name: `End: ${title}` });
    if (await end.isVisible()) await end.click();
    await expect(end).toBeHidden();
  }
});

test("three drills of different kinds at once are told apart, named, repaired and proved from their pages alone", async ({
  page,
}) => {
  const complaints = listen(page);
  // What another story left takes in what comes now, where it is of the same service.
  await expect(async () => expect(await openIncidents(page)).toEqual([])).toPass(BY_THE_CLOCK);
  const seen = new Set<string>();
  for (const { title } of DRILLS) await startDrill(page, title);
  const named: string[] = [];
  const unnamed = () => DRILLS.filter(({ was }) => !named.some((one) => was.test(one))).map(({ title }) => title);
  for (let count = 0; unnamed().length > 0; count++) {
    expect(count, `not named: ${unnamed().join(", ")}; named: ${named.join(", ")}`).toBeLessThan(LOOKS);
    let next: string | undefined;
    await expect(
      async () => {
        next = (await openIncidents(page)).find((one) => !seen.has(one));
        expect(next).toBeDefined();
      },
      `an incident of ${unnamed().join(", ")} is open`,
    ).toPass(BY_THE_CLOCK);
    seen.add(next as string);
    named.push(...(await solve(page, next as string)));
  }
  expect(complaints).toEqual([]);
});
