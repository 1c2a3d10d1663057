import { expect, test } from "./fixtures";
import { axeFinds, BY_THE_CLOCK, heading, listen } from "./helpers";

test("a change without a ticket is found, its component compared with its siblings, and what would fail with it shown", async ({
  page,
}) => {
  const complaints = listen(page);

  await test.step("changes are held against the tickets of the change desk", async () => {
    await page.goto("/estate/changes?last=P2D");
    await expect(heading(page)).toContainText(/changes in 2 d: \d+ without a ticket/);
    await page.getByLabel("Component, words or who").fill("parser 7.0.3");
    const row = page.getByRole("row").filter({ hasText: "manifest-parser @ nq-mfx-parse-01" });
    // The list is narrowed a moment after the last key; before, it has other changes of that component.
    await expect(page.getByRole("row")).toHaveCount(2);
    await expect(row).toContainText("without a ticket");
    await page.getByLabel("Ticket").click();
    await page.getByRole("option", { name: /^With a ticket/ }).click();
    await expect(page.getByText("None. Widen the window")).toBeVisible();
    await page.goto("/estate/changes?last=P2D&standing=none");
    await expect(page.getByRole("row").filter({ hasText: "td-gw-03 was found" }).first()).toBeVisible();
    expect(await axeFinds(page)).toEqual([]);
    const csv = await (await page.request.get("/estate/changes.csv?last=P2D&standing=none")).text();
    expect(csv.split("\n")[0]?.trim()).toBe("at,kind,component,what,by,ticket,standing,why");
  });

  await test.step("the narrowed list becomes a rule, which says what it would have told of, and tells", async () => {
    await page.goto("/estate/changes?last=P2D&standing=none&q=parser%207.0.3");
    await page.getByRole("link", { name: "Make a rule of this" }).click();
    await expect(page.getByLabel("Words")).toHaveValue("parser 7.0.3");
    await page.getByLabel("Name").fill("Parsers changed without a ticket");
    await page.getByLabel("Stands for (h)").fill("400");
    await page.getByRole("button", { name: "Preview" }).click();
    await expect(page.getByRole("main").getByRole("alert")).toContainText("At most a week.");
    await page.getByLabel("Stands for (h)").fill("72");
    await page.getByRole("button", { name: "Preview" }).click();
    await expect(page.getByRole("status")).toContainText(/it would have raised 1 alarm on 1 of \d+ components/);
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("button", { name: "Add rule" }).click();
    const rule = page.getByRole("row", { name: /Parsers changed without a ticket/ });
    await expect(rule).toContainText("minor when a change with “parser 7.0.3” has no ticket");
    const told = page.getByRole("row").filter({ hasText: "Changed without a ticket by" });
    await expect(async () => {
      await page.goto("/incidents/alarms");
      await expect(told.first()).toContainText("manifest-parser @ nq-mfx-parse-01", { timeout: 1000 });
    }).toPass(BY_THE_CLOCK);
    await page.goto("/setup/rules");
    page.once("dialog", (dialog) => void dialog.accept());
    await rule.getByRole("button", { name: "Remove Parsers changed without a ticket" }).click();
    await expect(rule).toHaveCount(0);
    await expect(async () => {
      await page.goto("/incidents/alarms");
      await expect(told).toHaveCount(0, { timeout: 1000 });
    }).toPass(BY_THE_CLOCK);
  });

  await test.step("the component's siblings show what it has that they have not", async () => {
    await page.goto("/estate/changes?last=P2D&q=parser%207.0.3");
    await page.getByRole("link", { name: "manifest-parser @ nq-mfx-parse-01" }).click();
    await page.getByRole("link", { name: "Siblings" }).click();
    await expect(heading(page)).toContainText("manifest-parser @ nq-mfx-parse-01 beside 2 siblings");
    const version = page.getByRole("row").filter({ hasText: "facts version" });
    await expect(version).toContainText("7.0.3");
    await expect(version).toContainText("7.0.2");
    expect(await axeFinds(page)).toEqual([]);
  });

  await test.step("what if its host failed, and what the service hangs on alone", async () => {
    await page.goto("/services/tariff-billing/structure");
    await expect(heading(page)).toContainText(
      /Tariff & Billing rests on \d+ components; \d+ of them alone bring it down/,
    );
    expect(await axeFinds(page)).toEqual([]);
    await page
      .getByRole("row")
      .filter({ hasText: "tariffdesk @ nq-bil-web-01" })
      .getByRole("link", { name: "Who is hurt" })
      .click();
    await expect(heading(page)).toContainText("If tariffdesk @ nq-bil-web-01 failed: 1 service is down");
    await page.getByLabel("A whole site").selectOption("North Quay");
    await page.getByRole("button", { name: "Show" }).click();
    await expect(heading(page)).toContainText("everything at North Quay");
    expect(await axeFinds(page)).toEqual([]);
  });

  await test.step("a map is saved for everybody, opened again, and comes out as files", async () => {
    await page.goto("/map?by=site,kind&only=all");
    await page.getByRole("button", { name: "Save this map" }).click();
    await page.getByLabel("Name of the map").fill("Sites");
    await page.getByLabel("for everybody").check();
    await page.getByRole("button", { name: "Save", exact: true }).click();
    await page.goto("/map");
    await page.getByRole("link", { name: "Sites", exact: true }).click();
    await expect(page.getByLabel(/^Group North Quay \d+ components/)).toBeVisible();
    const graph = await (await page.request.get("/map.graphml?by=site")).text();
    expect(graph).toContain('<graphml xmlns="http://graphml.graphdrawing.org/xmlns">');
    const picture = await (await page.request.get("/map.svg?by=site")).text();
    expect(picture).toMatch(/^<svg .*North Quay/s);
    await page.getByRole("button", { name: "Remove map Sites" }).click();
    await expect(page.getByRole("link", { name: "Sites", exact: true })).toBeHidden();
  });

  await test.step("the way between two components, chosen on the map", async () => {
    await page.goto("/map?service=manifest-exchange");
    await page.getByLabel(/^Application process manifest-parser nq-mfx-parse-01/).click();
    await page.getByRole("link", { name: "Way from here to …" }).click();
    await expect(page.getByRole("status").filter({ hasText: "other end" })).toBeVisible();
    await page.getByLabel(/^Relational database quaystore nq-mfx-db-01/).click();
    await expect(heading(page)).toContainText(
      "manifest-parser @ nq-mfx-parse-01 needs quaystore @ nq-mfx-db-01: 1 step",
    );
  });

  await test.step("a window drawn on the ribbon's track rules the page; a longer one stretches the ribbon", async () => {
    await page.goto("/map");
    const strip = page.locator(".hx-strip");
    const box = await strip.boundingBox();
    if (!box) throw new Error("There is no ribbon.");
    const y = box.y + 20;
    await page.mouse.move(box.x + box.width * 0.2, y);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width * 0.3, y, { steps: 4 });
    await page.mouse.move(box.x + box.width * 0.45, y, { steps: 4 });
    await page.mouse.up();
    await expect(page).toHaveURL(/from=.*to=/);
    const params = new URL(page.url()).searchParams;
    const hours = (Date.parse(params.get("to") ?? "") - Date.parse(params.get("from") ?? "")) / 3_600_000;
    expect(hours).toBeGreaterThan(5.5);
    expect(hours).toBeLessThan(6.5);
    await expect(page.getByText("Looking back.")).toBeVisible();
    await page.goto("/map?last=P7D");
    await expect(page.getByLabel("Ribbon span")).toHaveValue("P7D");
  });

  await test.step("the palette forgives a typing error, and offers what was opened lately first", async () => {
    await page.keyboard.press("Control+k");
    await page.getByRole("combobox", { name: "Find anything" }).fill("tarif biling");
    await page.getByRole("option", { name: /Tariff & Billing/ }).click();
    await expect(heading(page)).toContainText("Tariff & Billing");
    await page.keyboard.press("Control+k");
    await expect(page.getByRole("option").first()).toContainText("Tariff & Billing");
    await page.keyboard.press("Escape");
  });
  // A refused form is the test's own doing.
  expect(complaints.filter((one) => !one.includes("400 (Bad Request)"))).toEqual([]);
});
