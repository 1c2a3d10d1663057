import { z } from "zod";
import { INSTALLATION } from "#core/people/rights";
import { PersonError } from "../store/database";
import { markReviewed } from "../store/review";
import { command } from "./command";

export const reviewCommands = {
  "review.done": command({
    right: "configure",
    input: z.strictObject({ ids: z.array(z.int().min(1)).min(1, "Tick at least one host.").max(20_000) }),
    about: () => INSTALLATION,
    run: ({ db, now }, { ids }, who) => {
      const count = db.transaction(() => markReviewed(db, ids, who.name, now()))();
      if (count === 0) throw new PersonError("None of these hosts waits to be looked at any more.");
      return count;
    },
    record: (_input, count) => `Looked at ${count ?? 0} new ${count === 1 ? "host" : "hosts"}`,
  }),
};
