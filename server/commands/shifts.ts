import { z } from "zod";
import { HOUR_MS } from "#core/time/windows";
import { PersonError } from "../store/database";
import { handOverById, signOver, signTaken } from "../store/shifts";
import { shiftPage } from "../pages/shift";
import { command } from "./command";

const id = z.number().int().min(1);

/** Shifts: handed over by who leaves, taken by who comes. */
export const shiftCommands = {
  "shift.handover": command({
    right: "respond",
    input: z.strictObject({
      hours: z.number("Say how long the shift was.").min(1, "An hour at least.").max(168, "A week at most."),
      remark: z
        .string()
        .trim()
        .min(1, "Say what the next shift should know, even if it is “nothing special”.")
        .max(4000, "At most 4,000 characters."),
    }),
    run: ({ db, now, telling }, { hours, remark }, who) => {
      const toMs = now();
      const span = { fromMs: toMs - hours * HOUR_MS, toMs };
      const page = shiftPage(db, span);
      return db.transaction(() => {
        const id = signOver(db, { ...span, remark, leftBy: who.name }, page, toMs);
        telling.tellShift(
          id,
          page.comesOn.flatMap((one) => one.people),
          who.name,
        );
        return id;
      })();
    },
    about: (_input, saved) => ({ type: "shift", id: saved ?? 0 }),
    record: ({ hours }) => `Handed over a shift of ${hours} h`,
  }),
  "shift.take": command({
    right: "respond",
    input: z.strictObject({ id }),
    about: ({ id: one }) => ({ type: "shift", id: one }),
    run: ({ db, now }, input, who) => {
      const shift = handOverById(db, input.id);
      if (!shift) throw new PersonError("That shift was not handed over.");
      if (shift.takenBy !== null) throw new PersonError(`${shift.takenBy} has taken it over already.`);
      if (shift.leftBy === who.name)
        throw new PersonError("Who hands a shift over does not take it: the next one signs it.");
      signTaken(db, input.id, who.name, now());
    },
    record: (input) => `Took over shift ${input.id}`,
  }),
};
