import { expect, test } from "./fixtures";
import { signInBrowser } from "../../scripts/sign-in.mjs";
import { axeFinds, drag, heading, listen } from "./helpers";

test("metrics: found by a few letters, drawn, lifted, zoomed, laid over, ranked, linked and taken out as CSV", async ({
  page,
  request,
}) => {
  const complaints = listen(page);
  await page.goto("/signals/metrics?last=PT6H");
  await expect(heading(page)).toContainText("Add a line");
  await page.getByLabel("Add a line").fill("mem nq-mfx-parse-01");
  await page.getByRole("option", { name: /^Memory usage · nq-mfx-parse-01/ }).click();
  await expect(heading(page)).toContainText("1 line from 1 series over 6 h");
  await page.getByLabel("Add a line").fill("traffic in south");
  await page.getByRole("option", { name: /Traffic in · everything at South Quay/ }).click();
  await expect(page.getByRole("status").filter({ hasText: "too many to read" })).toBeVisible();

  await test.step("the many become one, on an axis of their own", async () => {
    await page.getByRole("button", { name: /^Traffic in: South Quay/ }).click();
    await page.getByLabel("Aggregate").click();
    await page.getByRole("option", { name: "sum" }).click();
    await page.getByLabel("Axis", { exact: true }).click();
    await page.getByRole("option", { name: "right" }).click();
    await page.getByRole("button", { name: "Draw" }).click();
    await expect(heading(page)).toContainText("2 lines from");
    await expect(page.getByRole("table", { name: "Legend" })).toContainText("right axis");
  });

  await test.step("the value at pointer stands in the legend, and the legend is sorted", async () => {
    const canvas = page.locator("canvas").first();
    const box = await canvas.boundingBox();
    if (!box) throw new Error("no chart");
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    const row = page
      .getByRole("table", { name: "Legend" })
      .getByRole("row")
      .filter({ hasText: "Memory usage · nq-mfx-parse-01" });
    await expect(row.getByRole("cell").nth(1)).toHaveText(/\d+\.\d %/);
    await page.getByRole("button", { name: "max", exact: true }).click();
    await expect(page.getByRole("columnheader", { name: "max" })).toHaveAttribute("aria-sort", "descending");
    await page.getByRole("checkbox", { name: "min" }).uncheck();
    await expect(page.getByRole("columnheader", { name: "min", exact: true })).toHaveCount(0);
  });

  await test.step("previous day is laid over it", async () => {
    await page.getByLabel("Compare with").click();
    await page.getByRole("option", { name: "previous day", exact: true }).click();
    await expect(page).toHaveURL(/over=day/);
    // While a menu fades away it still takes the pointer.
    await expect(page.locator(".MuiModal-root")).toHaveCount(0);
  });

  await test.step("dragging moves the ribbon's window, and the link keeps it", async () => {
    await drag(page, page.locator("canvas").first(), 0.3, 0.6);
    await expect(page).toHaveURL(/from=2026-03-17T0/);
    await expect(page.getByRole("status").filter({ hasText: "Looking back." })).toBeVisible();
    const address = page.url();
    await page.goto("/");
    await page.goto(address);
    await expect(heading(page)).toContainText("2 lines from");
    const csv = await request.get((await page.getByRole("link", { name: "CSV" }).getAttribute("href")) ?? "");
    const lines = (await csv.text()).split("\r\n");
    expect(lines[0]).toMatch(/^time,"?Memory usage · nq-mfx-parse-01, lowest \[%\]"?/);
    expect(lines[1]).toMatch(/^2026-03-17T0\d:\d\d:\d\d\.000Z,\d/);
  });

  await test.step("the highest, as bars", async () => {
    await page.goto("/signals/metrics?last=P1D");
    await page.getByRole("button", { name: /^Disk usage/ }).click();
    await expect(heading(page)).toContainText("10 lines from 10 series");
    await page.getByLabel("Show").click();
    await page.getByRole("option", { name: "bars" }).click();
    await expect(page.getByRole("row").nth(1)).toContainText("Disk usage of /vault · td-vault-01");
  });

  await page.goto("/signals/metrics?line=nonsense&line=metric~reachable%3Baggregate~mean");
  await expect(page.getByRole("main").getByRole("alert")).toContainText(
    "One line of this address cannot be understood",
  );
  await expect(heading(page)).toContainText("1 line from 68 series");
  expect(complaints).toEqual([]);
});

