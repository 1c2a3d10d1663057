import { z } from "zod";
import { acknowledgeAlarm, alarmById } from "../store/alarms";
import { PersonError, type Db } from "../store/database";
import { addComment, addShelf, endShelf } from "../store/quiet";
import { attachEvidence, evidenceById, pinEvidence, removeEvidence } from "../store/evidence";
import { incidentById, noteIncident, takeIncident } from "../store/incidents";
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
