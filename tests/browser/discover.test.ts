import { expect, test } from "./fixtures";
import { axeFinds, BY_THE_CLOCK, heading, listen } from "./helpers";

test("a source of hosts by SSH: added, tried, swept, and taken away again", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/discover/sources/new?type=ssh");
  await page.getByRole("textbox", { name: "Name" }).fill("Depot shells");
  await page.getByRole("textbox", { name: "Site" }).fill("Tarn Depot");
  await page.getByRole("textbox", { name: "Addresses" }).fill("127.20.3.11-12");
  await page.getByLabel("SSH port").fill("2222");
  await page.getByLabel("Sweep by itself every").fill("hourly");
  await page.getByRole("button", { name: "Add source" }).click();
  await expect(page.getByText("This is neither a number of minutes nor a rule of RFC 5545.")).toBeVisible();
  await page.getByLabel("Sweep by itself every").fill("FREQ=DAILY;BYHOUR=3");
  await page.getByLabel("Quiet hours (UTC)").fill("08:00-18:00");
  await page.getByRole("button", { name: "Add source" }).click();
  await expect(page.getByText("Choose an SSH key or an SSH password.").first()).toBeVisible();
  await page.getByLabel("Credentials it may use").click();
  await page.getByRole("option", { name: /Operator key/ }).click();
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Test" }).click();
  await expect(page.getByRole("status").filter({ hasText: "127.20.3.11: td-" })).toBeVisible();
  expect(await axeFinds(page)).toEqual([]);
  await page.getByRole("button", { name: "Add and sweep" }).click();
  await expect(heading(page)).toContainText("Depot shells");
  await expect(page.getByText("done").first()).toBeVisible({ timeout: 30_000 });
  await page.goto("/discover");
  const row = page.getByRole("row").filter({ hasText: "Depot shells" }).first();
  await expect(row).toContainText("Linux hosts by SSH");
  await row.getByRole("link", { name: "Depot shells" }).click();
  await page.getByRole("button", { name: "Remove the source" }).click();
  await page.waitForURL("**/discover");
  await expect(page.getByRole("link", { name: "Depot shells", exact: true })).toHaveCount(0);
  // Other sources see its hosts too, so they stay.
  const found = (await (await page.request.get("/find?q=td-gw-01")).json()) as { components: { id: number }[] };
  await page.goto(`/estate/${found.components[0]?.id}`);
  await expect(page.getByRole("row").filter({ hasText: "Tarn Depot by SSH" })).toBeVisible();
  expect(complaints.filter((text) => !text.includes("400"))).toEqual([]);
});

test("coverage: what is unknown is named, and the name is forgotten again", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/discover");
  await page.getByRole("link", { name: "Coverage" }).click();
  await expect(heading(page)).toContainText("each with the step that mends it");
  expect(await axeFinds(page)).toEqual([]);
  const row = page.getByRole("row").filter({ hasText: "banner “220" }).first();
  await row.getByRole("link", { name: "Name it" }).click();
  await page.getByRole("textbox", { name: "Product" }).fill("Q");
  await page.getByLabel("Known by its").click();
  await page.getByRole("option", { name: "banner" }).click();
  await page.getByRole("textbox", { name: "Words in it" }).fill("22");
  await page.getByRole("button", { name: "Name it" }).click();
  await expect(page.getByText("Give at least three characters that it shows.")).toBeVisible();
  await page.getByRole("textbox", { name: "Product" }).fill("Postbag relay");
  await page.getByRole("textbox", { name: "Words in it" }).fill("mail relay ESMTP");
  await page.getByRole("button", { name: "Name it" }).click();
  await expect(page.getByRole("row").filter({ hasText: "Postbag relay" })).toContainText("banner “mail relay ESMTP”");
  // The next sweep knows it.
  await page.goto("/discover");
  await page.getByRole("button", { name: "Sweep North Quay now" }).click();
  await expect(page.getByText("done").first()).toBeVisible({ timeout: 30_000 });
  await expect(async () => {
    await page.goto("/estate/software");
    await expect(page.getByRole("link", { name: "Postbag relay" })).toBeVisible({ timeout: 2000 });
  }).toPass(BY_THE_CLOCK);
  await page.goto("/discover/coverage");
  await page.getByRole("button", { name: "Forget Postbag relay" }).click();
  await expect(page.getByRole("row").filter({ hasText: "Postbag relay" })).toHaveCount(0);
  expect(complaints.filter((text) => !text.includes("400"))).toEqual([]);
});

