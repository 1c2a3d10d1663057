import { expect, type Page, test } from "./fixtures";
import { axeFinds, BY_THE_CLOCK, heading, listen, startDrill } from "./helpers";

/** By its links, so that the page is alive when it is used. */
async function openMapping(page: Page, name: string): Promise<void> {
  await page.getByRole("link", { name: "Discover", exact: true }).click();
  await page.getByRole("link", { name: "Mappings", exact: true }).click();
  await page.getByRole("link", { name, exact: true }).click();
  await expect(heading(page)).toContainText(name);
}

test("clouds and clusters are read side by side: counts, lists, figures, CSV", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/estate");
  await page.getByRole("link", { name: "Platforms", exact: true }).click();
  await expect(heading(page)).toContainText(
    "3 accounts with 27 instances, 1 container cluster with 6 containers. All of them answer.",
  );
  expect(await axeFinds(page)).toEqual([]);
  await page.getByRole("row", { name: /Firth/ }).getByRole("link", { name: "4", exact: true }).click();
  await expect(heading(page)).toContainText("Firth has 4 instances");
  const list = page.getByRole("table", { name: "List" });
  await expect(list.getByRole("row")).toHaveCount(5);
  await expect(list.getByRole("row", { name: /nq-mfx-db-01/ })).toContainText(/active.*m-4.*firth-2.*%.*bit\/s/);
  await list.getByRole("button", { name: "CPU", exact: true }).click();
  await expect(list.getByRole("columnheader", { name: /^CPU ↓/ })).toHaveAttribute("aria-sort", "descending");
  await page.getByLabel("Filter").fill("parse");
  await expect(list.getByRole("row")).toHaveCount(2);
  const csv = await page.request.get((await page.getByRole("link", { name: "CSV" }).getAttribute("href")) ?? "");
  expect((await csv.text()).split("\r\n").slice(0, 2).join("|")).toMatch(
    /^name,kind,region,platform state.*guest\.cpu\.used \(%\).*\|nq-mfx-parse-01,host\.linux,Firth,active/,
  );
  expect(await axeFinds(page)).toEqual([]);
  // An instance is the host that is swept as well, and leads to its volumes and its region.
  await list.getByRole("link", { name: "nq-mfx-parse-01" }).click();
  await expect(heading(page)).toContainText("nq-mfx-parse-01");
  const placed = page.getByRole("table", { name: "On its platform" });
  await expect(placed.getByRole("row", { name: /Hosted by/ })).toContainText("Firth");
  await placed.getByRole("link", { name: "nq-mfx-parse-01-var-spool" }).click();
  await expect(heading(page)).toContainText("nq-mfx-parse-01-var-spool");
  await expect(page.getByRole("figure").filter({ hasText: "Volume latency" })).toBeVisible();
  await expect(page.getByRole("table", { name: "On its platform" }).getByRole("row", { name: /Stores/ })).toContainText(
    "nq-mfx-parse-01",
  );
  expect(complaints).toEqual([]);
});

test("a mapping is written against live answers, previewed, refused where it is wrong, and used by a source", async ({
  page,
}) => {
  const complaints = listen(page);
  await page.goto("/discover/mappings");
  await page.getByRole("link", { name: "Altoform", exact: true }).first().click();
  await page.getByRole("button", { name: "Preview what it makes" }).click();
  await expect(page.getByRole("heading", { name: "Preview: account Halvane Port Authority (hpa-4471)" })).toBeVisible();
  await expect(
    page.getByRole("table", { name: "Preview of machines" }).getByRole("row", { name: /nq-mfx-db-01/ }),
  ).toContainText("stored-on drives");
  expect(await axeFinds(page)).toEqual([]);
  await page.getByLabel("Look at the answer of").fill("/v2/regions");
  await page.getByRole("button", { name: "Show the answer" }).click();
  await expect(page.getByRole("status").filter({ hasText: '"code": "firth"' })).toBeVisible();
  const text = page.getByRole("textbox", { name: "Mapping (JSON)" });
  const whole = JSON.parse(await text.inputValue()) as { name: string; lists: { kind: string }[] };
  await page.goto("/discover/mappings");
  await page.getByRole("link", { name: "Write a mapping" }).click();
  await expect(heading(page)).toContainText("A new mapping");
  await text.fill(
    JSON.stringify({
      ...whole,
      name: "Altoform drives",
      lists: [{ ...whole.lists[1], kind: "storage.toaster" }],
      metrics: [],
    }),
  );
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByRole("main").getByRole("alert")).toContainText(
    "lists › drives › kind: There is no kind “storage.toaster”.",
  );
  await text.fill(JSON.stringify({ ...whole, name: "Altoform drives", lists: [whole.lists[1]], metrics: [] }));
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(
    page.getByRole("table", { name: "Mappings" }).getByRole("row", { name: /Altoform drives/ }),
  ).toContainText("drives");
  await page.goto("/discover/sources/new?type=platform");
  await page.getByRole("textbox", { name: "Name", exact: true }).fill("Drives only");
  await page.getByRole("textbox", { name: "Site" }).fill("Altoform");
  await page.getByRole("textbox", { name: "Address" }).fill("http://127.20.8.1:9080");
  await page.getByRole("combobox", { name: "Mapping" }).click();
  await page.getByRole("option", { name: "Altoform drives" }).click();
  await page.getByRole("button", { name: "Test", exact: true }).click();
  await expect(
    page.getByText("It signs in with an OAuth 2 client. Add such a credential to the source."),
  ).toBeVisible();
  await page.getByRole("combobox", { name: "Credentials it may use" }).click();
  await page.getByRole("option", { name: /Altoform reader/ }).click();
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Test", exact: true }).click();
  await expect(page.getByText("Account Halvane Port Authority (hpa-4471).")).toBeVisible();
  await page.getByRole("button", { name: "Add source" }).click();
  await expect(page.getByRole("link", { name: "Drives only" })).toBeVisible();
  // What is used cannot be taken away.
  await openMapping(page, "Altoform drives");
  await page.getByRole("button", { name: "Remove" }).click();
  await expect(page.getByRole("main").getByRole("alert")).toContainText("is used by Drives only");
  await page.getByRole("link", { name: "Discover", exact: true }).click();
  await page.getByRole("link", { name: "Drives only" }).click();
  await expect(heading(page)).toContainText("Drives only");
  await page.getByRole("button", { name: "Remove" }).click();
  await expect(heading(page)).toContainText("source");
  await openMapping(page, "Altoform drives");
  await page.getByRole("button", { name: "Remove" }).click();
  await expect(page.getByRole("table", { name: "Mappings" }).getByRole("row", { name: /Altoform drives/ })).toHaveCount(
    0,
  );
  expect(complaints.filter((one) => !one.includes("400"))).toEqual([]);
});