test("logs: searched as one types, narrowed, opened, told by patterns", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/signals/logs?last=PT12H");
  await expect(heading(page)).toContainText(/[\d,]+ records in 12 h/);
  await page.getByRole("searchbox", { name: "Search" }).fill("manifest repl");
  await expect(heading(page)).toContainText(/^\d+ records in 12 h, 0 of them errors; 1 pattern/);
  await page
    .getByRole("button", { name: /^Segment \d+ of manifest \w+ kept for replay$/ })
    .first()
    .click();
  await expect(page.getByText("service.name manifest-parser on host.name nq-mfx-parse-01")).toBeVisible();
  await expect(page.getByRole("heading", { name: "Before and after, from the same source" })).toBeVisible();
  await page.getByRole("button", { name: "Segment <*> of manifest <*> kept for replay" }).click();
  await expect(page).toHaveURL(/pattern=\d+/);
  await page.getByRole("searchbox", { name: "Search" }).fill("");
  await expect(page).not.toHaveURL(/q=/);
  await expect(heading(page)).toContainText("1 pattern");

  await page.goto("/signals/logs?last=PT12H&view=patterns&new=1");
  await expect(page.getByRole("table", { name: "Log patterns" })).toContainText("kept for replay");
  await expect(page.getByRole("table", { name: "Log patterns" })).not.toContainText("Slot <*> of gate <*> taken by");

  await page.goto("/signals/logs?last=PT12H&level=17");
  await expect(page.getByRole("table", { name: "Log records" }).getByRole("row").nth(1)).toContainText(/error|fatal/);
  await page.goto("/signals/logs?last=PT12H");
  await drag(page, page.getByRole("img", { name: /^Records by time/ }), 0.4, 0.5);
  await expect(page).toHaveURL(/from=2026-03-17T0/);
  await expect(heading(page)).toContainText(/records in 1 h/);
  await page.getByRole("searchbox", { name: "Search" }).fill("surelynobodysaidthis");
  await expect(page.getByText("No matches in this window.")).toBeVisible();
  expect(complaints).toEqual([]);
});

test("traces: operations, durations dragged, a waterfall, two side by side", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/signals/traces?last=PT2H");
  await expect(heading(page)).toContainText(/[\d,]+ calls of \d+ operations in 2 h/);
  await page.getByRole("searchbox", { name: "Operation or source" }).fill("manifests gw-01");
  await page.getByRole("button", { name: "POST /manifests", exact: true }).first().click();
  await expect(page.getByRole("table", { name: "Traces" }).getByRole("row").nth(2)).toBeVisible();
  await drag(page, page.getByRole("img", { name: /^Calls by duration/ }), 0.05, 0.95);
  await expect(page).toHaveURL(/least=[\d.]+&most=[\d.]+/);
  await expect(page.getByRole("button", { name: /^any duration, not only/ })).toBeVisible();
  const boxes = page.getByRole("checkbox", { name: /^Compare the trace of/ });
  await boxes.nth(0).check();
  await boxes.nth(1).check();
  await page.getByRole("link", { name: "Compare" }).click();
  await expect(page.getByRole("table", { name: "Differences of two traces" })).toContainText(
    "manifest-gateway: POST /manifests (answered)",
  );
  await expect(page.getByRole("list", { name: "Spans" })).toHaveCount(2);
  await page.getByRole("list", { name: "Spans" }).first().getByRole("button").first().click();
  await expect(page.getByText("Self time").first()).toBeVisible();
  expect((await page.goto(`/signals/traces/${"0".repeat(32)}`))?.status()).toBe(404);
  expect(complaints.filter((text) => !text.includes("404"))).toEqual([]);
});

