import { z } from "zod";
import { endedBefore, nextWindow, plannedWorkSchema } from "#core/changes/planned-work";
import { DAY_MS } from "#core/time/windows";
import { PersonError } from "../store/database";
import {
  endPlannedWork,
  listPlannedWork,
  plannedWorkById,
  removePlannedWork,
  savePlannedWork,
} from "../store/planned-work";
import { listServices } from "../store/services";
import { command } from "./command";
import type { CommandPorts } from "./ports";

const id = z.int().min(1);
const MOST_WORK = 500;
const workOf = (one: number | undefined) => ({ type: "planned work", id: one ?? 0 });
const known = (db: CommandPorts["db"], one: number) => {
  const row = plannedWorkById(db, one);
  if (!row) throw new PersonError("That planned work is not there any more.");
  return row;
};

/** Work that people plan by hand: what alarms it keeps quiet, and when. */
export const plannedWorkCommands = {
  "work.save": command({
    right: "respond",
    input: z.strictObject({ id: id.optional(), work: plannedWorkSchema }),
    about: ({ id: one }, saved) => workOf(one ?? (saved as number | undefined)),
    state: ({ db }, { id: one }, saved) => (one ?? saved) && plannedWorkById(db, (one ?? saved) as number)?.work,
    run: ({ db, now, onQuiet }, { id: one, work }, who) => {
      if (one !== undefined) known(db, one);
      else if (listPlannedWork(db).length >= MOST_WORK)
        throw new PersonError(`There are ${MOST_WORK} entries already. Remove what is over first.`);
      const { scope } = work;
      if (scope.of === "service" && !listServices(db).some((service) => service.uid === scope.uid))
        throw new PersonError("That service does not exist.", { scope: "Choose a service." });
      if (!nextWindow(work, now(), 3660 * DAY_MS))
        throw new PersonError("All of it lies in the past: it would keep nothing quiet.", {
          startsAt: "Later, or let it repeat.",
        });
      const saved = savePlannedWork(db, one, work, who.name, now());
      onQuiet();
      return saved;
    },
    record: ({ id: one, work }) => `${one === undefined ? "Planned" : "Changed"} work “${work.title}”`,
  }),
  "work.end": command({
    right: "respond",
    input: z.strictObject({ id }),
    about: ({ id: one }) => workOf(one),
    run: ({ db, now, onQuiet }, input) => {
      const { work, endedMs } = known(db, input.id);
      const window = nextWindow(work, now(), 1);
      if (!window || endedBefore(window, endedMs).toMs <= now())
        throw new PersonError("It is not under way at present.");
      endPlannedWork(db, input.id, now());
      onQuiet();
      return work.title;
    },
    record: (input, title) => `Ended work “${title ?? input.id}” before its time`,
  }),
  "work.remove": command({
    right: "respond",
    input: z.strictObject({ id }),
    about: ({ id: one }) => workOf(one),
    state: ({ db }, { id: one }) => plannedWorkById(db, one)?.work,
    run: ({ db, onQuiet }, input) => {
      const { work } = known(db, input.id);
      removePlannedWork(db, input.id);
      onQuiet();
      return work.title;
    },
    record: (input, title) => `Removed planned work “${title ?? input.id}”`,
  }),
};
