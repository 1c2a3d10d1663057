import { z } from "zod";
import { keptText } from "#core/telemetry/text";
import type { ArrivedEvent } from "./batch";
import { BadSignal } from "./otlp-types";

/**
 * Changes and deployments told by CloudEvents 1.0 over HTTP: structured, batched and binary (CloudEvents HTTP protocol
 * binding). What the event says is read from its data: summary, host, service, version, ticket, who.
 */

const text = (most: number) => z.string().min(1).max(most);
const envelope = z.looseObject({
  specversion: z.literal("1.0", "specversion must be 1.0."),
  id: text(200),
  source: text(500),
  type: text(200),
  subject: z.string().max(300).optional(),
  time: z.iso.datetime({ offset: true, error: "time must be an RFC 3339 instant." }).optional(),
  data: z.unknown().optional(),
});
const said = z
  .looseObject({
    summary: z.string().max(300),
    host: z.string().max(200),
    service: z.string().max(200),
    version: z.string().max(60),
    ticket: z.string().max(60),
    who: z.string().max(100),
  })
  .partial();

const MOST_EVENTS = 1000;
/** What our own webhooks say of themselves (server/telling/ways/webhook.ts). */
const OWN_SOURCE = "/holotaxis";
const OWN_EVENTS = "holotaxis.";

function toEvent(json: unknown): ArrivedEvent {
  const parsed = envelope.safeParse(json);
  if (!parsed.success)
    throw new BadSignal(
      `The event is not a CloudEvent: ${parsed.error.issues.map((issue) => `${issue.path.join(".") || "it"}: ${issue.message}`).join("; ")}`,
    );
  const event = parsed.data;
  // A webhook of ours that leads back here would go round in a circle.
  if (event.source === OWN_SOURCE && event.type.startsWith(OWN_EVENTS))
    throw new BadSignal(
      "This event is a notification of Holotaxis itself: its webhook leads back here. Point it elsewhere.",
    );
  const read = said.safeParse(typeof event.data === "object" && event.data !== null ? event.data : {});
  if (!read.success)
    throw new BadSignal(
      `The event's data cannot be read: ${read.error.issues.map((issue) => `${issue.path.join(".")}: ${issue.message}`).join("; ")}`,
    );
  const data = read.data;
  const isDeployment = /deploy|release|rollout/i.test(event.type);
  const what =
    data.summary ??
    (isDeployment
      ? `${data.service ?? event.subject ?? "Something"}${data.version ? ` ${data.version}` : ""} was deployed`
      : `${event.type}${event.subject ? `: ${event.subject}` : ""}`);
  return {
    source: event.source,
    id: event.id,
    kind: isDeployment ? "deployment" : "change",
    atMs: event.time === undefined ? undefined : Date.parse(event.time),
    attributes: {
      ...(data.host ? { "host.name": data.host } : {}),
      ...(data.service ? { "service.name": data.service } : {}),
      ...(event.subject && !data.service && !data.host ? { "service.name": event.subject } : {}),
    },
    summary: keptText(what, 300),
    ticket: data.ticket?.toWellFormed() ?? null,
    by: keptText(data.who ?? event.source, 100),
    detail: detailOf(event.type, event.source, event.data),
  };
}

const MOST_DETAIL = 8192;

/** What the event said beside, as JSON; without its data where that is too long. */
function detailOf(type: string, source: string, data: unknown): string {
  const whole = JSON.stringify({ type, source, ...(typeof data === "object" ? { data } : {}) });
  return whole.length <= MOST_DETAIL ? whole : JSON.stringify({ type, source, because: "the data is too long" });
}

/** Reads a request's events. Throws BadSignal with what is wrong. */
export function readCloudEvents(
  headers: Readonly<Record<string, string | string[] | undefined>>,
  body: Uint8Array,
): ArrivedEvent[] {
  const type = String(headers["content-type"] ?? "");
  const json = (): unknown => {
    try {
      return JSON.parse(Buffer.from(body).toString("utf8"));
    } catch {
      throw new BadSignal("The JSON cannot be read.");
    }
  };
  if (/^application\/cloudevents-batch\+json\b/.test(type)) {
    const list = json();
    if (!Array.isArray(list) || list.length > MOST_EVENTS)
      throw new BadSignal(`A batch is a list of at most ${MOST_EVENTS} events.`);
    return list.map(toEvent);
  }
  if (/^application\/cloudevents\+json\b/.test(type)) return [toEvent(json())];
  if (headers["ce-specversion"] === undefined)
    throw new BadSignal(
      "Send application/cloudevents+json, application/cloudevents-batch+json, or the attributes as ce- headers.",
    );
  const attributes: Record<string, unknown> = {};
  for (const [name, value] of Object.entries(headers))
    if (name.startsWith("ce-") && typeof value === "string") attributes[name.slice(3)] = decoded(name, value);
  return [toEvent({ ...attributes, ...(/json/.test(type) && body.length ? { data: json() } : {}) })];
}

/** A header's value: percent signs with two hexadecimal digits are octets of UTF-8 (HTTP protocol binding §3.1.3.2). */
function decoded(name: string, value: string): string {
  try {
    return decodeURIComponent(value.replaceAll(/%(?![0-9a-fA-F]{2})/g, "%25"));
  } catch {
    throw new BadSignal(`The header ${name} is not percent-encoded UTF-8.`);
  }
}
