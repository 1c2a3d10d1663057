import { z } from "zod";
import { fetchText, OutsideFailure } from "../../outside/fetch-text";
import type { Access } from "../../vault/kinds";
import { authority } from "./fields";
import { signatureOf } from "./signature";
import type { Handed, Way } from "./way";

export const webAddress = z
  .url({ protocol: /^https?$/, error: "Give an address that begins with http:// or https://." })
  .max(1000, "An address has at most 1,000 characters.")
  .refine((url) => {
    if (!URL.canParse(url)) return true;
    const { username, password } = new URL(url);
    return username === "" && password === "";
  }, "Leave user and password out of the address: choose a credential.");

const settings = z.strictObject({
  url: webAddress.meta({ title: "Address", description: "CloudEvents (JSON) are sent there by POST." }),
  authority,
});

const TIMEOUT_MS = 10_000;
const MOST_ANSWER = 64 * 1024;
/** So much of an answer is kept. */
const SHOWN = 300;
const LONGEST_WAIT_MS = 3_600_000;

/** What an answer of HTTP means for a message. */
export function handedOf(status: number, text: string, headers: Record<string, unknown>): Handed {
  const answer = `${status} ${text.trim().replaceAll(/\s+/g, " ").slice(0, SHOWN)}`.trim();
  if (status >= 200 && status < 300) return { outcome: "sent", answer };
  if (status === 408 || status === 429 || status >= 500) {
    const wait = Number(headers["retry-after"]);
    return {
      outcome: "retry",
      answer,
      ...(Number.isFinite(wait) && wait > 0 ? { waitMs: Math.min(LONGEST_WAIT_MS, wait * 1000) } : {}),
    };
  }
  return { outcome: "refused", answer };
}

export async function posted(
  url: string,
  body: string,
  headers: Record<string, string>,
  more: { authority: string; access: Access | undefined },
): Promise<Handed> {
  try {
    const {
      status,
      text,
      headers: told,
    } = await fetchText(
      url,
      { timeoutMs: TIMEOUT_MS, mostBytes: MOST_ANSWER },
      {
        method: "POST",
        headers: { ...headers, "content-length": String(Buffer.byteLength(body)) },
        body,
        authority: more.authority || undefined,
        access: more.access,
      },
    );
    return handedOf(status, text, told);
  } catch (error) {
    if (error instanceof OutsideFailure) return { outcome: "retry", answer: error.message };
    throw error;
  }
}

/** By these our own receiver knows our messages and refuses them, so that nothing goes round in a circle. */
const SOURCE = "/holotaxis";
const EVENTS = "holotaxis.";

/** CloudEvents 1.0 by HTTP in the structured mode, signed where a secret is given. */
export const webhook: Way = {
  kind: "webhook",
  label: "Webhook",
  words: "CloudEvents 1.0 in JSON for a program, signed, in order for each incident.",
  settings,
  credentials: ["webhook-secret", "bearer", "basic", "client-certificate"],
  isPersonal: false,
  hostOf: (given) => hostOfUrl(given.url),
  addressOf: (given) => String(given.url),
  async send({ name, thread, facts, version, atMs }, given, access) {
    const { url, authority: pem } = given as z.infer<typeof settings>;
    const subject =
      "incident" in facts ? `incidents/${facts.incident.number}` : facts.moment === "shift" ? "shifts" : "incidents";
    const what = facts.moment === "shift" ? "shift.handed-over" : `incident.${facts.moment}`;
    const body = JSON.stringify({
      specversion: "1.0",
      id: name,
      source: SOURCE,
      type: `${EVENTS}${what}`,
      subject,
      time: new Date(atMs).toISOString(),
      datacontenttype: "application/json",
      // CloudEvents' extension Sequence: who gets two can tell which came first.
      sequence: String(version).padStart(6, "0"),
      ...(thread ? { thread } : {}),
      data: facts,
    });
    const seconds = Math.floor(Date.now() / 1000);
    const isSigned = access?.kind === "webhook-secret";
    return posted(
      url,
      body,
      {
        "content-type": "application/cloudevents+json; charset=utf-8",
        "webhook-id": name,
        "webhook-timestamp": String(seconds),
        ...(isSigned ? { "webhook-signature": signatureOf(access.fields.secret ?? "", name, seconds, body) } : {}),
      },
      { authority: pem, access: isSigned ? undefined : access },
    );
  },
};

export const hostOfUrl = (url: unknown): string | null =>
  typeof url === "string" && URL.canParse(url) ? new URL(url).hostname : null;
