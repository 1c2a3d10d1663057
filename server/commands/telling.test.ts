import { beforeEach, describe, expect, it, vi } from "vitest";
import { rightsOf } from "#core/people/rights";
import { readyMessage } from "#core/telling/ready-messages";
import { emptyEstate, useStore } from "../../tests/store";
import type { Principal } from "../people/principal";
import { listChannels } from "../store/channels";
import { contactOf } from "../store/contacts";
import { insertCredential } from "../store/credentials";
import { PersonError, type Db } from "../store/database";
import { incidentById, openIncident } from "../store/incidents";
import { insertAccount } from "../store/people";
import { listRotations, overridesAfter } from "../store/rotations";
import { handOversBefore } from "../store/shifts";
import { listTellingRules, writtenTemplates } from "../store/telling";
import type { CommandPorts } from "./ports";
import { execute } from "./registry";

const AT = Date.UTC(2026, 2, 17, 10);
let db: Db;
useStore((made) => (db = made));
let edo: Principal;
let mara: Principal;
const test = vi.fn(async () => ({ ok: true, answer: "250 kept" }));
const tellShift = vi.fn();
let standing: number[] = [];
const ports = () =>
  ({
    db,
    now: () => AT,
    emit: () => undefined,
    onQuiet: () => undefined,
    telling: {
      test,
      again: () => undefined,
      tellShift,
      answerOf: (code: string) =>
        code === "good"
          ? { incident: incident, act: "take", to: "Mara", untilMs: AT }
          : code === "shelve"
            ? { incident, act: "shelve", to: "Mara", untilMs: AT }
            : "This link was altered.",
    },
    standingAlarms: () => standing,
  }) as unknown as CommandPorts;
let incident = 0;

const person = (name: string, role: "operator" | "responder" | "reader"): Principal => ({
  name,
  via: "browser",
  rights: rightsOf(role),
  address: "",
  browser: "",
  accountId: insertAccount(db, { name, signIn: name.toLowerCase(), role, madeBy: "test" }, AT),
  sessionId: null,
  role,
});

beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM message; DELETE FROM telling_rule; DELETE FROM rotation; DELETE FROM channel; DELETE FROM contact; DELETE FROM message_template; DELETE FROM credential; DELETE FROM incident_event; DELETE FROM incident; DELETE FROM account; DELETE FROM shift_hand_over",
  );
  edo = person("Edo", "operator");
  mara = person("Mara", "responder");
  incident = openIncident(db, { subject: "component:1", title: "t", severity: "major" }, AT);
  standing = [];
  test.mockClear();
});

const fieldsOf = (promise: Promise<unknown>) =>
  promise.then(
    () => undefined,
    (error: unknown) =>
      error instanceof PersonError ? { message: error.message, ...error.fields } : Promise.reject(error),
  );
const mailChannel = {
  kind: "mail",
  name: "Mail",
  settings: { host: "127.0.0.1", from: "a@b.example" },
  credentialId: null,
  isOn: true,
};
const rule = (given: object = {}) => ({
  name: "All",
  isOn: true,
  services: [],
  sites: [],
  leastSeverity: "minor" as const,
  leastPriority: 4 as const,
  causeKinds: [],
  hours: null,
  zone: "UTC",
  moments: ["opened" as const],
  delayMinutes: 2,
  certainPercent: 80,
  how: "message" as const,
  to: [{ kind: "person" as const, id: mara.accountId ?? 0 }],
  escalation: [],
  ...given,
});

describe("channels", () => {
  it("are kept as their kind asks, under names of their own", async () => {
    await execute(ports(), edo, "channel.save", mailChannel);
    expect(listChannels(db)[0]).toMatchObject({ name: "Mail", settings: { port: 587, safety: "starttls", to: "" } });
    expect(await fieldsOf(execute(ports(), edo, "channel.save", mailChannel))).toMatchObject({
      name: expect.stringContaining("already"),
    });
    expect(
      await fieldsOf(
        execute(ports(), edo, "channel.save", { ...mailChannel, name: "B", settings: { host: "", from: "x" } }),
      ),
    ).toMatchObject({
      host: expect.any(String),
      from: expect.any(String),
    });
    expect(await fieldsOf(execute(ports(), edo, "channel.save", { ...mailChannel, kind: "pigeon" }))).toMatchObject({
      message: expect.stringContaining("pigeon"),
    });
  });
  it("use a credential at its destinations only, and of a kind that serves", async () => {
    const credential = (kind: string, destinations: string) =>
      insertCredential(
        db,
        {
          name: `${kind} ${destinations}`,
          kind,
          about: {},
          destinations,
          sealed: "v1:1:x",
          madeBy: "test",
          isOwn: false,
        },
        AT,
      );
    const elsewhere = credential("mail-user", "192.0.2.9");
    const other = credential("ssh-key", "127.0.0.1");
    expect(
      await fieldsOf(execute(ports(), edo, "channel.save", { ...mailChannel, credentialId: elsewhere })),
    ).toMatchObject({ credential: expect.stringContaining("destinations") });
    expect(
      await fieldsOf(execute(ports(), edo, "channel.save", { ...mailChannel, credentialId: other })),
    ).toMatchObject({ credential: expect.stringContaining("does not serve") });
  });
  it("are not removed while a rule tells them", async () => {
    const id = await execute(ports(), edo, "channel.save", {
      ...mailChannel,
      settings: { ...mailChannel.settings, to: "desk@b.example" },
    });
    await execute(ports(), edo, "telling.save", rule({ to: [{ kind: "channel", id }] }));
    expect(await fieldsOf(execute(ports(), edo, "channel.remove", { id }))).toMatchObject({
      message: expect.stringContaining("All"),
    });
  });
  it("are tested at one's own address where none is given, and not where there is none", async () => {
    const id = await execute(ports(), edo, "channel.save", mailChannel);
    expect(await fieldsOf(execute(ports(), edo, "channel.test", { id, address: "" }))).toMatchObject({
      address: "Say where the test goes.",
    });
    const contact = {
      accountId: edo.accountId ?? 0,
      mail: "edo@b.example",
      browser: true,
      sound: "none" as const,
      mostAnHour: 20,
      quiet: null,
      zone: "UTC",
    };
    await execute(ports(), edo, "contact.save", contact);
    await execute(ports(), edo, "channel.test", { id, address: "" });
    expect(test).toHaveBeenCalledWith(id, { address: "edo@b.example", name: "Edo", personId: null }, null);
  });
});