test("a whole application is taken in as a service, changed, and retired", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/setup/services");
  await page.getByRole("link", { name: "Make a service" }).click();
  await expect(heading(page)).toContainText("Say where people come in");
  await page.getByLabel("Entry point").fill("slotmailer @ nq-gate-app-01");
  await page.getByRole("option", { name: "slotmailer @ nq-gate-app-01" }).click();
  await expect(heading(page)).toContainText("One entry point leads to");
  await expect(page.getByRole("row").filter({ hasText: "an entry point" })).toHaveCount(2);
  await expect(page.getByRole("row", { name: /^quaystore @ nq-gate-db-01 belongs/ })).toContainText("talks to it on");
  expect(await axeFinds(page)).toEqual([]);
  await page.getByRole("button", { name: "Make the service" }).click();
  await expect(page.getByText("Give the service a name.").first()).toBeVisible();
  await page.getByRole("textbox", { name: "Name" }).fill("Slot letters");
  await page.getByRole("textbox", { name: "Owner" }).fill("Landside desk");
  await page.getByLabel("Response limit (ms)").fill("400");
  await page.getByLabel("Notes for whoever is on shift").fill("Letters may wait an hour.");
  await page
    .getByRole("checkbox", { name: /^quaystore @ nq-gate-db-01 belongs/ })
    .first()
    .uncheck();
  await page.getByRole("button", { name: "Make the service" }).click();
  await expect(heading(page)).toContainText("Slot letters is");
  await expect(page.getByText("Response within 400 ms at the server.")).toBeVisible();
  await page.getByRole("link", { name: "Edit" }).click();
  await expect(page.getByRole("checkbox", { name: /^quaystore @ nq-gate-db-01 belongs/ }).first()).not.toBeChecked();
  // Only some of what is asked there is for it; a name that nobody asks under is told.
  await page.getByRole("textbox", { name: "Only these operations" }).fill("GET /letters\nGET /never");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByText(/slotmailer on nq-gate-app-\S+ for GET \/letters \| GET \/never/)).toBeVisible();
  await page.getByRole("link", { name: "Edit" }).click();
  await expect(page.getByText("never asked there: GET /letters, GET /never")).toBeVisible();
  await page.getByRole("button", { name: "Retire the service" }).click();
  await expect(heading(page)).toContainText("services are defined");
  await expect(page.getByRole("link", { name: "Slot letters" })).toHaveCount(0);
  expect(complaints.filter((text) => !text.includes("400"))).toEqual([]);
});

test("the estate is grouped by anything, its columns are chosen, and both are kept with the filter", async ({
  page,
}) => {
  const complaints = listen(page);
  await page.goto("/estate?q=berth");
  await page.getByLabel("Group by").click();
  await page.getByRole("option", { name: "version (fact)" }).click();
  const groups = page.getByRole("table", { name: "Groups" });
  await expect(groups.getByRole("row").nth(1)).toBeVisible();
  expect(await axeFinds(page)).toEqual([]);
  await groups.getByRole("link").first().click();
  await expect(page.getByRole("table", { name: "Components" })).toBeVisible();
  await expect(page).toHaveURL(/fact=version/);
  await page.getByLabel("Columns").click();
  await page.getByRole("option", { name: "Version (fact)" }).click();
  await page.getByRole("option", { name: "Services" }).click();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("columnheader", { name: "Version" })).toBeVisible();
  await expect(page.getByRole("columnheader", { name: "Services" })).toHaveCount(0);
  await page.getByRole("textbox", { name: "Name of the collection" }).fill("Berth versions");
  await page.getByRole("button", { name: "Keep this filter" }).click();
  await page.goto("/estate");
  await page.getByRole("navigation", { name: "Collections" }).getByRole("link", { name: "Berth versions" }).click();
  await expect(page.getByRole("columnheader", { name: "Version" })).toBeVisible();
  await page.getByRole("button", { name: "Remove Berth versions" }).click();
  await expect(page.getByRole("link", { name: "Berth versions" })).toHaveCount(0);
  expect(complaints).toEqual([]);
});

