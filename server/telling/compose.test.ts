import { beforeEach, describe, expect, it } from "vitest";
import { parseWindow } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import { shiftPage } from "../pages/shift";
import { saveChannel } from "../store/channels";
import type { Db } from "../store/database";
import { confirmCause, noteIncident, openIncident, resolveIncident, updateIncident } from "../store/incidents";
import { addMessage, coverByDigest, endSending, type NewMessage } from "../store/outbox";
import { signOver } from "../store/shifts";
import { writeTemplate } from "../store/telling";
import { composed } from "./compose";
import type { Asked } from "./facts-of";

const AT = Date.UTC(2026, 2, 17, 10);
const MINUTE = 60_000;
let db: Db;
useStore((made) => (db = made));
let channelId = 0;

beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM message_try; DELETE FROM message; DELETE FROM message_template; DELETE FROM channel; DELETE FROM incident_event; DELETE FROM incident; DELETE FROM shift_hand_over",
  );
  const channel = { kind: "mail", name: "Mail", settings: {}, credentialId: null, isOn: true };
  channelId = saveChannel(db, undefined, channel, "test", AT);
});

const asked = (given: Partial<Asked>): Asked => ({
  messageId: 0,
  incidentId: null,
  shiftId: null,
  moment: "opened",
  to: "Mara Tolvane",
  why: "rule “All”",
  nowMs: AT + 5 * MINUTE,
  origin: "https://ops.example",
  links: {
    take: "https://ops.example/answer/t",
    pass_on: "https://ops.example/answer/p",
    shelve: "https://ops.example/answer/s",
  },
  ...given,
});
const open = (title: string) => openIncident(db, { subject: "component:1", title, severity: "major" }, AT);
const cause = (name: string, probability: number) => ({
  componentId: null,
  serviceId: null,
  line: null,
  name,
  probability,
  isRoot: true,
  explains: [],
  unexplained: [],
  reasons: ["was changed before"],
});
const message = (given: Partial<NewMessage>): number =>
  addMessage(db, {
    incidentId: null,
    ruleId: null,
    shiftId: null,
    channelId,
    channel: "Mail",
    address: "mara@halvane.example",
    personId: null,
    name: "Mara Tolvane",
    moment: "opened",
    version: 1,
    severity: "major",
    cause: null,
    takenBy: null,
    why: "",
    madeAt: AT,
    state: "due",
    nextAt: AT,
    ...given,
  }) ?? 0;

describe("a message about an incident", () => {
  it("says the likeliest cause with its reasons, and once people know it, what they said", () => {
    const id = open("Memory high on nq-gate-app-02");
    const state = { title: "t", severity: "major", worst: "major", suspectAlarmId: null, suspectReasons: [] } as const;
    updateIncident(db, id, {
      ...state,
      suspectReasons: [],
      causes: [cause("slotkeeper", 0.83), cause("a store", 0.1)],
    });
    const before = composed(db, ".", asked({ incidentId: id }))?.message.plain;
    expect(before).toContain("Likeliest cause: slotkeeper (83 %)");
    expect(before).toContain("  - was changed before");
    confirmCause(db, id, { componentId: null, line: null, name: "the parser", remark: "it leaks" }, "Edo", AT);
    expect(composed(db, ".", asked({ incidentId: id }))?.message.plain).toContain(
      "Cause, as Edo confirmed: the parser",
    );
  });

  it("has one link that opens on the same window, and links to answer while it is open", () => {
    const id = open("Memory high");
    const { plain = "" } = composed(db, ".", asked({ incidentId: id }))?.message ?? {};
    const link = new URL(/Open it: +(\S+)/.exec(plain)?.[1] ?? "");
    expect(link.pathname).toBe(`/incidents/${id}`);
    expect(parseWindow(link.searchParams, AT + 86_400_000).window).toEqual({
      fromMs: AT - 15 * MINUTE,
      toMs: AT + 5 * MINUTE,
      live: false,
    });
    expect(plain).toContain("Take it:   https://ops.example/answer/t");
    resolveIncident(db, id, AT + 4 * MINUTE);
    const over = composed(db, ".", asked({ incidentId: id, moment: "resolved" }))?.message;
    expect(over?.plain).not.toContain("Take it");
    expect(over?.subject).toBe("[resolved after 4 min] Memory high");
  });

  it("says who was told before, and not that its reader is told now", () => {
    const id = open("Memory high");
    const first = message({ incidentId: id, name: "Edo", address: "edo@halvane.example" });
    const end = {
      state: "sent",
      answer: "",
      subject: "s",
      atMs: AT + MINUTE,
      tookMs: 1,
      nextAt: 0,
      outcome: "sent",
    } as const;
    endSending(db, first, end);
    const own = message({ incidentId: id });
    const { plain } = composed(db, ".", asked({ incidentId: id, messageId: own }))?.message ?? {};
    expect(plain).toContain("Told so far: Edo (opened, 10:01 UTC).");
  });

  it("keeps what came from outside as text", () => {
    const id = open('<script>alert(1)</script> & "more"');
    const { rich = "" } = composed(db, ".", asked({ incidentId: id }))?.message ?? {};
    expect(rich).not.toContain("<script");
    expect(rich).toContain("&lt;script&gt;");
  });

  it("goes out in the ready words where a kept template fails, and says so", () => {
    const id = open("Memory high");
    const broken = { subject: "{{ nothing.here }}", plain: "x", rich: "", headers: "" };
    writeTemplate(db, "opened", broken, "test", AT);
    const made = composed(db, ".", asked({ incidentId: id }));
    expect(made?.message.subject).toBe("[major] Memory high");
    expect(made?.remark).toContain("the template failed");
    // A template that is being tried is not replaced: it fails before the eyes of who writes it.
    expect(() => composed(db, ".", asked({ incidentId: id }), broken)).toThrow();
  });

  it("is none once its incident is gone", () => {
    expect(composed(db, ".", asked({ incidentId: 99 }))).toBeUndefined();
  });
});

it("a digest tells of each incident once, as it stands", () => {
  const [one, other] = [open("One"), open("Other")];
  const held = [1, 2].map((version) => message({ incidentId: one, version, state: "held" }));
  held.push(message({ incidentId: other, state: "held" }));
  const digest = message({ moment: "digest" });
  coverByDigest(db, held, digest, AT);
  resolveIncident(db, other, AT + MINUTE);
  const made = composed(db, ".", asked({ moment: "digest", messageId: digest }))?.message;
  expect(made?.subject).toBe("2 incidents to look at");
  expect(made?.plain.match(/\] One/g)).toHaveLength(1);
  expect(made?.plain).toContain("[resolved] Other");
});

it("the mail about a shift says how things stood when it was signed over", () => {
  const id = open("Memory high");
  noteIncident(db, id, "taken", "Taken", "Mara Tolvane", AT + MINUTE);
  const span = { fromMs: AT - 8 * 60 * MINUTE, toMs: AT + 2 * MINUTE };
  const shift = signOver(
    db,
    { ...span, remark: "Watch <the> parser.", leftBy: "Mara Tolvane" },
    shiftPage(db, span),
    span.toMs,
  );
  resolveIncident(db, id, AT + 3 * MINUTE);
  const made = composed(db, ".", asked({ moment: "shift", shiftId: shift }))?.message;
  expect(made?.subject).toBe("Shift handed over by Mara Tolvane: 1 open");
  expect(made?.plain).toContain("Watch <the> parser.");
  expect(made?.rich).toContain("Watch &lt;the&gt; parser.");
  expect(made?.plain).toContain("Incident 1: Taken (Mara Tolvane)".replace("1", String(id)));
});