test("SQL: written with completion, run, drawn, kept, refused where it would write", async ({ page, request }) => {
  const complaints = listen(page);
  await page.goto("/signals/sql");
  const editor = page.getByRole("textbox", { name: "SQL statement" });
  await editor.click();
  await page.keyboard.press("Control+a");
  await page.keyboard.type("SELECT name, kind FROM comp");
  // In the first instant after it opens, the list takes no clicks, lest somebody who types chooses unawares.
  const offered = page.getByRole("option", { name: /components/ });
  await expect(async () => {
    await offered.click({ timeout: 2000 });
    await expect(editor).toContainText("FROM components", { timeout: 1000 });
  }).toPass();
  await page.keyboard.type(" WHERE name LIKE 'nq-sw%' ORDER BY name");
  await page.keyboard.press("Control+Enter");
  await expect(heading(page)).toContainText("2 rows");
  await expect(page.getByRole("region", { name: "Rows" })).toContainText("nq-sw-02");
  await page.getByLabel("Save as").fill("Switches of North Quay");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByRole("button", { name: "Switches of North Quay", exact: true })).toBeVisible();
  const csv = await (
    await request.get((await page.getByRole("link", { name: "CSV" }).getAttribute("href")) ?? "")
  ).text();
  expect(csv).toBe("name,kind\r\nnq-sw-01,net.switch\r\nnq-sw-02,net.switch\r\n");
  await page.goto(
    `/signals/sql?q=${encodeURIComponent("SELECT at, component, value FROM samples('memory.used', '2026-03-17T08:00Z', '2026-03-17T09:00Z') WHERE component = 'nq-mfx-parse-01'")}`,
  );
  await page.getByRole("button", { name: "chart" }).click();
  await expect(page.getByRole("table", { name: "Legend" })).toContainText("nq-mfx-parse-01");
  await page.goto(`/signals/sql?q=${encodeURIComponent("DELETE FROM component")}`);
  await expect(page.getByRole("main").getByRole("alert")).toContainText("Only reading is possible here");
  expect(complaints).toEqual([]);
});

test("a CSV file is looked at, mapped, and taken in part by part", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/signals/import");
  const rows = Array.from(
    { length: 9000 },
    (_, index) =>
      `2026-03-1${1 + Math.floor(index / 2000)} ${String(Math.floor((index % 1440) / 60)).padStart(2, "0")}:${String(index % 60).padStart(2, "0")},${20 + (index % 50) / 10},${index % 7},remark`,
  );
  rows[5] = "not a time,1,2,remark";
  await page.getByLabel("CSV file").setInputFiles({
    name: "weather.csv",
    mimeType: "text/csv",
    buffer: Buffer.from(`Time,Wind speed (m/s),Gusts,Note\n${rows.join("\n")}\n`),
  });
  await expect(heading(page)).toContainText(
    "The first 12 rows give 22 samples of 2 series. Nothing has been imported yet.",
  );
  await expect(page.getByText("Row 7: “not a time” is not a timestamp.")).toBeVisible();
  await page.getByRole("textbox", { name: "stored as" }).first().fill("wind.speed");
  await page.getByLabel("Unit").fill("m/s");
  await page.getByLabel("Component (optional)").fill("td-gw-01");
  await page.getByRole("option", { name: "td-gw-01", exact: true }).click();
  await page.getByRole("button", { name: "Import" }).click();
  await expect(heading(page)).toContainText("17,998 samples were imported, 1 row skipped.");
  await page.goto("/signals/metrics?from=2026-03-11T00:00:00Z&to=2026-03-12T00:00:00Z&line=metric~wind.speed");
  await expect(page.getByRole("table", { name: "Legend" })).toContainText("Wind speed · td-gw-01");
  await expect(page.getByRole("table", { name: "Legend" })).toContainText("24.9 m/s");
  await page.goto("/signals/import");
  await page
    .getByLabel("CSV file")
    .setInputFiles({ name: "empty.csv", mimeType: "text/csv", buffer: Buffer.from("only a head\n") });
  await expect(page.getByRole("main").getByRole("alert")).toContainText("no row below its head");
  expect(complaints).toEqual([]);
});