describe("contacts", () => {
  const contact = (accountId: number | null) => ({
    accountId: accountId ?? 0,
    mail: "x@b.example",
    browser: true,
    sound: "bell" as const,
    mostAnHour: 5,
    quiet: null,
    zone: "Europe/Lisbon",
  });
  it("are one's own to change; of others only an administrator's", async () => {
    await execute(ports(), mara, "contact.save", contact(mara.accountId));
    expect(contactOf(db, mara.accountId ?? 0)).toMatchObject({ mail: "x@b.example", mostAnHour: 5 });
    expect(await fieldsOf(execute(ports(), mara, "contact.save", contact(edo.accountId)))).toMatchObject({
      message: expect.stringContaining("right"),
    });
  });
  it.each([
    [{ mail: "nonsense" }, "mail"],
    [{ zone: "Mars/Olympus" }, "zone"],
    [{ mostAnHour: 0 }, "mostAnHour"],
  ])("refuse %o", async (given, field) => {
    expect(
      await fieldsOf(execute(ports(), mara, "contact.save", { ...contact(mara.accountId), ...given })),
    ).toHaveProperty([field]);
  });
});

describe("rules", () => {
  it("tell only who and what is there", async () => {
    expect(
      await fieldsOf(execute(ports(), edo, "telling.save", rule({ to: [{ kind: "rotation", id: 99 }] }))),
    ).toMatchObject({ to: expect.any(String) });
    const id = await execute(ports(), edo, "channel.save", mailChannel);
    expect(
      await fieldsOf(execute(ports(), edo, "telling.save", rule({ to: [{ kind: "channel", id }] }))),
    ).toMatchObject({ to: expect.stringContaining("no address of its own") });
  });
  it("hold from when they were switched on", async () => {
    const id = await execute(ports(), edo, "telling.save", rule({ isOn: false }));
    const later = { ...ports(), now: () => AT + 3_600_000 };
    await execute(later, edo, "telling.save", { id, ...rule() });
    expect(listTellingRules(db)[0]?.sinceMs).toBe(AT + 3_600_000);
    await execute({ ...ports(), now: () => AT + 7_200_000 }, edo, "telling.save", { id, ...rule({ delayMinutes: 5 }) });
    expect(listTellingRules(db)[0]?.sinceMs).toBe(AT + 3_600_000);
  });
  it("are not a responder's to change", async () => {
    expect(await fieldsOf(execute(ports(), mara, "telling.save", rule()))).toMatchObject({
      message: expect.stringContaining("right"),
    });
  });
});

describe("templates", () => {
  it("are kept when nothing is wrong with them, and go back to the ready message", async () => {
    const template = { ...readyMessage("opened"), subject: "Harbour: {{ incident.title }}" };
    await execute(ports(), edo, "template.save", { moment: "opened", ...template });
    expect(writtenTemplates(db).get("opened")).toMatchObject({ subject: template.subject, changedBy: "Edo" });
    expect(
      await fieldsOf(
        execute(ports(), edo, "template.save", { moment: "opened", ...template, plain: "{{ incident.titel }}" }),
      ),
    ).toMatchObject({ plain: expect.stringContaining("incident.titel") });
    // Sent to oneself before it is saved, once there is a way and an address.
    const trial = { moment: "opened" as const, ...template, incidentId: incident };
    expect(await fieldsOf(execute(ports(), edo, "template.test", trial))).toMatchObject({
      message: expect.stringContaining("no mail channel"),
    });
    const id = await execute(ports(), edo, "channel.save", mailChannel);
    expect(await fieldsOf(execute(ports(), edo, "template.test", trial))).toMatchObject({
      message: expect.stringContaining("My account"),
    });
    const own = {
      mail: "edo@b.example",
      browser: true,
      sound: "none" as const,
      mostAnHour: 20,
      quiet: null,
      zone: "UTC",
    };
    await execute(ports(), edo, "contact.save", { accountId: edo.accountId ?? 0, ...own });
    await execute(ports(), edo, "template.test", trial);
    expect(test).toHaveBeenLastCalledWith(
      id,
      { address: "edo@b.example", name: "Edo", personId: null },
      incident,
      template,
    );
    await execute(ports(), edo, "template.reset", { moment: "opened" });
    expect(writtenTemplates(db).size).toBe(0);
  });
});

