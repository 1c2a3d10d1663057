import { expect, test } from "./fixtures";
import { axeFinds, heading, listen, part } from "./helpers";

test("a map by figures and differences, relations by hand, declared dependencies, and views of incidents", async ({
  page,
}) => {
  const complaints = listen(page);
  await test.step("the figure on the cards is chosen, and what differs is marked", async () => {
    await page.goto("/map?service=gate-appointments&last=P1D");
    await page.getByLabel("Figure on cards").click();
    await page.getByRole("option", { name: "Response time" }).click();
    await expect(page).toHaveURL(/figure=response/);
    await expect(page.getByLabel(/^Web front end gatefront nq-gate-web-01, well, p95 \d/)).toBeVisible();
    await page.goto("/map?only=marked&view=list&last=P7D");
    await expect(heading(page)).toContainText(/\d+ differ from the beginning of this window/);
    await expect(page.getByRole("columnheader", { name: "Differs" })).toBeVisible();
    expect(await axeFinds(page)).toEqual([]);
  });

  await test.step("a relation that means nothing is hidden, and shown again", async () => {
    const found = (await (await page.request.get("/find?q=nq-weigh-01")).json()) as {
      components: { id: number; name: string }[];
    };
    const own = found.components.find((one) => one.name === "nq-weigh-01")?.id;
    await page.goto(`/estate/${own}`);
    await page.getByRole("link", { name: "Relations by hand" }).click();
    await expect(heading(page)).toContainText("No relation of nq-weigh-01 was made or hidden by hand.");
    await page.getByRole("combobox", { name: "The other component" }).fill("nq-berth-db-01");
    await page.getByRole("option", { name: "nq-berth-db-01", exact: true }).click();
    await page.getByLabel("Over (port, purpose)").fill("nightly copy");
    await page.getByRole("button", { name: "Add", exact: true }).click();
    await expect(heading(page)).toContainText("nq-weigh-01: one relation made by hand.");
    await expect(part(page, "Made by hand")).toContainText("nightly copy");
    expect(await axeFinds(page)).toEqual([]);
    await part(page, "Made by hand").getByRole("link", { name: "talks to" }).click();
    await expect(heading(page)).toContainText("nq-weigh-01 talks to nq-berth-db-01");
    await page.getByRole("button", { name: "Remove", exact: true }).click();
    await expect(heading(page)).toContainText("no more");

    await page.goto("/map?service=gate-appointments");
    await page.getByLabel(/^Relational database quaystore nq-gate-db-01/).click();
    const panel = page.getByRole("complementary", { name: "About quaystore @ nq-gate-db-01" });
    await panel.getByRole("region", { name: "Needed by" }).getByRole("link").first().click();
    await expect(page.getByRole("complementary")).toContainText("talks to quaystore @ nq-gate-db-01");
    await page
      .getByRole("complementary")
      .getByRole("link", { name: /^Open the page/ })
      .first()
      .click();
    await page.getByRole("button", { name: "Hide", exact: true }).click();
    await expect(part(page, "How it is known")).toContainText("not drawn and not followed");
    await page.getByRole("button", { name: "Show again" }).click();
    await expect(page.getByRole("button", { name: "Hide", exact: true })).toBeVisible();
  });

  await test.step("what a service uses beyond what is declared shows on its structure", async () => {
    await page.goto("/services/gate-appointments/structure");
    const own = part(page, "Dependencies: 1 used but not declared, 1 declared but not used");
    await expect(own).toContainText("Used, not declared: Yard Positions");
    await expect(own).toContainText("Declared, not used: Customs Release, never seen");
    await page.goto("/services/gate-appointments/edit");
    await page.getByRole("combobox", { name: "Declared dependencies" }).fill("Yard");
    await page.getByRole("option", { name: "Yard Positions" }).click();
    await page.getByLabel("Of its usual (%)").fill("60");
    await page.getByRole("button", { name: "Save", exact: true }).click();
    await page.goto("/services/gate-appointments/objective");
    await expect(heading(page)).toContainText("promises truck moves at 60 % of its usual or more in 99.5 % of all");
    await page.goto("/services/gate-appointments/structure");
    await expect(part(page, "Dependencies: 0 used but not declared, 1 declared but not used")).toBeVisible();
    await page.goto("/services/gate-appointments/edit");
    await page.getByLabel("Of its usual (%)").fill("");
    await page.getByRole("button", { name: "Save", exact: true }).click();
  });

  await test.step("a list of incidents is kept as a view and found again", async () => {
    await page.goto("/incidents?order=longest&state=resolved");
    await page.getByRole("button", { name: "Save this view" }).click();
    await page.getByLabel("Name of the view").fill("Long ones");
    await page.getByRole("button", { name: "Save", exact: true }).click();
    await page.goto("/incidents");
    await page.getByRole("link", { name: "Long ones" }).click();
    await expect(page).toHaveURL(/state=resolved&order=longest|order=longest&state=resolved/);
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("button", { name: "Remove view Long ones" }).click();
    await expect(page.getByRole("link", { name: "Long ones" })).toHaveCount(0);
  });
  expect(complaints).toEqual([]);
});