test("services are taken in from a list, and given out as one", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/setup/services");
  const list = page.getByRole("textbox", { name: "List of services" });
  await list.fill("name,owner,entries\nTide desk,Harbour office,tidecalc\n");
  await page.getByRole("button", { name: "Take it in" }).click();
  await expect(page.getByText("Line 2: “tidecalc” is no entry point: write “process on host”.")).toBeVisible();
  await list.fill("name,owner,entries\nTide desk,Harbour office,tidecalc on *\n");
  await page.getByRole("button", { name: "Take it in" }).click();
  await expect(page.getByRole("status").filter({ hasText: "1 made, 0 changed" })).toBeVisible();
  expect(await axeFinds(page)).toEqual([]);
  expect(await (await page.request.get("/setup/services.csv")).text()).toContain(
    "Tide desk,,Harbour office,tidecalc on *,",
  );
  await page.getByRole("link", { name: "Tide desk" }).click();
  await expect(heading(page)).toContainText("Tide desk");
  await page.getByRole("link", { name: "Edit" }).click();
  await page.getByRole("button", { name: "Retire the service" }).click();
  await expect(heading(page)).toContainText("services are defined");
  await expect(page.getByRole("link", { name: "Tide desk" })).toHaveCount(0);
  expect(complaints.filter((text) => !text.includes("400"))).toEqual([]);
});

