import { test as base, type Page } from "@playwright/test";

export { expect, type Locator, type Page } from "@playwright/test";

/** Loads in full wait until the page has come alive: what is typed or clicked before would be lost. */
export const test = base.extend<{ page: Page }>({
  page: async ({ page }, use) => {
    const goto = page.goto.bind(page);
    page.goto = async (...asked) => {
      const answer = await goto(...asked);
      await page.waitForFunction(() => document.documentElement.hasAttribute("data-alive"));
      return answer;
    };
    await use(page);
  },
});
