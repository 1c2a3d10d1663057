import { createServer, type Server } from "node:net";
import PostalMime from "postal-mime";
import type { SMTPServer } from "smtp-server";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { SAMPLE } from "#core/telling/facts";
import { readyMessage } from "#core/telling/ready-messages";
import { fillIn } from "#core/telling/template";
import { Authority } from "#standins/certificates";
import { portOf, startMailServer } from "#standins/mail-server";
import { Mailbox } from "#standins/mailbox";
import type { Access } from "#server/vault/kinds";
import { mail, mailWithin } from "#server/telling/ways/mail";
import type { Outgoing } from "#server/telling/ways/way";

const mailbox = new Mailbox(() => 0);
const access: Access = {
  id: 1,
  name: "Mail",
  kind: "mail-user",
  destinations: "127.0.0.1",
  fields: { user: "holotaxis", password: "tide bell" },
};
let server: SMTPServer;
let authority = "";
let settings: Record<string, unknown>;

beforeAll(async () => {
  const house = new Authority({ domain: "halvane.example", maker: "Halvane" });
  authority = await house.certificate();
  server = await startMailServer(
    { address: "127.0.0.1", port: 0, user: "holotaxis", password: "tide bell" },
    house,
    mailbox,
  );
  settings = {
    host: "127.0.0.1",
    port: portOf(server),
    safety: "starttls",
    from: "holotaxis@halvane.example",
    to: "",
    authority,
  };
});
afterAll(() => new Promise<void>((done) => server.close(() => done())));

const png = Buffer.from(
  "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==",
  "base64",
);
const outgoing = (given: Partial<Outgoing> = {}): Outgoing => ({
  name: "incident-4711-1-abc",
  thread: null,
  to: { address: "mara.tolvane@halvane.example", name: "Mara Tolvane" },
  message: fillIn(readyMessage("opened"), SAMPLE),
  pictures: [{ cid: "chart-1", title: "Memory used", png }],
  facts: SAMPLE,
  version: 1,
  atMs: Date.UTC(2026, 2, 3, 6, 14),
  ...given,
});

describe("mail", () => {
  it("arrives over STARTTLS under a private authority, signed in, with both bodies and its pictures", async () => {
    const done = await mail.send(outgoing(), settings, access);
    expect(done).toEqual({ outcome: "sent", answer: expect.stringContaining("250 2.0.0 Message 1 kept") });
    const kept = await PostalMime.parse(mailbox.list()[0]?.raw ?? "");
    expect(kept).toMatchObject({
      messageId: "<incident-4711-1-abc@halvane.example>",
      subject: `[critical] ${SAMPLE.incident.title}`,
      from: { address: "holotaxis@halvane.example" },
      date: "2026-03-03T06:14:00.000Z",
    });
    expect(kept.text).toContain("Likeliest cause: slotkeeper on nq-gate-app-02 (83 %)");
    expect(kept.html).toContain('src="cid:chart-1"');
    expect(kept.attachments[0]).toMatchObject({ contentId: "<chart-1>", mimeType: "image/png" });
    expect(Buffer.from(kept.attachments[0]?.content as ArrayBuffer)).toEqual(png);
    expect(kept.headers.find((one) => one.key === "x-holotaxis-incident")?.value).toBe("4711");
  });

  it("answers the first message of its thread", async () => {
    await mail.send(
      outgoing({ name: "incident-4711-2-abc", thread: "incident-4711-1-abc", version: 2 }),
      settings,
      access,
    );
    const kept = await PostalMime.parse(mailbox.list()[0]?.raw ?? "");
    expect(kept).toMatchObject({
      inReplyTo: "<incident-4711-1-abc@halvane.example>",
      references: "<incident-4711-1-abc@halvane.example>",
    });
  });

  it("is kept once by who gets it twice", async () => {
    const before = mailbox.list().length;
    const again = await mail.send(outgoing(), settings, access);
    expect(again.answer).toContain("was here already");
    expect(mailbox.list()).toHaveLength(before);
  });

  it.each([
    ["nobody@halvane.example", "refused", "550 5.1.1 There is no such mailbox"],
    ["full@halvane.example", "retry", "452 4.2.2 The mailbox is full"],
    ["drop@halvane.example", "retry", ""],
  ])("to %s is %s", async (address, outcome, words) => {
    const done = await mail.send(outgoing({ name: `to ${address}`, to: { address, name: "X" } }), settings, access);
    expect(done.outcome).toBe(outcome);
    expect(done.answer).toContain(words);
    expect(done.answer).not.toBe("");
  });

  it("does not wait for ever for a server that stalls after the message", async () => {
    const hasty = mailWithin({ stepMs: 400, wholeMs: 2_000 });
    const to = { address: "stall@halvane.example", name: "X" };
    const done = await hasty.send(outgoing({ name: "stalls", to }), settings, access);
    expect(done.outcome).toBe("retry");
    expect(done.answer).toMatch(/time/i);
  });

  it("says so when the password is wrong, and tries again: it may be put right", async () => {
    const wrong = { ...access, fields: { ...access.fields, password: "guess" } };
    const done = await mail.send(outgoing({ name: "wrong" }), settings, wrong);
    expect(done).toEqual({ outcome: "retry", answer: expect.stringContaining("535 5.7.8") });
    expect(JSON.stringify(done)).not.toContain("guess");
  });

  it("trusts no authority that it was not given", async () => {
    const done = await mail.send(outgoing({ name: "untrusted" }), { ...settings, authority: "" }, access);
    expect(done.outcome).toBe("retry");
    expect(done.answer).toMatch(/certificate/i);
  });

  it("never sends a password in the clear to another machine, and never calls link-local addresses", async () => {
    expect(await mail.send(outgoing(), { ...settings, host: "192.0.2.7", safety: "none" }, access)).toMatchObject({
      outcome: "refused",
    });
    expect(await mail.send(outgoing(), { ...settings, host: "169.254.169.254" }, undefined)).toMatchObject({
      outcome: "refused",
    });
  });

  it("says that nothing answers", async () => {
    const done = await mail.send(outgoing({ name: "silent" }), { ...settings, port: 1 }, access);
    expect(done).toEqual({ outcome: "retry", answer: expect.stringMatching(/ECONNREFUSED|refused/i) });
  });

  describe("to a server that talks nonsense", () => {
    let odd: Server;
    let port = 0;
    beforeAll(
      () =>
        new Promise<void>((done) => {
          odd = createServer((socket) => {
            socket.on("error", () => undefined);
            socket.end(`${"x".repeat(100_000)}\r\n`);
          }).listen(0, "127.0.0.1", () => {
            port = (odd.address() as { port: number }).port;
            done();
          });
        }),
    );
    afterAll(() => new Promise((done) => odd.close(done)));
    it("ends with an answer", async () => {
      const done = await mail.send(outgoing({ name: "nonsense" }), { ...settings, port }, access);
      expect(done.outcome).toBe("retry");
    });
  });

  it("asks for whole addresses in its settings", () => {
    const read = mail.settings.safeParse({
      host: "mail.halvane.example",
      from: "holotaxis",
      to: "a@b.example, nonsense",
    });
    expect(read.error?.issues.map((one) => one.path[0])).toEqual(["from", "to"]);
  });
});