describe("rotations", () => {
  const turns = () => ({
    kind: "turns" as const,
    name: "Weekly",
    people: [mara.accountId ?? 0],
    startsOn: "2026-01-05",
    handOverAt: "09:00",
    turnDays: 7,
    hours: null,
    holidays: "as usual" as const,
  });
  const plan = (layers: readonly object[]) => ({ zone: "UTC", layers, cover: null, holidays: [] }) as never;
  it("have people who are here, and calendars that name them", async () => {
    await execute(ports(), edo, "rotation.save", { name: "First", plan: plan([turns()]) });
    expect(listRotations(db)).toHaveLength(1);
    expect(
      await fieldsOf(
        execute(ports(), edo, "rotation.save", { name: "B", plan: plan([{ ...turns(), people: [999] }]) }),
      ),
    ).toMatchObject({ message: expect.stringContaining("no account") });
    const calendar = (who: string) => ({
      kind: "calendar",
      name: "C",
      text: `BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART:20260302T090000Z\r\nDTEND:20260302T100000Z\r\nSUMMARY:${who}\r\nEND:VEVENT\r\nEND:VCALENDAR`,
    });
    expect(
      await fieldsOf(execute(ports(), edo, "rotation.save", { name: "B", plan: plan([calendar("A Stranger")]) })),
    ).toMatchObject({ "layers.0": expect.stringContaining("A Stranger") });
    await execute(ports(), edo, "rotation.save", { name: "B", plan: plan([calendar("mara")]) });
  });
  it("are taken over for a while, not for ever, not in the past", async () => {
    const rotationId = await execute(ports(), edo, "rotation.save", { name: "First", plan: plan([turns()]) });
    const one = { rotationId, person: edo.accountId ?? 0, fromMs: AT, toMs: AT + 3_600_000 };
    await execute(ports(), mara, "override.add", one);
    expect(overridesAfter(db, AT)).toHaveLength(1);
    for (const [wrong, words] of [
      [{ toMs: AT - 1 }, "after it begins"],
      [{ fromMs: AT - 7_200_000, toMs: AT - 3_600_000 }, "over already"],
      [{ toMs: AT + 90 * 86_400_000 }, "60 days"],
      [{ person: 999 }, "Nobody"],
    ] as const)
      expect(await fieldsOf(execute(ports(), mara, "override.add", { ...one, ...wrong }))).toMatchObject({
        message: expect.stringContaining(words),
      });
  });
});

describe("answers to messages", () => {
  it("take an incident by a link that is ours", async () => {
    await execute(ports(), mara, "message.answer", { code: "good" });
    expect(incidentById(db, incident)?.taken_by).toBe("Mara");
    expect(await fieldsOf(execute(ports(), mara, "message.answer", { code: "bad" }))).toMatchObject({
      message: "This link was altered.",
    });
  });
  it("shelve what stands, with a reason, and say so where nothing does", async () => {
    expect(await fieldsOf(execute(ports(), mara, "message.answer", { code: "shelve", reason: "x" }))).toMatchObject({
      message: expect.stringContaining("nothing to shelve"),
    });
    standing = [999];
    expect(await fieldsOf(execute(ports(), mara, "message.answer", { code: "shelve" }))).toMatchObject({
      reason: "Say why.",
    });
  });
  it("are not a reader's", async () => {
    const tilde = person("Tilde", "reader");
    expect(await fieldsOf(execute(ports(), tilde, "message.answer", { code: "good" }))).toMatchObject({
      message: expect.stringContaining("right"),
    });
    expect(incidentById(db, incident)?.taken_by).toBeNull();
  });
});

describe("shifts", () => {
  it("are signed by who leaves, then by another who comes, once", async () => {
    const id = await execute(ports(), edo, "shift.handover", { hours: 8, remark: "Nothing special." });
    expect(tellShift).toHaveBeenLastCalledWith(id, [], "Edo");
    expect(await fieldsOf(execute(ports(), edo, "shift.take", { id }))).toMatchObject({
      message: expect.stringContaining("does not take it"),
    });
    await execute(ports(), mara, "shift.take", { id });
    expect(handOversBefore(db, AT, 5)[0]).toMatchObject({ leftBy: "Edo", takenBy: "Mara", remark: "Nothing special." });
    expect(await fieldsOf(execute(ports(), mara, "shift.take", { id }))).toMatchObject({
      message: expect.stringContaining("already"),
    });
    expect(await fieldsOf(execute(ports(), edo, "shift.handover", { hours: 8, remark: " " }))).toMatchObject({
      remark: expect.any(String),
    });
  });
});
