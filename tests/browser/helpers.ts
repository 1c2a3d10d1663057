import { AxeBuilder } from "@axe-core/playwright";
import { expect, type Locator, type Page } from "@playwright/test";

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

/** What axe finds on a page, as short as it can be said; nothing, that is. */
export async function axeFinds(page: Page): Promise<string[]> {
  // What fades in or out is looked at when it has.
  await page.evaluate(() =>
    Promise.allSettled(
      document
        .getAnimations()
        .filter((one) => one.effect?.getComputedTiming().iterations !== Infinity)
        .map((one) => one.finished),
    ),
  );
  const { violations } = await new AxeBuilder({ page }).analyze();
  return violations.map(
    (one) =>
      `${one.id}: ${one.nodes
        .map((node) => node.target.join(" "))
        .slice(0, 3)
        .join(", ")}`,
  );
}