test("a sender that fits nobody waits, and is named by a rule", async ({ page, request, browser, baseURL }) => {
  const boss = await (await browser.newContext({ storageState: { cookies: [], origins: [] } })).newPage();
  await signInBrowser(boss.context(), baseURL ?? "", "Sunniva Okafor");
  await boss.goto("/setup/tokens");
  await boss.getByLabel("Program").fill("weighbridge");
  await boss.getByRole("checkbox", { name: "metrics" }).uncheck();
  await boss.getByRole("button", { name: "Make a token" }).click();
  const token = (await boss.locator(".hx-one-time").textContent()) ?? "";
  expect(token).toMatch(/^hx-token-/);
  expect(await axeFinds(boss)).toEqual([]);
  await expect(boss.getByRole("row").filter({ hasText: "weighbridge" })).toContainText("send logs, traces, events");
  const now = (await (await request.get("/find?q=nq-bastion-01")).json()) as { components: { id: number }[] };
  expect(now.components.length).toBeGreaterThan(0);
  await page.goto("/");
  const clock = await page.getByText(/^\d\d:\d\d:\d\d UTC$/).textContent();
  const sentAt = Date.parse(`2026-03-17T${clock?.slice(0, 8)}Z`);
  const answer = await request.post("http://127.0.0.1:4329/v1/logs", {
    headers: { authorization: `Bearer ${token}` },
    data: {
      resourceLogs: [
        {
          resource: { attributes: [{ key: "service.name", value: { stringValue: "weighbridge" } }] },
          scopeLogs: [
            {
              logRecords: [
                {
                  timeUnixNano: `${sentAt}000000`,
                  severityNumber: 13,
                  body: { stringValue: "scale 3 has to be set to zero" },
                },
              ],
            },
          ],
        },
      ],
    },
  });
  expect(await answer.json()).toEqual({});
  await page.goto("/setup/signals");
  await expect(page.getByRole("heading", { name: "Unmatched senders: 1" })).toBeVisible();
  await page.getByRole("button", { name: "Match weighbridge" }).click();
  await page.getByLabel("belong to").fill("nq-bastion");
  await page.getByRole("option", { name: "nq-bastion-01", exact: true }).click();
  await page.getByRole("button", { name: "Save rule" }).click();
  await expect(page.getByRole("heading", { name: "Unmatched senders: 0" })).toBeVisible();
  await expect(page.getByText("matching rule: service.name fits “weighbridge”")).toBeVisible();
  await page.goto("/signals/logs?last=PT12H&q=scale+zero");
  await expect(page.getByRole("table", { name: "Log records" })).toContainText("nq-bastion-01");
  await page.goto("/setup/signals");
  await page.getByLabel("URL").fill("ftp://nowhere");
  await page.getByRole("button", { name: "Add" }).click();
  await expect(page.getByRole("main").getByRole("alert")).toContainText("begins with http:// or https://");
});

test("a field of logs becomes a figure of the components that say it", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/setup/signals");
  const figures = page
    .locator("section.hx-section")
    .filter({ has: page.getByRole("heading", { name: /^Figures from logs/ }) });
  await expect(figures.getByRole("row").filter({ hasText: "Clients of a database" })).toContainText("different values");
  await figures.getByRole("textbox", { name: "Figure" }).fill("Trains");
  await figures.getByRole("textbox", { name: "Field" }).fill("{value}");
  await figures.getByRole("button", { name: "Make the figure" }).click();
  await expect(page.getByText("Say what stands before or after {value}.").first()).toBeVisible();
  await figures.getByRole("textbox", { name: "Field" }).fill("Train slot {value} passed");
  await figures.getByRole("button", { name: "Make the figure" }).click();
  const made = figures.getByRole("row").filter({ hasText: "Train slot {value} passed" });
  await expect(made).toContainText("Edo Brandsma-Quill");
  expect(await axeFinds(page)).toEqual([]);
  await figures.getByRole("link", { name: "Clients of a database" }).click();
  await expect(page.getByText("Different values in its log: everywhere").first()).toBeVisible();
  await page.goBack();
  await page.getByRole("button", { name: "Remove Trains" }).click();
  await expect(made).toHaveCount(0);
  expect(complaints.filter((text) => !text.includes("400"))).toEqual([]);
});
