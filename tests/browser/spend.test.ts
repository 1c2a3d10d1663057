import { readFileSync } from "node:fs";
import Papa from "papaparse";
import { signInBrowser } from "../../scripts/sign-in.mjs";
import { expect, test } from "./fixtures";
import { axeFinds, heading, listen } from "./helpers";

test("spend of two providers side by side: forecast, budget, unusual days, exported and joined in SQL", async ({
  page,
}) => {
  const complaints = listen(page);
  await page.goto("/estate");
  await page.getByRole("link", { name: "Spend", exact: true }).click();
  // To the sixteenth: the demonstration's present is the 17th of March.
  await expect(heading(page)).toContainText(
    /^€[\d,]+ in March to 16 March, .* the same days of February\. March will come to about €[\d,]+ \(/,
  );
  const table = page.getByRole("table", { name: "Spend by provider" });
  await expect(table.getByRole("row", { name: /^Altoform/ })).toContainText("€1,500");
  await expect(table.getByRole("row", { name: /^Veldtline/ })).toContainText("€");
  await expect(
    page.getByRole("table", { name: "Unusual days" }).getByRole("row", { name: /Object store/ }),
  ).toContainText("crane-readings");
  expect(await axeFinds(page)).toEqual([]);
  // Down to what of an account costs most.
  await table.getByRole("button", { name: "Veldtline" }).click();
  await page
    .getByRole("table", { name: "Spend by account" })
    .getByRole("button", { name: "Halvane South Quay" })
    .click();
  const services = page.getByRole("table", { name: "Spend by service" });
  await expect(services.getByRole("row", { name: /^Machines/ })).toBeVisible();
  await services.getByRole("button", { name: "Machines" }).click();
  await expect(
    page.getByRole("table", { name: "Spend by resource" }).getByRole("row", { name: /^sq-mfx-gw-01/ }),
  ).toBeVisible();
  await page.getByRole("button", { name: /^Service: Machines/ }).click();
  await expect(page.getByRole("button", { name: /^Provider: Veldtline/ })).toBeVisible();
  await page.getByRole("combobox", { name: "By" }).click();
  await page.getByRole("option", { name: "Tag app" }).click();
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "CSV" }).click();
  const csv = readFileSync(await (await download).path(), "utf8");
  expect(Papa.parse<string[]>(csv.trim()).data[0]?.slice(0, 2)).toEqual(["tag app", "spent (EUR)"]);
  // What is paid for and does nothing, with the proof.
  await page.getByRole("link", { name: "Paid for and idle" }).click();
  await expect(heading(page)).toContainText("paid for");
  expect(await axeFinds(page)).toEqual([]);
  // The same in SQL, beside what is measured.
  await page.goto(
    `/signals/sql?q=${encodeURIComponent("SELECT s.provider, c.name, round(sum(s.effective), 2) AS euros FROM spend s JOIN components c ON c.id = s.component_id WHERE c.kind LIKE 'host.%' GROUP BY 1, 2 ORDER BY 2")}`,
  );
  const rows = page.getByRole("region", { name: "Rows" });
  await expect(rows).toContainText("nq-mfx-db-01");
  await expect(rows).toContainText("sq-mfx-gw-01");
  expect(complaints).toEqual([]);
});

test("a file of costs is refused whole, taken in, given out, and taken away; a budget is set", async ({
  page,
  baseURL,
}) => {
  await signInBrowser(page.context(), baseURL ?? "", "Sunniva Okafor");
  const complaints = listen(page);
  await page.goto("/estate/spend");
  await page.getByRole("link", { name: "Budgets and cost data" }).click();
  await expect(heading(page)).toContainText(/Costs come from \d platforms/);
  expect(await axeFinds(page)).toEqual([]);
  const rows = (cost: string) =>
    [
      "BilledCost,EffectiveCost,BillingAccountId,BillingAccountName,BillingCurrency,ChargeCategory,ChargePeriodStart,ChargePeriodEnd,ProviderName,ServiceName,Ours",
      `12.5,12.5,col-1,Colocation,EUR,Usage,2026-03-02T00:00:00Z,2026-03-03T00:00:00Z,Tarn Colocation,Racks,x`,
      `${cost},${cost},col-1,Colocation,EUR,Usage,2026-03-03T00:00:00Z,2026-03-04T00:00:00Z,Tarn Colocation,Racks,x`,
    ].join("\n");
  const file = page.getByLabel("File of costs");
  await file.setInputFiles({ name: "racks.csv", mimeType: "text/csv", buffer: Buffer.from(rows("12,50")) });
  await expect(page.getByRole("main").getByRole("alert")).toContainText("nothing was taken");
  await file.setInputFiles({ name: "racks.csv", mimeType: "text/csv", buffer: Buffer.from(rows("7.5")) });
  await expect(page.getByRole("status").filter({ hasText: "2 lines of March 2026 were taken in" })).toContainText(
    "left out: Ours",
  );
  await expect(page.getByRole("main").getByRole("alert")).toHaveCount(0);
  await file.setInputFiles({ name: "racks.csv", mimeType: "text/csv", buffer: Buffer.from(rows("7.5")) });
  await expect(page.getByRole("main").getByRole("alert")).toContainText("This very file was taken in already");
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "All as FOCUS (CSV)" }).click();
  const focus = Papa.parse<Record<string, string>>(readFileSync(await (await download).path(), "utf8").trim(), {
    header: true,
  }).data;
  const racks = focus.filter((one) => one.ProviderName === "Tarn Colocation");
  expect(racks.map((one) => one.BilledCost)).toEqual(["12.5", "7.5"]);
  expect(new Set(focus.map((one) => one.ProviderName))).toEqual(new Set(["Altoform", "Tarn Colocation", "Veldtline"]));
  await page.getByLabel("Name of the budget").fill("Racks");
  await page.getByRole("combobox", { name: "Of" }).click();
  await page.getByRole("option", { name: "Provider: Tarn Colocation" }).click();
  await page.getByLabel("Amount a month").fill("50");
  await page.getByRole("button", { name: "Set the budget" }).click();
  await expect(
    page.getByRole("table", { name: "Budgets" }).getByRole("row", { name: /Provider: Tarn Colocation/ }),
  ).toContainText("€50");
  await page.getByRole("button", { name: "Remove the budget Racks" }).click();
  await expect(page.getByRole("status").filter({ hasText: "The budget is removed." })).toBeVisible();
  await expect(page.getByRole("row", { name: /Provider: Tarn Colocation/ })).toHaveCount(0);
  await page.getByRole("button", { name: "Remove the costs of racks.csv" }).click();
  await expect(page.getByRole("table", { name: "Where costs come from" }).getByText("racks.csv")).toHaveCount(0);
  expect(complaints.filter((one) => !one.includes("400"))).toEqual([]);
});
