import { setPace, signInBrowser } from "../../scripts/sign-in.mjs";
import { expect, test, type Page } from "./fixtures";
import { axeFinds, listen } from "./helpers";
import { PACE } from "./pace";

/** The last of the stories by its name: what it looks at was made by those before. */
const PAGES = [
  "/",
  "/discover",
  "/discover/sources/new",
  "/discover/sweeps/1",
  "/estate",
  "/map",
  "/map?by=site,kind&view=list&show=gsite%3ATarn%20Depot",
  "/map?service=gate-appointments",
  "/services/manifest-exchange",
  "/services/manifest-exchange/objective",
  "/relations/1",
  "/signals/metrics",
  "/signals/metrics?line=metric~memory.used%3Bpick~highest&view=bars",
  "/signals/metrics?line=metric~memory.used%3Baggregate~mean%3Bby~site",
  "/signals/logs",
  "/signals/logs?view=patterns",
  "/signals/traces",
  "/signals/sql?q=SELECT%20at%2C%20summary%20FROM%20changes",
  "/signals/import",
  "/signals/unusual?last=P2D",
  "/incidents/alarms",
  "/incidents",
  "/incidents/1",
  "/incidents/planned-work",
  "/incidents/planned-work/new",
  "/incidents/triage?service=1",
  "/incidents/shift",
  "/runbooks",
  "/runbooks/1",
  "/runs/1",
  "/setup",
  "/setup/drills",
  "/setup/rules",
  "/setup/rules/1",
  "/setup/rules/new",
  "/setup/audit",
  "/setup/credentials",
  "/setup/credentials/new",
  "/setup/people",
  "/setup/tokens",
  "/account",
  "/estate/1/access",
  "/setup/services",
  "/services/new",
  "/discover/coverage",
  "/discover/review",
  "/discover/sources/new?type=list",
  "/estate/differences",
  "/estate/platforms",
  "/estate/capacity",
  "/estate/spend/idle",
  "/estate/collections/1",
  "/discover/mappings",
  "/estate?group=kind",
  "/discover/sources/new?type=ssh",
  "/estate/software",
  "/estate/certificates",
  "/setup/signals",
  "/setup/notifications",
  "/incidents/notifications",
  "/on-call",
];

// Nothing waits for the clock here, which leaves the machine to the pages.
test.beforeAll(({ baseURL }) => setPace(baseURL ?? "", 1));
test.afterAll(({ baseURL }) => setPace(baseURL ?? "", PACE));

test("axe finds nothing on the main views, by day and by night", async ({ browser, baseURL }) => {
  // Some sixty pages, four seconds each, ten on a busy machine.
  test.setTimeout(1_200_000);
  // What axe takes is time of a page's own process: two at once take both processors.
  const room = async (isMine: (address: string, place: number) => boolean) => {
    const context = await browser.newContext({ baseURL, viewport: { width: 1280, height: 800 } });
    try {
      // Who sees all of them.
      await signInBrowser(context, baseURL ?? "", "Sunniva Okafor");
      const page = await context.newPage();
      const complaints = listen(page);
      const component = await page.request.get("/find?q=nq-gate-app-01");
      const { components } = (await component.json()) as { components: { id: number }[] };
      await walk(page, [...PAGES, `/estate/${components[0]?.id}`].filter(isMine));
      return complaints;
    } finally {
      await context.close();
    }
  };
  const complaints = await Promise.all([
    room((_address, place) => place % 2 === 0),
    room((_address, place) => place % 2 === 1),
  ]);
  expect(complaints.flat()).toEqual([]);
});

/** Looks at pages one after the other: at one by day first, at the next by night, for the theme is kept from one to the other. */
async function walk(page: Page, addresses: readonly string[]): Promise<void> {
  let [now, other] = ["Day theme", "Night theme"];
  for (const address of addresses) {
    await page.goto(address);
    await page.waitForFunction(() => document.documentElement.hasAttribute("data-alive"));
    await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
    await expect(page.locator("canvas, .hx-node, table, form, dl, h1").first()).toBeVisible();
    expect(await axeFinds(page), `${address}, not in ${other}`).toEqual([]);
    await page.getByRole("button", { name: other }).click();
    await expect(page.getByRole("button", { name: now })).toBeVisible();
    [now, other] = [other, now];
    // In the other theme only colours differ.
    expect(await axeFinds(page, ["color-contrast"]), `${address}, ${now}`).toEqual([]);
  }
}
