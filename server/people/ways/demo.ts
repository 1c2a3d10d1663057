import { z } from "zod";
import { accountById } from "../../store/people";
import { wayIn } from "../way-in";

/** With one click, as one of the demonstration's made-up people; there is no such way on a real estate. */
export const demoWay = wayIn({
  id: "demo",
  isOffered: ({ isDemo }) => isDemo,
  input: z.object({ accountId: z.coerce.number().int().min(1) }),
  account: ({ accountId }) => `demo ${accountId}`,
  prove: async (db, { accountId }) => {
    const account = accountById(db, accountId);
    return account?.isDemo ? account : "There is no such person in the demonstration.";
  },
});
