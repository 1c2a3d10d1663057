import { SMTPServer } from "smtp-server";
import type { AddressInfo } from "node:net";
import type { Authority } from "./certificates";
import type { Mailbox } from "./mailbox";

/** How the server behaves; what a real one does on a bad day can be practised. */
export interface MailDoor {
  address: string;
  port: number;
  user: string;
  password: string;
}

const YEAR_MS = 365 * 86_400_000;
const MOST_BYTES = 10 * 1024 * 1024;

/** What a recipient's address makes the server do: the part before the @ says it. */
const HABITS: Readonly<Record<string, { code: number; words: string }>> = {
  nobody: { code: 550, words: "5.1.1 There is no such mailbox" },
  full: { code: 452, words: "4.2.2 The mailbox is full, try later" },
};

const refusal = (code: number, words: string) => Object.assign(new Error(words), { responseCode: code });

/**
 * A mail server of the pretended house: it speaks SMTP (RFC 5321) with STARTTLS under the house's authority, lets in
 * who has the password, and puts what it takes into the mailbox. Mail to nobody@ is refused, to full@ put off, to
 * stall@ never answered, and to drop@ the line is cut after the message.
 */
export async function startMailServer(door: MailDoor, authority: Authority, mailbox: Mailbox): Promise<SMTPServer> {
  const { key, cert } = await authority.issue("mail", Date.now() + YEAR_MS, door.address);
  const server = new SMTPServer({
    name: "mail.halvane.example",
    banner: "the harbour's mail",
    key,
    cert,
    size: MOST_BYTES,
    authOptional: false,
    allowInsecureAuth: false,
    disableReverseLookup: true,
    logger: false,
    onAuth: ({ username, password }, _session, done) =>
      username === door.user && password === door.password
        ? done(null, { user: username })
        : done(refusal(535, "5.7.8 The user or the password is wrong")),
    onRcptTo: ({ address }, _session, done) => {
      const habit = HABITS[address.split("@")[0] ?? ""];
      return habit ? done(refusal(habit.code, habit.words)) : done();
    },
    onData: (stream, session, done) => {
      const parts: Buffer[] = [];
      stream.on("data", (part: Buffer) => parts.push(part));
      stream.on("end", () => {
        if (stream.sizeExceeded) return done(refusal(552, "5.3.4 The message is too large"));
        const to = session.envelope.rcptTo.map((one) => one.address);
        if (to.some((one) => one.startsWith("stall@"))) return;
        if (to.some((one) => one.startsWith("drop@"))) return void server.connections.forEach((one) => one.close());
        const from = session.envelope.mailFrom ? session.envelope.mailFrom.address : "";
        const { number, isNew } = mailbox.take({ from, to, raw: Buffer.concat(parts) });
        return done(null, `2.0.0 Message ${number} ${isNew ? "kept" : "was here already"}`);
      });
    },
  });
  server.on("error", () => undefined);
  await new Promise<void>((resolve, reject) => {
    server.server.once("error", reject);
    server.listen(door.port, door.address, resolve);
  });
  return server;
}

export const portOf = (server: SMTPServer): number => (server.server.address() as AddressInfo).port;
