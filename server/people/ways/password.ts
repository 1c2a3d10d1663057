import { z } from "zod";
import { accountBySignIn, passwordOf } from "../../store/people";
import { passwordFits } from "../passwords";
import { wayIn } from "../way-in";

const WRONG = "Name and password do not belong together. Check both, and the key for capitals.";

/** With a name and a password kept here. */
export const passwordWay = wayIn({
  id: "password",
  isOffered: () => true,
  input: z.object({
    signIn: z.string().trim().min(1, "Give the name you sign in with.").max(80),
    password: z.string().min(1, "Give your password.").max(1024),
  }),
  account: ({ signIn }) => signIn,
  prove: async (db, { signIn, password }) => {
    const account = accountBySignIn(db, signIn);
    const fits = await passwordFits(account ? passwordOf(db, account.id) : undefined, password);
    return fits && account ? account : WRONG;
  },
});
