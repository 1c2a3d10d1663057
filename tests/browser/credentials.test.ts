import { expect, test } from "./fixtures";
import { axeFinds, heading, listen } from "./helpers";

test("a credential is added, tried at its destinations only, and never shown again", async ({ page }) => {
  const complaints = listen(page);
  await page.goto("/setup/credentials");
  await expect(page.getByRole("row").filter({ hasText: "Operator key" })).toContainText("SSH key operator");
  expect(await axeFinds(page)).toEqual([]);
  await page.getByRole("link", { name: "Add a credential" }).click();
  await page.getByLabel("Kind").click();
  await page.getByRole("option", { name: "SNMP v1/v2c community" }).click();
  await expect(heading(page)).toContainText("A new credential: SNMP v1/v2c community");
  await page.getByLabel("Name").fill("Quay switches");
  await page.getByLabel("Community").fill("halvane-north");
  await page.getByRole("textbox", { name: "For" }).fill("127.20.1.0/24");
  await page.getByLabel("Host to try, with its port").fill("127.20.2.11:1161");
  await page.getByRole("button", { name: "Test" }).click();
  await expect(page.getByRole("main").getByRole("alert")).toContainText("127.20.2.11 is not among the destinations");
  await page.getByLabel("Host to try, with its port").fill("127.20.1.11:1161");
  await page.getByRole("button", { name: "Test" }).click();
  await expect(page.getByRole("status").filter({ hasText: "It works" })).toContainText("nq-gate-web-01");
  expect(await axeFinds(page)).toEqual([]);
  await page.getByRole("button", { name: "Add credential" }).click();
  await page.getByRole("link", { name: "Quay switches" }).click();
  await expect(page.getByLabel("Community")).toHaveValue("");
  expect(await page.content()).not.toContain("halvane-north");
  await page.getByRole("textbox", { name: "For" }).fill("127.20.0.0/16");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("main").getByRole("alert")).toContainText("Give the secret again");
  await page.getByRole("button", { name: "Remove" }).click();
  await expect(page.getByRole("row").filter({ hasText: "Quay switches" })).toHaveCount(0);
  expect(complaints.filter((text) => !text.includes("400"))).toEqual([]);
});

test("access: why commands may go to a host, its key as it shows it, approved and forgotten", async ({ page }) => {
  const complaints = listen(page);
  const found = (await (await page.request.get("/find?q=sq-cus-app-01")).json()) as { components: { id: number }[] };
  await page.goto(`/estate/${found.components[0]?.id}`);
  await page.getByRole("link", { name: "Access" }).click();
  await expect(heading(page)).toContainText("Commands may go to sq-cus-app-01: it was found by source South Quay.");
  await page.getByRole("button", { name: "Ask for its host key" }).click();
  await expect(page.getByText(/It shows SHA256:/)).toBeVisible();
  expect(await axeFinds(page)).toEqual([]);
  await page.getByRole("button", { name: "Approve this host and key" }).click();
  await expect(heading(page)).toContainText("it was approved by Edo Brandsma-Quill");
  await page.getByRole("button", { name: "Forget this key" }).click();
  await expect(heading(page)).toContainText("it was found by source South Quay");
  expect(complaints).toEqual([]);
});
