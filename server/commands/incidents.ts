import { z } from "zod";
import { acknowledgeAlarm, alarmById } from "../store/alarms";
import { PersonError, type Db } from "../store/database";
import { addComment, addShelf, endShelf } from "../store/quiet";
import { attachEvidence, evidenceById, pinEvidence, removeEvidence } from "../store/evidence";
import { componentNamed } from "../store/estate";
import { listAccounts } from "../store/people";
import {
  confirmCause,
  handIncident,
  incidentById,
  noteIncident,
  reopenIncident,
  resolveIncident,
  setPriority,
  setWaiting,
  takeIncident,
} from "../store/incidents";
import { INSTALLATION } from "#core/people/rights";
import { command } from "./command";

const id = z.number().int().min(1);

function mustExist(db: Db, incidentId: number): void {
  if (!incidentById(db, incidentId)) throw new PersonError("That incident does not exist.");
}

/** Incidents, their alarms and their evidence. */
export const incidentCommands = {
  "incident.take": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "incident", id: one }),
    input: z.strictObject({ id }),
    run: ({ db, now, emit }, input, who) => {
      mustExist(db, input.id);
      db.transaction(() => {
        takeIncident(db, input.id, who.name, now());
        noteIncident(db, input.id, "taken", "Taken", who.name, now());
      })();
      emit({ topic: "incident", id: input.id, what: "changed" });
    },
    record: (input) => `Took incident ${input.id}`,
  }),
  "incident.handover": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "incident", id: one }),
    input: z.strictObject({
      id,
      to: z.string().trim().min(1, "Say to whom.").max(80),
      remark: z.string().trim().max(2000),
    }),
    run: ({ db, now, emit }, input, who) => {
      mustExist(db, input.id);
      const people = listAccounts(db).filter((one) => one.closedAt === null);
      if (!people.some((one) => one.name === input.to))
        throw new PersonError(
          `Nobody here is called “${input.to}”. Choose one of ${people.map((one) => one.name).join(", ")}.`,
        );
      db.transaction(() => {
        handIncident(db, input.id, input.to, now());
        setWaiting(db, input.id, "");
        noteIncident(
          db,
          input.id,
          "handed-over",
          `Handed over to ${input.to}${input.remark ? `: ${input.remark}` : ""}`,
          who.name,
          now(),
        );
      })();
      emit({ topic: "incident", id: input.id, what: "changed" });
    },
    record: (input) => `Handed incident ${input.id} over to ${input.to}`,
  }),
  "incident.wait": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "incident", id: one }),
    input: z.strictObject({ id, waitingFor: z.string().trim().max(120, "Say it in at most 120 characters.") }),
    run: ({ db, now, emit }, input, who) => {
      mustExist(db, input.id);
      db.transaction(() => {
        setWaiting(db, input.id, input.waitingFor);
        noteIncident(
          db,
          input.id,
          "waiting",
          input.waitingFor ? `Waiting for ${input.waitingFor}` : "Not waiting any more",
          who.name,
          now(),
        );
      })();
      emit({ topic: "incident", id: input.id, what: "changed" });
    },
    record: (input) =>
      input.waitingFor ? `Incident ${input.id} waits for ${input.waitingFor}` : `Incident ${input.id} goes on`,
  }),
  "incident.priority": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "incident", id: one }),
    input: z.strictObject({
      id,
      /** As it follows from the harm where it is null. */
      priority: z.union([z.literal(1), z.literal(2), z.literal(3), z.literal(4)]).nullable(),
      reason: z.string().trim().max(200, "A reason has at most 200 characters."),
    }),
    run: ({ db, now, emit }, input, who) => {
      mustExist(db, input.id);
      if (input.priority !== null && !input.reason) throw new PersonError("Say why the priority is another.");
      db.transaction(() => {
        setPriority(db, input.id, input.priority, input.reason);
        noteIncident(
          db,
          input.id,
          "priority",
          input.priority === null
            ? "Priority as it follows from the harm"
            : `Priority ${input.priority}: ${input.reason}`,
          who.name,
          now(),
        );
      })();
      emit({ topic: "incident", id: input.id, what: "changed" });
    },
    record: (input) =>
      input.priority === null
        ? `Took the set priority off incident ${input.id}`
        : `Set incident ${input.id} to priority ${input.priority}: ${input.reason}`,
  }),
  "incident.cause": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "incident", id: one }),
    input: z.strictObject({
      id,
      /** A component by its name, or a line by its two sites with a dash between them. */
      cause: z.string().trim().min(1, "Say what the cause was.").max(200),
      remark: z.string().trim().max(500, "A remark has at most 500 characters."),
      resolves: z.boolean(),
    }),
    run: ({ db, now, emit }, input, who) => {
      mustExist(db, input.id);
      const incident = incidentById(db, input.id);
      const suggested = incident?.causes.find((one) => one.name === input.cause);
      const component = suggested ? undefined : componentNamed(db, input.cause);
      const confirmed = {
        componentId: suggested?.componentId ?? component?.id ?? null,
        line: suggested?.line ?? null,
        name: suggested?.name ?? component?.name ?? input.cause,
        remark: input.remark,
      };
      db.transaction(() => {
        confirmCause(db, input.id, confirmed, who.name, now());
        const said = incident?.causes[0]?.name === confirmed.name ? "Cause confirmed" : "Cause";
        noteIncident(
          db,
          input.id,
          "cause",
          `${said}: ${confirmed.name}${input.remark ? `. ${input.remark}` : ""}`,
          who.name,
          now(),
        );
        if (input.resolves && incident?.resolved_at === null) {
          resolveIncident(db, input.id, now());
          noteIncident(db, input.id, "resolved", "Resolved by hand", who.name, now());
        }
      })();
      emit({ topic: "incident", id: input.id, what: input.resolves ? "resolved" : "changed" });
    },
    record: (input) =>
      `Said of incident ${input.id} that its cause was ${input.cause}${input.resolves ? ", and resolved it" : ""}`,
  }),
  "incident.reopen": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "incident", id: one }),
    input: z.strictObject({ id, reason: z.string().trim().min(1, "Say why.").max(200) }),
    run: ({ db, now, emit }, input, who) => {
      const incident = incidentById(db, input.id);
      if (!incident) throw new PersonError("That incident does not exist.");
      if (incident.merged_into !== null)
        throw new PersonError(`It was merged into incident ${incident.merged_into}. Split its alarms off there.`);
      if (incident.resolved_at === null) throw new PersonError("It is open.");
      db.transaction(() => {
        reopenIncident(db, input.id);
        noteIncident(db, input.id, "reopened", `Reopened: ${input.reason}`, who.name, now());
      })();
      emit({ topic: "incident", id: input.id, what: "reopened" });
    },
    record: (input) => `Reopened incident ${input.id}: ${input.reason}`,
  }),
  "incident.merge": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "incident", id: one }),
    input: z.strictObject({ id, into: z.number("Give the number of the other incident.").int().min(1) }),
    run: ({ db, emit, incidents }, input, who) => {
      db.transaction(() => incidents.merge(input.id, input.into, who.name))();
      emit({ topic: "incident", id: input.id, what: "changed" });
      emit({ topic: "incident", id: input.into, what: "changed" });
    },
    record: (input) => `Merged incident ${input.id} into ${input.into}`,
  }),
  "incident.split": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "incident", id: one }),
    input: z.strictObject({ id, alarmIds: z.array(id).max(500) }),
    run: ({ db, emit, incidents }, input, who) => {
      const made = db.transaction(() => incidents.split(input.id, input.alarmIds, who.name))();
      emit({ topic: "incident", id: input.id, what: "changed" });
      emit({ topic: "incident", id: made, what: "opened" });
      return made;
    },
    record: (input, made) => `Split ${input.alarmIds.length} alarms off incident ${input.id} into ${made ?? "another"}`,
  }),
  "incident.note": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "incident", id: one }),
    input: z.strictObject({
      id,
      text: z.string().trim().min(1, "Write something first.").max(2000, "A note has at most 2,000 characters."),
    }),
    run: ({ db, now, emit }, input, who) => {
      mustExist(db, input.id);
      noteIncident(db, input.id, "note", input.text, who.name, now());
      emit({ topic: "incident", id: input.id, what: "changed" });
    },
    record: (input) => `Noted on incident ${input.id}`,
  }),
  "alarm.acknowledge": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "alarm", id: one }),
    input: z.strictObject({ id }),
    run: ({ db, now, emit }, input, who) => {
      if (!alarmById(db, input.id)) throw new PersonError("That alarm does not exist.");
      acknowledgeAlarm(db, input.id, who.name, now());
      emit({ topic: "alarms", atMs: now() });
    },
    record: (input) => `Acknowledged alarm ${input.id}`,
  }),
  "alarm.shelve": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "alarm", id: one }),
    input: z.strictObject({
      id,
      reason: z.string().trim().min(1, "Say why.").max(200, "A reason has at most 200 characters."),
      hours: z.coerce
        .number("Say for how many hours.")
        .min(0.25, "For 15 minutes at least.")
        .max(24 * 30, "For 30 days at most."),
    }),
    run: ({ db, now, emit, onQuiet }, input, who) => {
      const alarm = alarmById(db, input.id);
      if (!alarm) throw new PersonError("That alarm does not exist.");
      const atMs = now();
      const untilMs = atMs + input.hours * 3_600_000;
      const { subject_type, subject_id, alarm_type, qualifier } = alarm;
      const subject = { type: subject_type, id: subject_id };
      db.transaction(() => {
        addShelf(db, {
          subject,
          alarmType: alarm_type,
          qualifier,
          reason: input.reason,
          by: who.name,
          at: atMs,
          untilMs,
        });
        addComment(db, alarm.id, atMs, who.name, `Shelved for ${input.hours} h: ${input.reason}`);
      })();
      onQuiet();
      emit({ topic: "alarms", atMs });
    },
    record: (input) => `Shelved alarm ${input.id} for ${input.hours} h: ${input.reason}`,
  }),
  "alarm.unshelve": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "shelf", id: one }),
    input: z.strictObject({ id }),
    run: ({ db, now, emit, onQuiet }, input) => {
      if (!endShelf(db, input.id, now())) throw new PersonError("That is not shelved any more.");
      onQuiet();
      emit({ topic: "alarms", atMs: now() });
    },
    record: (input) => `Took shelf ${input.id} down`,
  }),
  "alarm.comment": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "alarm", id: one }),
    input: z.strictObject({
      id,
      text: z.string().trim().min(1, "Write something first.").max(1000, "A comment has at most 1,000 characters."),
    }),
    run: ({ db, now, emit }, input, who) => {
      if (!alarmById(db, input.id)) throw new PersonError("That alarm does not exist.");
      addComment(db, input.id, now(), who.name, input.text);
      emit({ topic: "alarms", atMs: now() });
    },
    record: (input) => `Commented on alarm ${input.id}`,
  }),
  "evidence.pin": command({
    right: "respond",
    about: ({ incidentId }) => (incidentId === null ? INSTALLATION : { type: "incident", id: incidentId }),
    input: z.strictObject({
      incidentId: id.nullable(),
      kind: z.enum(["chart", "map"]),
      title: z.string().min(1).max(160),
      detail: z.string().max(300),
      // Only addresses inside the application.
      address: z
        .string()
        .regex(/^\/(?!\/)/)
        .max(600),
      fromMs: z.number().int(),
      toMs: z.number().int(),
    }),
    run: ({ db, now, emit }, input, who) => {
      if (input.incidentId !== null) mustExist(db, input.incidentId);
      const made = db.transaction(() => {
        const pinned = pinEvidence(
          db,
          {
            incident_id: input.incidentId,
            kind: input.kind,
            title: input.title,
            address: input.address,
            detail: input.detail,
            from_at: input.fromMs,
            to_at: input.toMs,
            pinned_by: who.name,
          },
          now(),
        );
        if (input.incidentId !== null)
          noteIncident(db, input.incidentId, "evidence", `Pinned: ${input.title}`, who.name, now());
        return pinned;
      })();
      if (input.incidentId !== null) emit({ topic: "incident", id: input.incidentId, what: "changed" });
      return made;
    },
    record: (input) => `Pinned “${input.title}”${input.incidentId === null ? "" : ` to incident ${input.incidentId}`}`,
  }),
  "evidence.attach": command({
    right: "respond",
    about: ({ incidentId }) => ({ type: "incident", id: incidentId }),
    input: z.strictObject({ incidentId: id }),
    run: ({ db, now, emit }, input, who) => {
      mustExist(db, input.incidentId);
      const count = attachEvidence(db, who.name, input.incidentId);
      if (count)
        noteIncident(
          db,
          input.incidentId,
          "evidence",
          `${count} pinned ${count === 1 ? "view" : "views"} attached`,
          who.name,
          now(),
        );
      emit({ topic: "incident", id: input.incidentId, what: "changed" });
      return count;
    },
    record: (input, count) => `Attached ${count ?? 0} pinned views to incident ${input.incidentId}`,
  }),
  "evidence.remove": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "evidence", id: one }),
    input: z.strictObject({ id }),
    run: ({ db, now, emit }, input, who) => {
      const pinned = evidenceById(db, input.id);
      if (!pinned) throw new PersonError("That evidence is not there any more.");
      removeEvidence(db, input.id);
      if (pinned.incident_id !== null) {
        noteIncident(db, pinned.incident_id, "evidence", `Removed: ${pinned.title}`, who.name, now());
        emit({ topic: "incident", id: pinned.incident_id, what: "changed" });
      }
      return pinned.title;
    },
    record: (input, title) => `Removed evidence ${title === undefined ? input.id : `“${title}”`}`,
  }),
};
