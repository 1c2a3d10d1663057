import type { ChartData } from "#core/drawing/chart";
import { SAMPLE, SAMPLE_SHIFT, type AnyFacts, type MessageFacts } from "#core/telling/facts";
import { readyMessage } from "#core/telling/ready-messages";
import { fillIn, type Message, type MessageTemplate } from "#core/telling/template";
import type { Db } from "../store/database";
import { writtenTemplates } from "../store/telling";
import { digestFactsOf, factsOf, shiftFactsOf, type Asked } from "./facts-of";

interface Composed {
  facts: AnyFacts;
  charts: ChartData[];
  message: Message;
  /** What is to be known of how it was composed. */
  remark: string;
}

/**
 * The words of a message, and what they were filled in with; undefined where its incident is not there any more.
 * @param given a template that is tried before it is saved; what is kept otherwise
 */
export function composed(db: Db, root: string, asked: Asked, given?: MessageTemplate): Composed | undefined {
  if (asked.moment === "digest") {
    const facts = digestFactsOf(db, root, asked);
    return { facts, charts: [], ...worded(db, "digest", facts, given) };
  }
  if (asked.moment === "shift") {
    const facts = asked.shiftId === null ? SAMPLE_SHIFT : shiftFactsOf(db, asked);
    return facts ? { facts, charts: [], ...worded(db, "shift", facts, given) } : undefined;
  }
  if (asked.incidentId === null) {
    // A test of a channel: the incident that never was.
    const facts: MessageFacts = {
      ...SAMPLE,
      occasion: "Test",
      charts: [],
      recipient: { name: asked.to, why: asked.why },
      links: { incident: asked.origin, take: asked.origin, pass_on: asked.origin, shelve: asked.origin },
    };
    const made = worded(db, "opened", facts, given);
    return { facts, charts: [], ...made, message: { ...made.message, subject: `Test: ${made.message.subject}` } };
  }
  const found = factsOf(db, root, asked);
  if (!found) return undefined;
  const moment = asked.moment === "test" ? "opened" : asked.moment;
  const made = worded(db, moment, found.facts, given);
  const message =
    asked.moment === "test" ? { ...made.message, subject: `Test: ${made.message.subject}` } : made.message;
  return { ...found, ...made, message };
}

function worded(
  db: Db,
  moment: Parameters<typeof readyMessage>[0],
  facts: AnyFacts,
  given: MessageTemplate | undefined,
): { message: Message; remark: string } {
  if (given) return { message: fillIn(given, facts), remark: "" };
  const written = writtenTemplates(db).get(moment);
  if (!written) return { message: fillIn(readyMessage(moment), facts), remark: "" };
  try {
    return { message: fillIn(written, facts), remark: "" };
  } catch (error) {
    // Tried when it was saved; should it fail all the same, the message goes out in the ready words.
    const why = error instanceof Error ? (error.message.split("\n")[0] ?? "") : String(error);
    return { message: fillIn(readyMessage(moment), facts), remark: `in the ready words: the template failed: ${why}` };
  }
}
