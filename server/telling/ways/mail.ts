import { isIP } from "node:net";
import nodemailer from "nodemailer";
import { z } from "zod";
import { carefulLookup } from "../../outside/fetch-text";
import { withDeadline } from "../../outside/deadline";
import { isLinkLocal } from "../../outside/places";
import { authority } from "./fields";
import type { Handed, Way } from "./way";

const MAIL = /^[^\s@<>,;:"()[\]\\]{1,64}@[^\s@<>,;:"()[\]\\]{1,190}$/;
export const mailProblem = (address: string): string | undefined =>
  MAIL.test(address) ? undefined : `“${address.slice(0, 60)}” is no mail address.`;

const settings = z.strictObject({
  host: z
    .string()
    .trim()
    .min(1, "Give the mail server.")
    .max(253)
    .meta({ title: "Mail server", description: "Name or address." }),
  port: z.coerce.number().int().min(1).max(65_535).default(587).meta({ title: "Port" }),
  safety: z
    .enum(["starttls", "tls", "none"])
    .default("starttls")
    .meta({
      title: "Encryption",
      choices: ["STARTTLS, always", "TLS from the start", "None: only for a server on this machine or network"],
    }),
  from: z
    .string()
    .trim()
    .regex(MAIL, "Give the address that messages come from.")
    .meta({ title: "From", description: "Answers and bounces go there." }),
  to: z
    .string()
    .trim()
    .max(2000)
    .default("")
    .refine((text) => addresses(text).every((one) => MAIL.test(one)), "Give mail addresses, parted by commas.")
    .meta({
      title: "Group mailbox",
      description: "Where it goes when a rule tells this channel, not a person. May be empty.",
    }),
  authority,
});
type Settings = z.infer<typeof settings>;

const addresses = (text: string) => text.split(/[,;\s]+/).filter(Boolean);

/** Codes of a server that says no for good (RFC 5321 §4.2.1); a wrong sign-in may be put right. */
const isFinal = (code: number | undefined, command: string | undefined) =>
  code !== undefined && code >= 500 && code < 600 && command !== "AUTH PLAIN" && command !== "AUTH LOGIN";

interface MailError {
  message: string;
  code?: string;
  response?: string;
  responseCode?: number;
  command?: string;
}

function handedOf(error: unknown): Handed {
  const { message, code, response, responseCode, command } = error as MailError;
  if (code === "EAUTH")
    return { outcome: "retry", answer: `The server did not let us sign in: ${response ?? message}` };
  if (isFinal(responseCode, command)) return { outcome: "refused", answer: response ?? message };
  return { outcome: "retry", answer: response ?? message };
}

/** How long a server may take: for each step of the conversation, and for the whole. */
interface Patience {
  stepMs: number;
  wholeMs: number;
}

/** Mail by SMTP (RFC 5321), with STARTTLS (RFC 3207), by a server that gets so much time. */
export const mailWithin = ({ stepMs, wholeMs }: Patience): Way => ({
  kind: "mail",
  label: "Mail",
  words: "Messages with charts to people's mail addresses, by a mail server.",
  settings,
  credentials: ["mail-user"],
  isPersonal: true,
  hostOf: (given) => (given as Settings).host,
  addressOf: (given) => addresses((given as Settings).to).join(", ") || null,
  async send(outgoing, given, access) {
    const { host, port, safety, from, authority: pem } = given as Settings;
    if (isIP(host) && isLinkLocal(host))
      return { outcome: "refused", answer: "Link-local addresses are never called." };
    if (access && safety === "none" && !/^(127\.|::1$|localhost$)/.test(host))
      return { outcome: "refused", answer: "A password is never sent without encryption. Choose STARTTLS or TLS." };
    const address = await resolved(host);
    if (typeof address !== "string") return { outcome: "retry", answer: address.problem };
    const transport = nodemailer.createTransport({
      host: address,
      port,
      secure: safety === "tls",
      requireTLS: safety === "starttls",
      ignoreTLS: safety === "none",
      ...(access ? { auth: { user: access.fields.user ?? "", pass: access.fields.password ?? "" } } : {}),
      tls: { servername: isIP(host) ? undefined : host, ...(pem ? { ca: pem } : {}) },
      connectionTimeout: stepMs,
      greetingTimeout: stepMs,
      socketTimeout: stepMs,
      disableFileAccess: true,
      disableUrlAccess: true,
    } as never);
    const domain = from.split("@")[1] ?? "localhost";
    const { message, pictures, name, thread, to, atMs } = outgoing;
    try {
      const done = await withDeadline(wholeMs, undefined, () =>
        transport.sendMail({
          from: { name: "Holotaxis", address: from },
          to: to.address.includes(",") ? addresses(to.address) : { name: to.name, address: to.address },
          subject: message.subject,
          text: message.plain,
          ...(message.rich ? { html: message.rich } : {}),
          messageId: `<${name}@${domain}>`,
          ...(thread ? { inReplyTo: `<${thread}@${domain}>`, references: [`<${thread}@${domain}>`] } : {}),
          date: new Date(atMs),
          headers: message.headers.map((one) => ({ key: one.name, value: one.value })),
          attachments: message.rich
            ? pictures.map((one) => ({
                filename: `${one.cid}.png`,
                content: one.png,
                cid: one.cid,
                contentType: "image/png",
              }))
            : [],
        }),
      );
      const { response } = done as { response?: string };
      return { outcome: "sent", answer: response ?? "accepted" };
    } catch (error) {
      return handedOf(error);
    } finally {
      transport.close();
    }
  },
});

export const mail = mailWithin({ stepMs: 15_000, wholeMs: 45_000 });

/** The address of a server, looked up so that what was checked is what is called. */
function resolved(host: string): Promise<string | { problem: string }> {
  if (isIP(host)) return Promise.resolve(host);
  return new Promise((done) =>
    carefulLookup(host, { all: false } as never, (error, address) =>
      done(error ? { problem: error.message } : String(address)),
    ),
  );
}