test("from a roll-out to the throttled container and a better limit", async ({ page }) => {
  const complaints = listen(page);
  await startDrill(page, "A container is held back by its quota");
  // The roll-out is a change at its workload, with the limit before and after.
  await page.goto("/estate/platforms");
  await page.getByRole("row", { name: /rail/ }).last().getByRole("link", { name: "4", exact: true }).click();
  await page.getByRole("table", { name: "List" }).getByRole("link", { name: "slot-board" }).click();
  await expect(heading(page)).toContainText("slot-board");
  await expect(async () => {
    await page.reload();
    await expect(page.getByText(/CPU limit of slot-board 1 → 0\.06/)).toBeVisible({ timeout: 2000 });
  }).toPass(BY_THE_CLOCK);
  const containers = page.getByRole("table", { name: "Containers" });
  await expect(async () => {
    await page.reload();
    await expect(containers.getByRole("row").nth(1)).toContainText(
      /slot-board @ td-rail-02.*0\.06 CPU.*[1-9]\d?\.\d %/,
      { timeout: 2000 },
    );
  }).toPass(BY_THE_CLOCK);
  await expect(page.getByRole("heading", { name: "Better limits, from the last 7 days" })).toBeVisible();
  await expect(page.getByText(/slot-board: A CPU limit of .* would cover 99 % of what it used/)).toBeVisible();
  expect(await axeFinds(page)).toEqual([]);
  await containers.getByRole("link", { name: "slot-board @ td-rail-02" }).click();
  await expect(page.getByRole("figure").filter({ hasText: "CPU throttled" })).toBeVisible();
  await page.goto("/setup/drills");
  await page.getByRole("button", { name: "End: A container is held back by its quota" }).click();
  await expect(heading(page)).toContainText("No drill is running");
  expect(complaints).toEqual([]);
});

test("capacity of a hypervisor: what it has, where its machines could move, and who is stranded without it", async ({
  page,
}) => {
  const complaints = listen(page);
  await page.goto("/estate?q=nq-virt-01");
  await page.getByRole("link", { name: "nq-virt-01", exact: true }).click();
  // The list of the estate has a link of this name too.
  await expect(heading(page)).toContainText("nq-virt-01 is");
  await page.getByRole("link", { name: "Capacity", exact: true }).click();
  await expect(heading(page)).toContainText("If nq-virt-01 were lost");
  await expect(page.getByRole("table", { name: "Resources" }).getByRole("row", { name: /^Memory/ })).toContainText(
    /96 GiB.*86\.4 GiB.*GiB \(\d+ %\)/,
  );
  const machines = page.getByRole("table", { name: "Machines" });
  await expect(machines.getByRole("row", { name: /nq-trial-01/ })).toContainText("nq-virt-02");
  await expect(page.getByRole("table", { name: "What if it were lost" })).toContainText("finds no place");
  expect(await axeFinds(page)).toEqual([]);
  expect(complaints).toEqual([]);
});

