import { AxeBuilder } from "@axe-core/playwright";
import type { Browser } from "@playwright/test";
import { signInBrowser } from "../../scripts/sign-in.mjs";
import { expect, type Locator, type Page } from "./fixtures";

/**
 * How long to wait for what the demonstration's clock brings: it goes at a third of its pace where the machine cannot
 * keep up. Nothing is slower for it where all goes well.
 */
export const BY_THE_CLOCK = { timeout: 240_000 };

/** Collects what a browser complains of; every test ends with none. */
export function listen(page: Page): string[] {
  const complaints: string[] = [];
  page.on("console", (message) => {
    if (message.type() === "error" || message.type() === "warning") complaints.push(message.text());
  });
  page.on("pageerror", (error) => complaints.push(error.message));
  return complaints;
}

/** Drags over a drawing from one share of its width to another. */
export async function drag(page: Page, drawing: Locator, from: number, to: number): Promise<void> {
  await expect(drawing).toBeVisible();
  // Clear of the frame at the top, which stays in place.
  await drawing.evaluate((element) => element.scrollIntoView({ block: "center" }));
  const box = await drawing.boundingBox();
  if (!box) throw new Error("The drawing is absent.");
  await page.mouse.move(box.x + box.width * from, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * to, box.y + box.height / 2, { steps: 6 });
  await page.mouse.up();
}

export const heading = (page: Page) => page.getByRole("heading", { level: 1 });

/** Waits until nothing is under way and nothing fades in or out: what is half faded has no colour of its own. */
const settled = (page: Page) =>
  page.waitForFunction(
    () =>
      !document.querySelector(".hx-loading") &&
      document
        .getAnimations()
        .every((one) => one.playState !== "running" || one.effect?.getComputedTiming().iterations === Infinity),
  );

/** What axe finds on a page, as short as it can be said; nothing, that is. */
export async function axeFinds(page: Page, rules?: string[]): Promise<string[]> {
  let found: string[] = [];
  // A button that becomes usable fades from one colour to the other, and may begin to at any time: what lasts counts.
  for (let look = 0; look < 3; look++) {
    await settled(page);
    // Without the blank page that it opens otherwise: newer browsers refuse one beside the closed room of a mail.
    const builder = new AxeBuilder({ page }).setLegacyMode(true).options({ resultTypes: ["violations"] });
    const { violations } = await (rules ? builder.withRules(rules) : builder).analyze();
    found = violations.map(
      (one) =>
        `${one.id}: ${one.nodes
          .map((node) => node.target.join(" "))
          .slice(0, 3)
          .join(", ")}`,
    );
    if (found.length === 0) break;
  }
  return found;
}

/**
 * Starts a drill on its page, and waits until it runs: on a machine that is held up the world takes its time. What the
 * page says instead stands in the failure.
 */
export async function startDrill(page: Page, title: string): Promise<void> {
  await page.goto("/setup/drills");
  const main = page.getByRole("main");
  const running = main.getByRole("button", { name: `End: ${title}` });
  await main.getByRole("button", { name: `Start: ${title}` }).click();
  await expect(running.or(main.getByRole("alert")).first()).toBeVisible(BY_THE_CLOCK);
  expect(await running.isVisible(), `“${title}” runs; the page says: ${await main.innerText()}`).toBe(true);
}

/** A section of a page by its heading. */
export const part = (page: Page, name: string | RegExp) =>
  page.locator("section.hx-section").filter({ has: page.getByRole("heading", { name }) });

/** Another person, in a browser of their own. */
export async function asPerson(browser: Browser, base: string | undefined, name: string): Promise<Page> {
  const page = await (await browser.newContext({ storageState: { cookies: [], origins: [] } })).newPage();
  await signInBrowser(page.context(), base ?? "", name);
  const goto = page.goto.bind(page);
  page.goto = async (...asked) => {
    const answer = await goto(...asked);
    await page.waitForFunction(() => document.documentElement.hasAttribute("data-alive"));
    return answer;
  };
  return page;
}