test("labels are put on many at once, filtered by, kept as a collection, and given out", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/estate?q=nq-gate-db&sort=name&order=asc");
  await expect(heading(page)).toContainText("components fit");
  await page.getByRole("checkbox", { name: "All on this page" }).check();
  await page.getByLabel("Sort of label").selectOption("owner");
  await page.getByRole("button", { name: "Put on" }).click();
  await expect(page.getByText("Say which owner.").first()).toBeVisible();
  await page.getByRole("textbox", { name: "Value of the label" }).fill("Quay databases");
  await page.getByRole("button", { name: "Put on" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Done for" })).toBeVisible();
  expect(await axeFinds(page)).toEqual([]);
  await page.goto("/estate?label=owner:Quay databases");
  await expect(page.getByRole("row").filter({ hasText: "owner: Quay databases" }).first()).toBeVisible();
  await page.getByRole("textbox", { name: "Name of the collection" }).fill("Quay databases");
  await page.getByRole("button", { name: "Keep this filter" }).click();
  await page.goto("/estate");
  await page.getByRole("navigation", { name: "Collections" }).getByRole("link", { name: "Quay databases" }).click();
  await expect(heading(page)).toContainText("components fit");
  const csv = await (await page.request.get("/estate.csv?label=owner:Quay databases")).text();
  expect(csv.split("\n")[0]).toContain("name,kind,site");
  expect(csv).toContain("nq-gate-db-01");
  // What belongs to it gets a tier, and is not watched until somebody says so.
  await page.getByLabel("Sort of label it gets").selectOption("tier");
  await page.getByRole("textbox", { name: "Value of the label it gets" }).fill("ledger");
  await page.getByRole("button", { name: "Give it" }).click();
  await expect(page.getByRole("row").filter({ hasText: "tier: ledger" }).first()).toBeVisible();
  await page.getByRole("button", { name: "Do not watch it" }).click();
  await expect(page.getByText("What belongs to Quay databases, now and later, is not watched and gets")).toBeVisible();
  expect(await axeFinds(page)).toEqual([]);
  await page.getByRole("link", { name: "nq-gate-db-01", exact: true }).click();
  await expect(page.getByRole("note")).toContainText("It is not watched: the collection Quay databases says so.");
  await page.goto("/discover/coverage");
  await expect(page.getByText("The collection Quay databases says so.").first()).toBeVisible();
  await page.goto("/estate?label=owner:Quay databases");
  await page.getByRole("button", { name: "Watch it again" }).click();
  await expect(page.getByText("What belongs to Quay databases, now and later, is watched as usual")).toBeVisible();
  await page.getByRole("button", { name: "Do not give tier ledger any more" }).click();
  await expect(page.getByRole("row").filter({ hasText: "tier: ledger" })).toHaveCount(0);
  await page.getByRole("button", { name: "Remove Quay databases" }).click();
  await expect(page.getByRole("link", { name: "Quay databases" })).toHaveCount(0);
  await page.getByRole("checkbox", { name: "All on this page" }).check();
  await page.getByRole("button", { name: "Take off" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Done for" })).toBeVisible();
  expect(complaints.filter((text) => !text.includes("400"))).toEqual([]);
});

test("a list from a file: refused with what is wrong, taken, its owners on hosts, its ghosts under coverage", async ({
  page,
}) => {
  const complaints = listen(page);
  await page.goto("/discover/sources/new?type=list");
  await page.getByRole("textbox", { name: "Name" }).fill("Yard book");
  await page.getByRole("textbox", { name: "Site" }).fill("South Quay");
  const file = (text: string) => ({ name: "yard.csv", mimeType: "text/csv", buffer: Buffer.from(text) });
  const choose = page.getByLabel("List from a file", { exact: true });
  await choose.setInputFiles(file("name,address,owner\nsq-yard-app-01,127.20.2.two,Yard crew\n"));
  await page.getByRole("button", { name: "Add source" }).click();
  await expect(page.getByText("Line 2: “127.20.2.two” is no address.")).toBeVisible();
  await choose.setInputFiles(
    file(
      "name,address,owner,shelf\nsq-yard-app-01,127.20.2.20,Yard book keepers,S 9\nsq-ghost-77,127.20.2.77,Nobody,S 10\n",
    ),
  );
  await page.getByRole("button", { name: "Test" }).click();
  await expect(page.getByRole("status").filter({ hasText: "2 rows, 2 with an address" })).toContainText(
    "Kept as facts: shelf.",
  );
  expect(await axeFinds(page)).toEqual([]);
  await page.getByRole("button", { name: "Add and sweep" }).click();
  await expect(page.getByText("done").first()).toBeVisible({ timeout: 30_000 });
  await page.goto("/discover/coverage");
  const ghosts = page.getByRole("row").filter({ hasText: "sq-ghost-77" });
  await expect(ghosts.first()).toContainText("Yard book names it at 127.20.2.77");
  await page.goto("/estate?label=owner:Yard%20book%20keepers");
  await page.getByRole("link", { name: "sq-yard-app-01", exact: true }).click();
  await expect(page.getByText("listed shelf")).toBeVisible();
  // What only the list knew of leaves with it.
  await page.goto("/discover");
  await page.getByRole("link", { name: "Yard book", exact: true }).first().click();
  await page.getByRole("button", { name: "Remove the source" }).click();
  await page.waitForURL("**/discover");
  await expect(page.getByRole("link", { name: "Yard book", exact: true })).toHaveCount(0);
  await page.goto("/estate?q=sq-ghost-77");
  await expect(page.getByRole("link", { name: "sq-ghost-77", exact: true })).toHaveCount(0);
  expect(complaints.filter((text) => !text.includes("400"))).toEqual([]);
});

test("names from DNS: tried against a zone that is not there, and read", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/discover/sources/new?type=dns");
  await page.getByRole("textbox", { name: "Name", exact: true }).fill("Other names");
  await page.getByRole("textbox", { name: "Site" }).fill("North Quay");
  await page.getByRole("textbox", { name: "Name server" }).fill("127.20.1.53");
  await page.getByLabel("DNS port").fill("1053");
  await page.getByRole("textbox", { name: "Zones" }).fill("nowhere.example\nhalvane.example");
  await page.getByRole("button", { name: "Test" }).click();
  const answer = page.getByRole("status").filter({ hasText: "nowhere.example" });
  await expect(answer).toContainText("refuses the transfer");
  await expect(answer).toContainText("halvane.example: ");
  expect(await axeFinds(page)).toEqual([]);
  await page.goto("/discover");
  await page.getByRole("button", { name: "Read Names of the port now" }).click();
  await expect(page.getByText("done").first()).toBeVisible({ timeout: 30_000 });
  await page.goto("/discover/coverage");
  await expect(page.getByRole("row").filter({ hasText: "old-billing.halvane.example" })).toContainText("127.20.1.66");
  expect(complaints.filter((text) => !text.includes("400"))).toEqual([]);
});

test("who is who by hand: keys are pinned, and a host is joined to another and put apart again", async ({ page }) => {
  const complaints = listen(page);
  const idOf = async (name: string) => {
    const found = (await (await page.request.get(`/find?q=${name}`)).json()) as {
      components: { id: number; name: string }[];
    };
    return found.components.find((one) => one.name === name)?.id;
  };
  const [kept, other] = [await idOf("nq-weigh-01"), await idOf("sq-print-01")];
  await page.goto(`/estate/${kept}`);
  await page.getByRole("link", { name: "Identity" }).click();
  await expect(heading(page)).toContainText("Known by 2 signs");
  expect(await axeFinds(page)).toEqual([]);
  // The list calls one machine by two names: they are made one, and put apart again.
  await page.getByRole("combobox", { name: "Another component" }).fill("sq-print-01");
  await page.getByRole("option", { name: "sq-print-01" }).first().click();
  await page.getByRole("button", { name: "sq-print-01 is this one" }).click();
  await expect(
    page.getByRole("status").filter({ hasText: "sq-print-01 is this component from now on." }),
  ).toBeVisible();
  await expect(page.getByRole("button", { name: "Unpin name “sq-print-01”" })).toBeVisible();
  // Reading the list anew changes nothing of what a person said.
  await page.goto("/discover");
  await page.getByRole("button", { name: "Read Asset list now" }).click();
  await expect(page.getByText("done").first()).toBeVisible({ timeout: 30_000 });
  expect(await idOf("sq-print-01")).toBeUndefined();
  await page.goto(`/estate/${kept}/identity`);
  await page.getByRole("button", { name: "Split off sq-print-01 again" }).click();
  await expect(heading(page)).toContainText("sq-print-01");
  expect(await idOf("sq-print-01")).toBe(other);
  await page.goto(`/estate/${kept}/identity`);
  // What stays was pinned with the parting; the name of one button ends with that of the other.
  const pin = page.getByRole("button", { name: "Pin name “nq-weigh-01”", exact: true });
  const unpin = page.getByRole("button", { name: "Unpin name “nq-weigh-01”", exact: true });
  await unpin.click();
  await pin.click();
  await expect(unpin).toBeVisible();
  await unpin.click();
  await expect(pin).toBeVisible();
  // Without a sign there is nothing to split off.
  await expect(page.getByRole("button", { name: "Split off", exact: true })).toBeDisabled();
  expect(complaints).toEqual([]);
});

test("what was found is reviewed in bulk, and two instants are compared", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/discover");
  await page.getByRole("link", { name: /^Review/ }).click();
  await expect(heading(page)).toContainText("that nobody has looked at, the least certain first");
  expect(await axeFinds(page)).toEqual([]);
  const rows = page.getByRole("table", { name: "Hosts to look at" }).getByRole("row");
  const before = await rows.count();
  await page.getByRole("checkbox", { name: "sq-dir-01", exact: true }).check();
  await page.getByRole("checkbox", { name: "nq-dir-01", exact: true }).check();
  await page.getByLabel("Sort of label").selectOption("tier");
  await page.getByRole("textbox", { name: "Value of the label" }).fill("directory");
  await page.getByRole("button", { name: "Put on" }).click();
  await expect(page.getByRole("row").filter({ hasText: "tier: directory" })).toHaveCount(2);
  await page.getByRole("button", { name: "These 2 are as they should be" }).click();
  await expect(page.getByRole("checkbox", { name: "sq-dir-01", exact: true })).toHaveCount(0);
  expect(await rows.count()).toBe(before - 2);

  await page.goto("/estate?q=dir-01");
  await page.getByRole("link", { name: "Differences" }).click();
  await expect(heading(page)).toContainText("Since the start of this window");
  await page.getByRole("searchbox", { name: "Name" }).fill("nq-dir-01");
  await expect(page.getByRole("table", { name: "Labels" }).getByRole("row")).toHaveCount(2);
  await expect(page.getByRole("row").filter({ hasText: "tier" })).toContainText("directory");
  expect(await axeFinds(page)).toEqual([]);
  const csv = await (await page.request.get("/estate/differences.csv?q=nq-dir-01")).text();
  expect(csv).toContain("label,nq-dir-01,tier,,directory,");
  expect(complaints).toEqual([]);
});

test("what listens by TLS and what was met on the wires is known", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/estate/certificates");
  await expect(heading(page)).toContainText("listeners present certificates");
  await expect(page.getByRole("row").filter({ hasText: "gatekeeper @ nq-bastion-01" })).toContainText(
    "Halvane house authority",
  );
  await page.goto("/discover/coverage");
  await expect(page.getByRole("row").filter({ hasText: "127.20.3.99" })).toContainText(
    "Met on the wire by td-sw-01 (hardware address 02:0d:4a:71:20:07), which no source covers.",
  );
  await page.goto("/estate?q=td-sw-01");
  await page.getByRole("link", { name: "td-sw-01", exact: true }).click();
  await expect(page.getByRole("region", { name: "Made of" })).toContainText("AS-48");
  await expect(page.getByRole("region", { name: /^Met on its wires/ })).toContainText("port1");
  expect(complaints).toEqual([]);
});

