import { expect, test as base, type Page } from "@playwright/test";

export { expect, type Locator, type Page } from "@playwright/test";

/** Loads in full wait until the page has come alive: what is typed or clicked before would be lost. */
export const test = base.extend<{ page: Page }>({
  page: async ({ page }, use, info) => {
    const goto = page.goto.bind(page);
    page.goto = async (...asked) => {
      const answer = await goto(...asked);
      await page.waitForFunction(() => document.documentElement.hasAttribute("data-alive"));
      return answer;
    };
    await use(page);
    // What a test that failed has started is ended, so that it does not fail the others.
    if (info.status !== info.expectedStatus) await endDrills(page).catch(() => undefined);
  },
});

async function endDrills(page: Page): Promise<void> {
  await page.goto("/setup/drills");
  const end = page.getByRole("button", { name: /^End: / });
  for (let left = await end.count(); left > 0; left--) {
    await end.first().click();
    await expect(end).toHaveCount(left - 1);
  }
}