test("a private cloud is added from host, port, project and user alone", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/discover");
  await page.getByRole("link", { name: "Add a source" }).click();
  await page.getByRole("link", { name: "Private cloud" }).click();
  await expect(page.getByRole("heading", { name: "Private cloud", exact: true })).toBeVisible();
  await page.getByRole("textbox", { name: "Name", exact: true }).fill("Quay cloud again");
  await page.getByRole("textbox", { name: "Site" }).fill("North Quay");
  await page.getByRole("textbox", { name: "Host" }).fill("127.20.8.4");
  await page.getByLabel("Port").fill("9500");
  await page.getByRole("textbox", { name: "Path" }).fill("/identity");
  await page.getByRole("textbox", { name: "Project" }).fill("halvane-keys");
  await page.getByRole("combobox", { name: "TLS" }).click();
  await page.getByRole("option", { name: "no", exact: true }).click();
  await page.getByRole("combobox", { name: "Credentials it may use" }).click();
  await page.getByRole("option", { name: /Quay cloud observer/ }).click();
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Test", exact: true }).click();
  await expect(page.getByText("the project “halvane-keys”")).toBeVisible();
  await page.getByRole("textbox", { name: "Project" }).fill("halvane-quays");
  await page.getByRole("button", { name: "Test", exact: true }).click();
  await expect(page.getByText("Regions: north, quayside.")).toBeVisible();
  expect(await axeFinds(page)).toEqual([]);
  // The one that is read already: instances on hypervisors, with what both tell.
  await page.getByRole("link", { name: "Estate", exact: true }).click();
  await page.getByRole("link", { name: "Platforms", exact: true }).click();
  await page.getByRole("link", { name: "halvane-quays", exact: true }).click();
  await expect(heading(page)).toContainText(/halvane-quays has \d+ instances, 2 hypervisors/);
  await page.getByRole("button", { name: /^Hypervisors/ }).click();
  const row = page.getByRole("table", { name: "List" }).getByRole("row", { name: /nq-virt-02/ });
  await expect(row).toContainText(/\d+(\.\d)? %/);
  await row.getByRole("link", { name: "nq-virt-02" }).click();
  await expect(heading(page)).toContainText("nq-virt-02");
  expect(complaints).toEqual([]);
});

test("a guest leads to its virtual disk and on to the datastore, at the same instant", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/estate?q=sq-berth-web-01");
  await page.getByRole("link", { name: "sq-berth-web-01", exact: true }).click();
  await expect(page.getByRole("figure").filter({ hasText: "Waiting for a CPU of the host" })).toBeVisible();
  const placed = page.getByRole("table", { name: "On its platform" });
  await expect(placed.getByRole("row", { name: /Hosted by/ })).toContainText("sq-virt-01");
  await placed.getByRole("link", { name: "sq-berth-web-01-vda" }).click();
  await expect(heading(page)).toContainText("sq-berth-web-01-vda");
  await expect(page.getByRole("figure").filter({ hasText: "Volume latency" }).first()).toBeVisible();
  await placed.getByRole("link", { name: "quay-store" }).click();
  await expect(heading(page)).toContainText("quay-store");
  await expect(page.getByRole("figure").filter({ hasText: "Volume usage" })).toBeVisible();
  expect(complaints).toEqual([]);
});

test("what belongs together across platforms is watched as one", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/estate");
  await page.getByRole("link", { name: "Manifest Exchange everywhere" }).click();
  await page.getByRole("link", { name: "Watch Manifest Exchange everywhere as one" }).click();
  await expect(heading(page)).toContainText(/Manifest Exchange everywhere: .* components? .*They cost €/);
  await expect(page.getByRole("table", { name: "Members" })).toContainText("Linux hosts");
  const figures = page.getByRole("table", { name: "Together" });
  await expect(figures.getByRole("row", { name: /CPU usage reported/ })).toContainText("(mean)");
  await figures.getByRole("button", { name: "Volume latency" }).click();
  await expect(page.getByRole("heading", { name: /^Top 10 by volume latency/ })).toBeVisible();
  await expect(page.getByRole("table", { name: "Top" }).getByRole("row")).toHaveCount(11);
  expect(await axeFinds(page)).toEqual([]);
  expect(complaints).toEqual([]);
});

test("what a platform starts is watched within a poll, and leaves when it is ended", async ({ page }) => {
  const complaints = listen(page);
  const drills = async (button: string, head: RegExp) => {
    await page.goto("/setup/drills");
    await page.getByRole("button", { name: button }).click();
    await expect(heading(page)).toContainText(head);
  };
  const instance = async () => {
    await page.goto("/estate/platforms");
    await page.getByRole("link", { name: "quayside", exact: true }).click();
    await page.getByRole("button", { name: /^Instances/ }).click();
    return page.getByRole("table", { name: "List" }).getByRole("row", { name: /nq-gate-web-02/ });
  };
  await expect(await instance()).toHaveCount(0);
  await startDrill(page, "A new host");
  await expect(async () => {
    const row = await instance();
    await expect(row).toContainText("ACTIVE", { timeout: 2000 });
    await expect(row).toContainText(/\d %/, { timeout: 2000 });
  }).toPass(BY_THE_CLOCK);
  await drills("End: A new host", /No drill is running/);
  await expect(async () => expect(await instance()).toHaveCount(0, { timeout: 2000 })).toPass(BY_THE_CLOCK);
  expect(complaints).toEqual([]);
});
