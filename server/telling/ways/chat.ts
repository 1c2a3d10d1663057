import { z } from "zod";
import { READY_CHAT } from "#core/telling/ready-messages";
import { NOTHING_MORE, type DigestFacts, type MessageFacts, type ShiftFacts } from "#core/telling/facts";
import { bodyProblem, fillInBody } from "#core/telling/template";
import { authority } from "./fields";
import { hostOfUrl, posted, webAddress } from "./webhook";
import type { Way } from "./way";

const settings = z.strictObject({
  url: webAddress.meta({ title: "Address", description: "Of the incoming webhook of a chat." }),
  body: z
    .string()
    .max(40_000)
    .default(READY_CHAT)
    .meta({ title: "Body", description: "JSON as the chat wants it, with variables of the message.", lines: true }),
  authority,
});

/** A digest or a shift in the shape of a message about an incident, for a body that knows those only. */
function asOne(facts: DigestFacts | ShiftFacts): MessageFacts {
  const incidents = facts.moment === "digest" ? facts.incidents : facts.open;
  const link = facts.moment === "digest" ? facts.links.incidents : facts.shift.link;
  return {
    ...EMPTY,
    occasion: facts.occasion,
    moment: "digest",
    incident: {
      ...EMPTY.incident,
      title: `${incidents.length} ${incidents.length === 1 ? "incident" : "incidents"}`,
      sentence: incidents.map((one) => `${one.number} [${one.severity}] ${one.title}`).join("; "),
    },
    links: { ...EMPTY.links, incident: link },
  };
}

/** A chat: any JSON by POST, its shape written as a template. */
export const chat: Way = {
  kind: "chat",
  label: "Chat",
  words: "A short message to the incoming webhook of a chat, in the shape it wants.",
  settings,
  credentials: ["bearer", "basic"],
  isPersonal: false,
  hostOf: (given) => hostOfUrl(given.url),
  addressOf: (given) => String(given.url),
  problems: (given): Record<string, string> => {
    const problem = bodyProblem(String(given.body ?? ""));
    return problem === undefined ? {} : { body: problem };
  },
  send({ name, facts }, given, access) {
    const { url, body, authority: pem } = given as z.infer<typeof settings>;
    const whole = "incident" in facts ? facts : asOne(facts);
    return posted(
      url,
      fillInBody(body, whole),
      { "content-type": "application/json; charset=utf-8", "webhook-id": name },
      { authority: pem, access },
    );
  },
};

const EMPTY: MessageFacts = {
  occasion: "",
  moment: "digest",
  incident: {
    number: 0,
    title: "",
    sentence: "",
    severity: "",
    worst: "",
    priority: 4,
    priority_reason: "",
    state: "open",
    opened: "",
    resolved: "",
    lasted: "",
    taken_by: "",
    waiting_for: "",
    link: "",
  },
  ...NOTHING_MORE,
  recipient: { name: "", why: "" },
  links: { incident: "", take: "", pass_on: "", shelve: "" },
  organisation: "",
};
