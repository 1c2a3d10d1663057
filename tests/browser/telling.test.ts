import { expect, test, type Page } from "./fixtures";
import { axeFinds, BY_THE_CLOCK, heading, listen, startDrill } from "./helpers";

const part = (page: Page, name: string | RegExp) =>
  page.locator("section.hx-section").filter({ has: page.getByRole("heading", { name }) });

/** The shared clock, as the top bar shows it. */
const clockOf = async (page: Page) => (await page.locator(".hx-clock").textContent())?.slice(0, 8) ?? "";

/** Opens a mail of the demonstration's mailbox: the newest with such words that begins a thread and came since an hour of the clock. */
async function mailTo(page: Page, words: readonly (string | RegExp)[], since = "00:00:00"): Promise<void> {
  let rows = part(page, /^Mail: /)
    .getByRole("row")
    .filter({ hasNotText: "in a thread" });
  for (const one of words) rows = rows.filter({ hasText: one });
  await expect(async () => {
    await page.goto("/setup/mailbox");
    await expect(rows.first()).toBeVisible({ timeout: 1000 });
    expect((await rows.first().locator("td").first().textContent()) ?? "").toMatch(/\d\d:\d\d:\d\d/);
    expect(((await rows.first().locator("td").first().textContent()) ?? "").slice(-8) >= since).toBe(true);
  }).toPass(BY_THE_CLOCK);
  await rows.first().getByRole("link").click();
}

