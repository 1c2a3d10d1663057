import { createHmac, timingSafeEqual } from "node:crypto";
import { z } from "zod";

/** What a link in a message asks for. */
export const ANSWERS = ["take", "pass-on", "shelve"] as const;
export type AnswerKind = (typeof ANSWERS)[number];

const answerSchema = z.strictObject({
  incident: z.number().int().min(1),
  act: z.enum(ANSWERS),
  /** Whom the message was sent to. */
  to: z.string().max(200),
  untilMs: z.number().int(),
});
export type Answer = z.infer<typeof answerSchema>;

/** A link is good for so long. */
export const GOOD_MS = 7 * 86_400_000;

const macOf = (key: Buffer, text: string) => createHmac("sha256", key).update(text).digest();

/** The code of a link: what it asks for, and a signature that only this installation can make. */
export function codeOf(key: Buffer, answer: Answer): string {
  const text = Buffer.from(JSON.stringify(answer), "utf8").toString("base64url");
  return `${text}.${macOf(key, text).toString("base64url")}`;
}

/** What a code asks for, or a sentence where it is none of ours or too old. */
export function answerOf(key: Buffer, code: string, nowMs: number): Answer | string {
  const [text = "", given = ""] = code.split(".");
  const mac = Buffer.from(given, "base64url");
  const own = macOf(key, text);
  if (mac.length !== own.length || !timingSafeEqual(mac, own))
    return "This link was altered or belongs to another installation. Open the incident instead.";
  const parsed = answerSchema.safeParse(JSON.parse(Buffer.from(text, "base64url").toString("utf8")));
  if (!parsed.success) return "This link cannot be read. Open the incident instead.";
  if (parsed.data.untilMs < nowMs) return "This link is too old. Open the incident instead.";
  return parsed.data;
}
