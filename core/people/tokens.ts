import { z } from "zod";
import { ROLE_IDS, rightsOf, type Right } from "./rights";

/** Kinds of signals that a token may be for. */
export const SIGNAL_KINDS = ["metrics", "logs", "traces", "events"] as const;
export type SignalKind = (typeof SIGNAL_KINDS)[number];

/** What a token lets a program do. */
export const tokenScope = z.discriminatedUnion("kind", [
  z.strictObject({
    kind: z.literal("send"),
    signals: z.array(z.enum(SIGNAL_KINDS)).min(1, "Choose at least one kind of signal."),
    /** Names of hosts or services that may be sent for: patterns with * for any text, separated by commas. */
    senders: z
      .string()
      .trim()
      .max(400)
      .regex(/^[\w .*,:/-]*$/, "Write names of hosts or services, with * for any text, separated by commas.")
      .default("*"),
  }),
  /** The host agent of one host, by the identity it enrolled with. */
  z.strictObject({ kind: z.literal("agent"), hostId: z.string().max(120), hostName: z.string().min(1).max(253) }),
  z.strictObject({ kind: z.literal("read") }),
  z.strictObject({ kind: z.literal("act"), role: z.enum(ROLE_IDS) }),
]);
export type TokenScope = z.infer<typeof tokenScope>;

/** What a scope lets its holder do on pages. */
export function rightsOfScope(scope: TokenScope): readonly Right[] {
  return scope.kind === "read" ? ["read"] : scope.kind === "act" ? rightsOf(scope.role) : [];
}

export function scopeInWords(scope: TokenScope): string {
  switch (scope.kind) {
    case "send": {
      const of = scope.signals.length === SIGNAL_KINDS.length ? "all signals" : scope.signals.join(", ");
      return `send ${of}${scope.senders === "*" || scope.senders === "" ? "" : ` of ${scope.senders}`}`;
    }
    case "agent":
      return `report as the agent of ${scope.hostName}`;
    case "read":
      return "read";
    case "act":
      return `act as ${scope.role}`;
  }
}

/** Turns patterns with * into a test of names; letters in any case. */
export function senderTest(patterns: string): (name: string) => boolean {
  const list = patterns
    .split(",")
    .map((one) => one.trim().toLowerCase())
    .filter(Boolean);
  if (!list.length || list.includes("*")) return () => true;
  return (name) => list.some((pattern) => globMatches(pattern, name.toLowerCase()));
}

/** Whether a text fits a pattern with * for any text; in time linear in both, whatever is asked. */
function globMatches(pattern: string, text: string): boolean {
  const parts = pattern.split("*");
  if (parts.length === 1) return pattern === text;
  const first = parts[0] as string;
  const last = parts.at(-1) as string;
  if (!text.startsWith(first) || !text.endsWith(last) || text.length < first.length + last.length) return false;
  const end = text.length - last.length;
  let at = first.length;
  for (const part of parts.slice(1, -1)) {
    const found = text.indexOf(part, at);
    if (found < 0 || found + part.length > end) return false;
    at = found + part.length;
  }
  return true;
}

/** What stands in the resource of what is sent. */
export interface SentFor {
  hostId: string;
  hostName: string;
  serviceName: string;
  isAgent: boolean;
}

/**
 * Why a token does not cover what is sent, as a sentence; undefined where it does. What says that our agent sends it is
 * taken from that host's own agent only.
 */
export function whyNotSent(scope: TokenScope, signal: SignalKind, of: SentFor): string | undefined {
  if (scope.kind === "agent") {
    if (signal === "events" || signal === "traces") return "An agent's token is for metrics and logs.";
    // Containers carry the name of their host only.
    const same = of.hostName === scope.hostName && (of.hostId === "" || of.hostId === scope.hostId);
    return same ? undefined : `This token is for the agent of ${scope.hostName} only.`;
  }
  if (of.isAgent)
    return "Reports of host agents are taken with the token of that agent only; enrol it with a code from Setup › Tokens.";
  if (scope.kind !== "send") return "This token is not for sending signals.";
  if (!scope.signals.includes(signal)) return `This token is for ${scope.signals.join(", ")}, not for ${signal}.`;
  const fits = senderTest(scope.senders);
  return [of.hostName, of.serviceName].some((name) => name !== "" && fits(name)) || fits("")
    ? undefined
    : `This token is for senders named ${scope.senders} only.`;
}