test("who is told: a template mended, a channel tested, a drill told of by mail with its pictures, taken from its link", async ({
  page,
}) => {
  test.setTimeout(900_000);
  const complaints = listen(page);

  await test.step("a template with a wrong variable is an error while it is written, and cannot be saved", async () => {
    await page.goto("/setup/messages/opened");
    const body = page.getByLabel("Plain body");
    await expect(part(page, "Preview")).toContainText("X-Holotaxis-Incident: ");
    const before = await body.inputValue();
    await body.fill(`{{ incident.titel }}\n${before}`);
    await expect(part(page, "Preview")).toContainText("There is no variable “incident.titel”");
    await page.getByRole("button", { name: "Save" }).click();
    await expect(page.getByRole("main").getByRole("alert")).toContainText("There is no variable “incident.titel”");
    // Variables are offered while one types.
    await body.fill("");
    await body.pressSequentially("Harbour watch: {{ incident.ti");
    await page.getByRole("button", { name: "incident.title", exact: true }).first().click();
    await expect(body).toHaveValue("Harbour watch: {{ incident.title }}");
    await body.fill(`Harbour watch: {{ incident.title }}\n\n${before}`);
    await expect(part(page, "Preview").getByRole("button", { name: "Plain" })).toBeVisible();
    await part(page, "Preview").getByRole("button", { name: "Plain" }).click();
    await expect(part(page, "Preview")).toContainText("Harbour watch: ");
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("button", { name: "Send it to me" }).click();
    await expect(page.getByText(/The mail server said: “250 2\.0\.0 Message \d+ kept/)).toBeVisible();
    await page.getByRole("button", { name: "Save" }).click();
    await expect(part(page, "Message templates").getByRole("row", { name: /Opened/ })).toContainText(
      "Edo Brandsma-Quill",
    );
    expect(await axeFinds(page)).toEqual([]);
  });

  await test.step("a channel repeats the mail server's own answer", async () => {
    await page.goto("/setup/channels");
    await expect(heading(page)).toContainText("4 of 4 channels are on");
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("link", { name: "Mail", exact: true }).click();
    await page.getByLabel("Send the test to").fill("nobody@halvane.example");
    await page.getByRole("button", { name: "Send a test" }).click();
    await expect(part(page, "Test").getByRole("status")).toContainText("550 5.1.1 There is no such mailbox");
    await page.getByLabel("Send the test to").fill("");
    await page.getByRole("button", { name: "Send a test" }).click();
    await expect(part(page, "Test").getByRole("status")).toContainText(/Accepted.*250 2\.0\.0 Message \d+ kept/);
    expect(await axeFinds(page)).toEqual([]);
    await mailTo(page, ["edo.brandsma-quill@halvane.example", "Test: "]);
    await expect(part(page, /^Test: /)).toContainText("holotaxis@halvane.example");
  });

  await test.step("a rule is changed: the second line hears of it after eight minutes", async () => {
    await page.goto("/setup/notifications");
    await page.getByRole("link", { name: "What hurts people" }).click();
    await page.getByRole("textbox", { name: "Name" }).fill("");
    await page.getByRole("button", { name: "Save" }).click();
    await expect(page.getByText("Give the rule a name.").first()).toBeVisible();
    await page.getByRole("textbox", { name: "Name" }).fill("What hurts people");
    await page.getByRole("button", { name: "Try it on the last 30 days" }).click();
    await expect(page.getByText(/It would have told of \d+ of the \d+ incidents/)).toBeVisible();
    await page.getByLabel("After (min)").first().fill("8");
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("button", { name: "Save" }).click();
    await expect(page.getByRole("row", { name: /What hurts people/ })).toContainText("after 8 min Second line");
    expect(await axeFinds(page)).toEqual([]);
  });

  await test.step("who is on call stands on every page; somebody takes over for a while and is taken back", async () => {
    await page.getByRole("link", { name: /^On call/ }).click();
    await expect(heading(page)).toContainText("First line: Mara Tolvane");
    const second = part(page, "Second line");
    await expect(second).toContainText(/gaps in the cover within 60 days/);
    await second.getByLabel("Takes over").selectOption("Sunniva Okafor");
    await second.getByLabel("Remark").fill("swap for Thursday");
    await second.getByRole("button", { name: "Add override" }).click();
    await expect(second).toContainText("swap for Thursday");
    await second.getByRole("button", { name: /^Take back: Sunniva/ }).click();
    await expect(second).not.toContainText("swap for Thursday");
    expect(await axeFinds(page)).toEqual([]);
    const calendar = await page.request.get("/on-call/1/calendar.ics");
    expect(await calendar.text()).toMatch(/BEGIN:VCALENDAR[\s\S]*SUMMARY:Mara Tolvane/);
  });

  let number = "";
  await test.step("a drill is told of by mail, with cause, reasons and pictures", async () => {
    // One that no other story starts: what opens again goes on in its old thread.
    await startDrill(page, "A limit of connections is set too low");
    const since = await clockOf(page);
    // One of an incident that still stands: only that can be taken.
    const take = page.locator("pre a").filter({ hasText: "/answer/" });
    await expect(async () => {
      await mailTo(page, ["mara.tolvane@halvane.example"], since);
      await expect(take.first()).toBeAttached({ timeout: 2000 });
    }).toPass({ timeout: 300_000 });
    const mail = page.locator("section.hx-section").first();
    number = (await mail.getByText("X-Holotaxis-Incident").locator("xpath=following-sibling::*").textContent()) ?? "";
    expect(number).toMatch(/^\d+$/);
    const body = page.frameLocator("iframe");
    await expect(body.getByText(/Likeliest cause|No cause is known yet/)).toBeVisible();
    const picture = body.locator("img").first();
    await expect(picture).toBeVisible();
    expect(await picture.evaluate((image: HTMLImageElement) => image.naturalWidth)).toBeGreaterThan(300);
    await mail.getByText("Plain body").click();
    await expect(mail).toContainText("Harbour watch: ");
    expect(await axeFinds(page)).toEqual([]);
  });

  await test.step("it is taken from the link in the mail, and escalation stops", async () => {
    const link = page.locator("pre a").filter({ hasText: "/answer/" }).first();
    const address = new URL((await link.getAttribute("href")) ?? "");
    await page.goto(`${address.pathname.slice(0, -3)}xyz`);
    await page.getByRole("button", { name: "Take it" }).click();
    await expect(page.getByRole("main").getByRole("alert")).toContainText("This link was altered");
    await page.goto(address.pathname);
    await expect(page.getByRole("heading", { name: "Take it" })).toBeVisible();
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("button", { name: "Take it" }).click();
    await page.waitForURL(new RegExp(`/incidents/${number}`));
    await expect(part(page, /^With Edo Brandsma-Quill/)).toBeVisible();
    // Escalation would come eight minutes after the first message.
    const rows = await (await page.request.get("/incidents/notifications.csv?text=Mara")).text();
    const first = rows.split("\n").find((row) => new RegExp(`,opened,[^,]*,${number},`).test(row)) ?? "";
    const told8 = Date.parse(first.split(",")[1] ?? "") + 9 * 60_000;
    await expect
      .poll(async () => Date.parse(`2026-03-17T${await clockOf(page)}Z`), {
        timeout: 400_000,
      })
      .toBeGreaterThan(told8);
    const told = part(page, /^Notifications: /);
    // They are complete some minutes of the clock later, which goes slowly on a slow machine.
    await expect(async () => {
      await page.reload();
      await expect(told).toContainText("Charts complete", { timeout: 3000 });
    }).toPass(BY_THE_CLOCK);
    await expect(told).not.toContainText("Escalated");
    // By itself, or in what else was to be told just then.
    await expect(told).toContainText("with Edo Brandsma-Quill");
    await expect(part(page, "Timeline")).toContainText("Told Mara Tolvane by Mail");
    expect(await axeFinds(page)).toEqual([]);
  });

  await test.step("what was sent is on record with each answer, and webhooks arrived signed", async () => {
    await page.goto("/incidents/notifications?text=Mara");
    await expect(heading(page)).toContainText(/\d+ sent/);
    expect(await axeFinds(page)).toEqual([]);
    await page.getByRole("row").filter({ hasText: "250 2.0.0 Message" }).first().getByRole("link").first().click();
    await expect(part(page, /^Tries: /)).toContainText(/250 2\.0\.0 Message/);
    const rows = await page.request.get("/incidents/notifications.csv?text=Mara");
    expect(await rows.text()).toMatch(/message,made,to,address[\s\S]*Mara Tolvane/);
    await page.goto("/setup/mailbox");
    const call = part(page, /^Calls of webhooks/)
      .locator("li", { hasText: "/duty-desk" })
      .first();
    await call.getByText("/duty-desk").click();
    await expect(call).toContainText("Signed: v1,");
  });

  await test.step("the shift is handed over and signed, and the drill ends", async () => {
    await page.goto("/incidents/shift");
    await page.getByLabel("What the next shift should know").fill("The customs database takes too few connections.");
    await page.getByRole("button", { name: /^Hand over the last/ }).click();
    await expect(part(page, "Hand-over")).toContainText("Edo Brandsma-Quill handed over");
    await expect(part(page, "Hand-over")).toContainText("Waiting for the next shift to sign.");
    expect(await axeFinds(page)).toEqual([]);
    await mailTo(page, ["mara.tolvane@halvane.example", "Shift handed over by Edo Brandsma-Quill"]);
    await page.getByText("Plain body").click();
    await expect(part(page, /^Shift handed over/)).toContainText("The customs database takes too few connections.");
    await page.goto("/setup/drills");
    await page.getByRole("button", { name: /^End: / }).click();
    await expect(heading(page)).toContainText("No drill is running");
  });

  await test.step("everybody says how they are reached", async () => {
    await page.goto("/account");
    await page.getByLabel("Mail address").fill("nonsense");
    const contact = part(page, "How I am notified");
    await contact.getByRole("button", { name: "Save" }).click();
    await expect(page.getByText("“nonsense” is no mail address.").first()).toBeVisible();
    await page.getByLabel("Mail address").fill("edo.brandsma-quill@halvane.example");
    await contact.getByRole("button", { name: "Save" }).click();
    await expect(contact.getByRole("status")).toContainText("Saved.");
    expect(await axeFinds(page)).toEqual([]);
  });

  // Refused forms are the test's own doing; so are scripts that it tries to run in the closed room of a mail.
  expect(complaints.filter((one) => !/400 \(Bad Request\)|about:srcdoc/.test(one))).toEqual([]);
});
