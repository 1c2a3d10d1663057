import { z } from "zod";
import type { Way } from "./way";

/** The open pages of a person: shown by the system where they allowed it, with a sound where they chose one. */
export const browser: Way = {
  kind: "browser",
  label: "Browser",
  words: "Notifications of the system to whoever has a page open, where they allowed it.",
  settings: z.strictObject({}),
  credentials: [],
  isPersonal: true,
  hostOf: () => null,
  addressOf: () => null,
  // The engine hands it to the open pages: see Telling.
  send: () => Promise.resolve({ outcome: "sent", answer: "handed to the open pages" }),
};
