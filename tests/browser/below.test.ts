import { expect, test } from "./fixtures";
import { axeFinds, BY_THE_CLOCK, drag, heading, listen, startDrill } from "./helpers";

test("a slow front whose cause lies below it: from the process to the machine that takes its hypervisor's processors", async ({
  page,
}) => {
  const complaints = listen(page);
  await startDrill(page, "One virtual machine takes its host's processors");

  await test.step("what six services share is one incident that names them all", async () => {
    await page.goto("/");
    await expect(heading(page)).toContainText("“6 services: CPU is saturated on nq-virt-01”", BY_THE_CLOCK);
    // Another may stand beside it: what a story before resolved within a quarter of an hour is opened again.
    await page.getByRole("link", { name: "6 services: CPU is saturated on nq-virt-01" }).first().click();
    await expect(heading(page)).toContainText(/On nq-virt-01: CPU usage at 9\d\.\d %/);
    await expect(heading(page)).toContainText(/nq-trial-01 uses \d\d % of the CPU that its virtual machines use/);
    await expect(page.getByText("A hypervisor has no CPU left")).toBeVisible();
    await expect(heading(page)).toContainText(
      "Berth Planning, Customs Release, Gate Appointments, Manifest Exchange, Tariff & Billing and Yard Positions are affected",
    );
  });

  await test.step("the front itself looks well; what carries it does not, at the same instant", async () => {
    await page.goto("/estate?q=gatefront");
    await page.getByRole("link", { name: "gatefront @ nq-gate-web-01" }).click();
    await expect(heading(page)).toContainText("gatefront @ nq-gate-web-01 is healthy");
    const host = page.getByRole("heading", { name: "Linux host it runs on, at the same instant" }).locator("../..");
    await expect(host.getByRole("figure").filter({ hasText: "CPU steal" })).toContainText(/max [1-9]\d\.\d %/);
    const hypervisor = page
      .getByRole("heading", { name: "Hypervisor it runs on, at the same instant" })
      .locator("../..");
    await expect(hypervisor).toContainText("nq-virt-01 is critical: CPU usage at 9");
    expect(await axeFinds(page)).toEqual([]);
  });

  await test.step("dragging over one of its drawings moves the window of all", async () => {
    await drag(page, page.getByRole("figure").filter({ hasText: "Process memory" }).locator("canvas"), 0.5, 0.95);
    await expect(page).toHaveURL(/from=2026-03-1\dT.*to=2026-03-1\dT/);
    await page.goBack();
    await expect(page).not.toHaveURL(/from=/);
    await expect(page.getByText("nq-virt-01 is critical: CPU usage at 9")).toBeVisible();
  });

  await test.step("the hypervisor says who takes most, a machine that no source reaches", async () => {
    const hypervisor = page
      .getByRole("heading", { name: "Hypervisor it runs on, at the same instant" })
      .locator("../..");
    await hypervisor.getByRole("link", { name: "nq-virt-01", exact: true }).click();
    await expect(heading(page)).toContainText("nq-virt-01 is critical");
    const first = page.getByRole("row").filter({ hasText: "vCPUs" }).nth(1);
    await expect(first).toContainText("nq-trial-01");
    await expect(first).toContainText("not polled");
    expect(await axeFinds(page)).toEqual([]);
    await first.getByRole("link", { name: "nq-trial-01" }).click();
    await expect(heading(page)).toContainText("nq-trial-01 is healthy. Instance at North Quay");
    await expect(
      page.getByRole("table", { name: "On its platform" }).getByRole("row", { name: /Hosted by/ }),
    ).toContainText("nq-virt-01");
  });

  await test.step("once it ends, the incident resolves", async () => {
    await page.goto("/setup/drills");
    await page.getByRole("button", { name: /^(Stop|End): One virtual machine takes/ }).click();
    await page.goto("/");
    await expect(heading(page)).toContainText("no open incident", BY_THE_CLOCK);
  });
  expect(complaints).toEqual([]);
});

test("a service shows what its members measure, answer and say, with last week laid over it", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/services/gate-appointments?last=PT1H");
  await expect(heading(page)).toContainText("Gate Appointments");
  const answered = page.getByRole("heading", { name: "Operations" }).locator("../..");
  await expect(answered.getByRole("row").filter({ hasText: "GET /slots" }).first()).toContainText(/\d+(\.\d+)? ms/);
  await expect(page.getByRole("table", { name: "Legend of CPU usage" }).getByRole("row")).toHaveCount(5);
  expect(await axeFinds(page)).toEqual([]);
  await page.getByLabel("Compare with").click();
  await page.getByRole("option", { name: "previous day" }).click();
  await expect(page).toHaveURL(/over=day/);
  await page
    .getByRole("figure")
    .filter({ hasText: "CPU usage" })
    .getByRole("link", { name: "CPU usage", exact: true })
    .click();
  await expect(heading(page)).toContainText(/^5 lines from 5 series over 1 h/);
  await page.goBack();
  await answered.getByRole("link", { name: "GET /slots" }).first().click();
  await expect(page).toHaveURL(/\/signals\/traces\?operation=\d+/);
  await expect(page.getByText(/^GET \/slots/).first()).toBeVisible();
  expect(complaints).toEqual([]);
});

test("a container shows its host at the same instant, and where it was told of", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/estate?q=wagon-lists");
  await page.getByRole("link", { name: "wagon-lists @ td-rail-01" }).click();
  await expect(heading(page)).toHaveText("wagon-lists @ td-rail-01 is healthy. Container on td-rail-01.");
  await expect(page.getByRole("figure").filter({ hasText: "CPU throttled" })).toContainText(/max \d/);
  await expect(page.getByRole("heading", { name: "Linux host it runs on, at the same instant" })).toBeVisible();
  await expect(page.getByText("halvane/wagon-lists:1.4")).toBeVisible();
  await page.goto("/setup/signals");
  await expect(page.getByRole("heading", { name: "Hosts with an agent: 4" })).toBeVisible();
  await expect(
    page.getByRole("row").filter({ hasText: "td-rail-02" }).filter({ hasText: "by a sweep as well" }).first(),
  ).toContainText("3");
  expect(await axeFinds(page)).toEqual([]);
  expect(complaints).toEqual([]);
});

test("a slow measurement on a drawing leads to its trace", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/signals/metrics?last=PT15M");
  await page.getByLabel("Add a line").fill("duration p95 readings craneload");
  await page
    .getByRole("option", { name: /craneload @ sq-crane-in-02/ })
    .first()
    .click();
  await expect(heading(page)).toContainText("1 line from 1 series");
  // The stand-ins send what they measured every fifteen seconds.
  const links = page.getByText("Example traces:").getByRole("link");
  await expect(async () => {
    await page.reload();
    await expect(links.first()).toBeVisible({ timeout: 2000 });
  }).toPass(BY_THE_CLOCK);
  await links.first().click();
  await expect(page).toHaveURL(/\/signals\/traces\/[0-9a-f]{32}/);
  await expect(page.getByText("POST /readings").first()).toBeVisible();
  expect(complaints).toEqual([]);
});