test("a gap is mended from the coverage list", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/discover/sources/new?type=list");
  await page.getByRole("textbox", { name: "Name", exact: true }).fill("Idle book");
  await page.getByRole("textbox", { name: "Site" }).fill("North Quay");
  await page.getByRole("textbox", { name: "List", exact: true }).fill("name\nnq-dir-01\n");
  await page.getByLabel("Sweep by itself every").fill("");
  await page.getByRole("button", { name: "Add source" }).click();
  await page.waitForURL("**/discover");
  await page.getByRole("link", { name: "Coverage" }).click();
  const gap = page
    .getByRole("row")
    .filter({ hasText: "No sweep of it starts by itself." })
    .filter({ hasText: "Idle book" });
  await gap.getByRole("link", { name: "Edit Idle book" }).click();
  await page.getByLabel("Sweep by itself every").fill("1440");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await page.waitForURL("**/discover");
  await page.getByRole("link", { name: "Coverage" }).click();
  await expect(heading(page)).toContainText("gaps of");
  await expect(gap).toHaveCount(0);
  await page.goto("/discover");
  await page.getByRole("link", { name: "Idle book", exact: true }).first().click();
  await page.getByRole("button", { name: "Remove the source" }).click();
  await page.waitForURL("**/discover");
  expect(complaints).toEqual([]);
});
